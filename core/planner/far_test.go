package planner_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/planner"
	"eskadel/core/steps"
)

// Conditions on records behind a link are asked for first where these are few beside the
// chart's own, and where no record without a linked one could meet them.
func TestWhatLiesBehindALinkIsFoundFirst(t *testing.T) {
	is := func(region string) string { return `{"field":"region","is":"` + region + `"}` }
	for _, c := range []struct {
		name, where string
		rows        int64
		found       int    // how many keys are found
		first, main string // what the two questions hold; "" where nothing is asked first
	}{
		{"few yards, many jobs", is("north"), 1_000_000, 3, `from "public"."yard" r where r."region" = $1::text and r."id" is not null`, `r."yard_id" = any($1::integer[])`},
		{"none of them", is("north"), 1_000_000, 0, `r."region" = $1::text`, `r."yard_id" = any($1::integer[])`},
		{"too many of them", is("north"), 1_000_000, 10_001, `r."region" = $1::text`, `l1."region" = $1::text`},
		{"few jobs", is("north"), 5_000, 3, "", `l1."region" = $1::text`},
		{"several conditions are one question", `{"all":[` + is("north") + `,{"field":"kind","is":"care"},{"any":[{"field":"region","contains":"o"},{"field":"region","starts_with":"n"}]}]}`, 1_000_000, 3, `starts_with(`, `r."kind" = $1::text and r."yard_id" = any($2::integer[])`},
		{"a job without a yard is not in the north", `{"field":"region","is_not":"north"}`, 1_000_000, 3, "", `l1."region"`},
		{"nor is it one of the others", `{"not":` + is("north") + `}`, 1_000_000, 3, "", `is not true`},
		{"either may be met by a job without a yard", `{"any":[` + is("north") + `,{"field":"kind","is":"care"}]}`, 1_000_000, 3, "", `l1."region"`},
		{"the key itself is the job's own", `{"field":"yard","is":"3"}`, 1_000_000, 3, "", `r."yard_id" = $1::bigint`},
	} {
		d := defined(t, `"measures":[{"count":"records"}],"by":[{"field":"kind"}],"where":`+c.where)
		ds := sample.Jobs()
		ds.Table.Rows = c.rows
		first := ""
		p, err := steps.Answered(func(ask *steps.Asker) (*planner.Plan, error) { return planner.BuildAsking(d, ds, setting, ask) }, func(q steps.Question) (steps.Rows, error) {
			st, err := q.Compile(nil)
			require.NoError(t, err)
			first = st.SQL
			var keys [][]field.Value
			for i := range c.found {
				keys = append(keys, []field.Value{field.OfInt(int64(i))})
			}
			return keys, nil
		})
		require.NoError(t, err, c.name)
		st, err := p.Compile(nil)
		require.NoError(t, err, c.name)
		assert.Contains(t, st.SQL, c.main, c.name)
		if c.first == "" {
			assert.Empty(t, first, c.name)
			continue
		}
		assert.Contains(t, first, c.first, c.name)
		said := strings.Contains(strings.Join(p.Explain(), "\n"), "whose Region is north")
		assert.Equal(t, c.found <= 10_000, said, c.name)
	}
}

// A field behind a link is looked up for each key of the link, where these are few.
func TestRecordsAreGroupedByTheKeyOfALinkFirst(t *testing.T) {
	for _, c := range []struct {
		name, by    string
		jobs, yards int64
		regions     float64 // how many there are; 0 where that is not known
		early       bool
	}{
		{"few yards, many jobs", `{"field":"region"}`, 1_000_000, 5, 0, true},
		{"a cut merges what is looked up", `{"field":"region","largest":1,"others":true}`, 1_000_000, 5, 0, true},
		{"as many yards as jobs", `{"field":"region"}`, 1_000_000, 900_000, 0, false},
		{"it is not known how many", `{"field":"region"}`, 1_000_000, 0, 0, false},
		{"few jobs", `{"field":"region"}`, 99_999, 50, 0, false},
		{"just enough jobs", `{"field":"region"}`, 100_000, 50, 0, true},
		{"more than a quarter as many yards", `{"field":"region"}`, 1_000_000, 250_001, 1e6, false},
		{"as many groups as may be", `{"field":"region"}`, 1_000_000, 20_000, 50_000, true},
		{"too many groups", `{"field":"region"}`, 1_000_000, 20_001, 50_000, false},
		{"one region, of more yards than that", `{"field":"region"}`, 1_000_000, 20_001, 1, false},
		{"the key itself", `{"field":"yard"}`, 1_000_000, 5, 0, false},
		{"a field of the job's own", `{"field":"kind"}`, 1_000_000, 5, 0, false},
	} {
		tables := sample.Tables()
		tables.Table("public.job").Rows, tables.Table("public.yard").Rows = c.jobs, c.yards
		ds, err := dataset.Resolve(sample.Document(), tables, nil)
		require.NoError(t, err)
		ds.Find("region").Distinct = c.regions
		p, err := planner.Build(defined(t, `"measures":[{"sum":"cost"}],"by":[`+c.by+`]`), ds, setting, nil)
		require.NoError(t, err)
		assert.Equal(t, c.early, p.Dims[0].Early, c.name)
		st, err := p.Compile(nil)
		require.NoError(t, err)
		assert.Equal(t, c.early, strings.Contains(st.SQL, `left join (select r."id" as id, r."region" as k from "public"."yard" r) x0 on x0.id = g.k0`), "%s: %s", c.name, st.SQL)
		assert.Equal(t, c.early, strings.Contains(strings.Join(p.Explain(), " "), "grouped by their yard first; Region is looked up"), c.name)
		assert.Equal(t, c.early, p.Plainly(), "where the keys turned out to be too many: %s", c.name)
		assert.False(t, p.Plainly())
		st, err = p.Compile(nil)
		require.NoError(t, err)
		assert.NotContains(t, st.SQL, "x0", c.name)
	}
}
