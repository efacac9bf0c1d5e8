package rule

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
)

// ruled are the sample's tables under rules of their own.
func ruled(t *testing.T, rules string) dataset.Catalogue {
	tables := sample.Tables()
	read, err := dataset.ReadRules([]byte(`{"version":1,"source":"desk","tables":[` + rules + `]}`))
	require.NoError(t, err, rules)
	for _, table := range tables {
		table.Rules = nil
	}
	tables, err = tables.With(read)
	require.NoError(t, err, rules)
	return tables
}

// A change concerns whoever may see a record that held what it held, as far as its columns tell.
func TestWhomAChangeConcerns(t *testing.T) {
	one := func(text string) []*string { return []*string{&text} }
	gone := []*string{nil}
	foreman := Viewer{ID: "f", Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": "3"}}
	for _, c := range []struct {
		name, where string
		touched     map[string][]*string
		want        bool
	}{
		{"the yard is theirs", `{"field":"yard_id","is":{"viewer":"yard"}}`, map[string][]*string{"yard_id": one("3")}, true},
		{"as another writes it", `{"field":"yard_id","is":{"viewer":"yard"}}`, map[string][]*string{"yard_id": one("03")}, true},
		{"another yard", `{"field":"yard_id","is":{"viewer":"yard"}}`, map[string][]*string{"yard_id": one("4")}, false},
		{"from another yard to theirs", `{"field":"yard_id","is":{"viewer":"yard"}}`, map[string][]*string{"yard_id": append(one("4"), one("3")...)}, true},
		{"it had none", `{"field":"yard_id","is":{"viewer":"yard"}}`, map[string][]*string{"yard_id": gone}, false},
		{"what cannot be read might be", `{"field":"yard_id","is":{"viewer":"yard"}}`, map[string][]*string{"yard_id": one("x")}, true},
		{"nothing is known of the column", `{"field":"yard_id","is":{"viewer":"yard"}}`, map[string][]*string{"kind": one("care")}, true},
		{"one of a list", `{"field":"kind","one_of":["care","rework"]}`, map[string][]*string{"kind": one("rework")}, true},
		{"none of a list", `{"field":"kind","one_of":["care","rework"]}`, map[string][]*string{"kind": one("mishap")}, false},
		{"any other comparison might be met", `{"field":"kind","is_not":"care"}`, map[string][]*string{"kind": one("care")}, true},
		{"a part of a date might be", `{"field":"opened_at","part":"weekday","is":1}`, map[string][]*string{"opened_at": one("2026-03-03")}, true},
		{"what is not so might be", `{"not":{"field":"kind","is":"care"}}`, map[string][]*string{"kind": one("care")}, true},
		{"both must be", `{"all":[{"field":"kind","is":"care"},{"field":"yard_id","is":3}]}`, map[string][]*string{"kind": one("care"), "yard_id": one("4")}, false},
		{"both are", `{"all":[{"field":"kind","is":"care"},{"field":"yard_id","is":3}]}`, map[string][]*string{"kind": one("care"), "yard_id": one("3")}, true},
		{"either is", `{"any":[{"field":"kind","is":"care"},{"field":"yard_id","is":3}]}`, map[string][]*string{"kind": one("care"), "yard_id": one("4")}, true},
		{"neither is", `{"any":[{"field":"kind","is":"care"},{"field":"yard_id","is":3}]}`, map[string][]*string{"kind": one("x"), "yard_id": one("4")}, false},
	} {
		table := ruled(t, `{"table":"job","row_rules":[{"roles":["foreman"],"where":`+c.where+`}]}`).Table("public.job")
		concerns := Concerns(table, foreman)
		require.NotNil(t, concerns, c.name)
		assert.Equal(t, c.want, concerns(c.touched), c.name)
		assert.False(t, Concerns(table, Viewer{Roles: []string{"guest"}})(c.touched), "%s: nothing is theirs to see", c.name)
		assert.Nil(t, Concerns(table, Viewer{Builder: true}), c.name)
	}
	everyRow := ruled(t, `{"table":"job","row_rules":[{"roles":["everyone"],"where":"every row"}]}`)
	assert.Nil(t, Concerns(everyRow.Table("public.job"), foreman))
	assert.Nil(t, Concerns(everyRow.Table("public.yard"), foreman), "of which no rule says anything")
}

func TestColumnsThatAreCompared(t *testing.T) {
	c := ruled(t, `{"table":"job","row_rules":[{"roles":["foreman"],"where":{"all":[{"field":"yard_id","is":{"viewer":"yard"}},{"field":"kind","is":"care"}]}},{"roles":["keeper"],"where":{"field":"kind","is":"rework"}},{"roles":["north"],"where":{"field":"yard_id.region","is":"north"}}]},{"table":"yard","row_rules":[{"roles":["everyone"],"where":"every row"}]}`)
	assert.Equal(t, map[string][]string{"public.job": {"kind", "yard_id"}}, Compared(c))
}

// What a viewer may see, whole.
func TestGuardsWhole(t *testing.T) {
	tables := ruled(t, `{"table":"job","row_rules":[{"roles":["foreman"],"where":{"field":"kind","is":"care"},"words":"of care"},{"roles":["keeper"],"where":"every row"}],"hidden":[{"columns":["cost","rough"],"except":["keeper"]},{"columns":["late"],"except":["foreman"]}]}`)
	doc := sample.Document()
	for i := range doc.Fields {
		if doc.Fields[i].Name == "boat" {
			doc.Fields[i].SeenBy = []string{"keeper"}
		}
	}
	ds, err := dataset.Resolve(doc, tables, nil)
	require.NoError(t, err)
	got := ""
	for _, v := range []Viewer{{Builder: true}, {Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": "2"}}, {Roles: []string{"keeper"}}, {Roles: []string{"director"}}, {}} {
		b, err := json.Marshal(Guard(ds, v))
		require.NoError(t, err)
		got += fmt.Sprintf("%v: %s; %s\n", v.Roles, b, Words(ds, v))
	}
	assert.Equal(t, `[]: null; 
[foreman]: {"Rows":{"public.job":{"field":"kind","is":"care"},"public.yard":{"any":[]}},"Columns":{"public.job":{"cost":true,"rough":true}},"Own":{"field":"yard","is":"2"},"Fields":{"boat":true}}; of care and at your yard
[keeper]: {"Rows":{"public.yard":{"any":[]}},"Columns":{"public.job":{"late":true}},"Own":{"any":[]},"Fields":{}}; whose not (Yard is your yard)
[director]: {"Rows":{"public.job":{"any":[]},"public.yard":{"any":[]}},"Columns":{"public.job":{"cost":true,"late":true,"rough":true}},"Own":"every row","Fields":{"boat":true}}; none, for want of a rule for you
[]: {"Rows":{"public.job":{"any":[]},"public.yard":{"any":[]}},"Columns":{"public.job":{"cost":true,"late":true,"rough":true}},"Own":{"any":[]},"Fields":{"boat":true}}; none, for want of a rule for you
`, got)
	// A scope hears every table once, of each source, and is live where all are.
	other := ds.For(nil)
	s := ScopeOf(Viewer{}, nil, ds, other)
	assert.Equal(t, map[string][]string{"desk": {"public.job", "public.yard"}}, s.Tables())
	assert.True(t, s.Live())
	tables.Table("public.yard").Watched = false
	assert.False(t, ScopeOf(Viewer{}, nil, ds).Live())
	assert.Error(t, CheckScope(Scope{made: true}), "made of what could not be written")
	assert.Error(t, CheckScope(Scope{key: "k"}))
}
