package filter

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

// sample knows a field of each type.
type sample struct{}

func (sample) Column(name string) (Column, error) {
	col := Column{Label: name, Key: "r." + name, Text: "r." + name, Zoned: name == "opened"}
	switch name {
	case "kind":
		col.Type = field.Text
	case "cost":
		col.Type = field.Number
	case "nights":
		col.Type = field.Integer
	case "opened", "seen":
		col.Type = field.Timestamp
	case "due":
		col.Type = field.Date
	case "yard":
		return Column{Label: "Yard", Type: field.Text, KeyType: field.Integer, Key: "r.yard_id", Text: "l.name"}, nil
	default:
		return col, problem.New(problem.NotFound, "", "There is no field %q.", name)
	}
	col.KeyType = col.Type
	return col, nil
}

func parse(t *testing.T, doc string) Condition {
	var c Condition
	require.NoError(t, json.Unmarshal([]byte(doc), &c), doc)
	return c
}

func TestCompile(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	for _, c := range []struct{ doc, sql, args string }{
		{`{"field":"kind","is":"Engine"}`, `r.kind = $1::text`, `[Engine]`},
		{`{"field":"kind","is_not":"x' or 1=1"}`, `(r.kind = $1::text) is not true`, `[x' or 1=1]`},
		{`{"field":"yard","one_of":[1,2]}`, `r.yard_id in ($1::bigint, $2::bigint)`, `[1 2]`},
		{`{"field":"yard","starts_with":"TARN"}`, `starts_with(lower(l.name collate "C.utf8"), $1::text)`, `[tarn]`},
		{`{"field":"kind","not_contains":"50%_"}`, `(position($1::text in lower(r.kind collate "C.utf8")) > 0) is not true`, `[50%_]`},
		{`{"field":"cost","between":[1,2.5]}`, `(r.cost >= $1::numeric and r.cost <= $2::numeric)`, `[1 2.5]`},
		{`{"field":"nights","at_most":99999999999999999999}`, `r.nights <= $1::numeric`, `[99999999999999999999]`},
		{`{"field":"nights","above":1.5}`, `r.nights > $1::numeric`, `[1.5]`},
		{`{"field":"due","empty":true}`, `r.due is null`, `[]`},
		{`{"not":{"all":[{"field":"due","filled":true},{"any":[{"field":"kind","is":"a"},{"field":"kind","is":""}]}]}}`,
			`((r.due is not null and (r.kind = $1::text or r.kind = $2::text))) is not true`, `[a ]`},
		{`{"field":"due","within":"this month"}`, `(r.due >= $1 and r.due < $2)`, `[2026-03-01 00:00:00 +0000 UTC 2026-04-01 00:00:00 +0000 UTC]`},
		{`{"field":"opened","within":"today"}`, `(r.opened >= $1 and r.opened < $2)`, `[2026-03-29 00:00:00 +0000 GMT 2026-03-30 00:00:00 +0100 BST]`},
		{`{"field":"opened","at_most":"2026-03-29"}`, `(r.opened < $1)`, `[2026-03-30 00:00:00 +0100 BST]`},
		{`{"field":"seen","above":"2026-03-29"}`, `(r.seen >= $1)`, `[2026-03-30 00:00:00 +0000 UTC]`},
		{`{"field":"seen","one_of":["2026-03-29","2026-03-31"]}`, `((r.seen >= $1 and r.seen < $2) or (r.seen >= $3 and r.seen < $4))`,
			`[2026-03-29 00:00:00 +0000 UTC 2026-03-30 00:00:00 +0000 UTC 2026-03-31 00:00:00 +0000 UTC 2026-04-01 00:00:00 +0000 UTC]`},
		{`"every row"`, `true`, `[]`},
		{`{"any":[]}`, `false`, `[]`},
	} {
		cond := parse(t, c.doc)
		b := &statement.Binder{}
		sql, err := cond.SQL(Env{Fields: sample{}, Bind: b, Now: time.Date(2026, 3, 29, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(london)})
		require.NoError(t, err, c.doc)
		assert.Equal(t, c.sql, sql, c.doc)
		assert.Equal(t, c.args, fmt.Sprint(b.Args()), c.doc)
		back, err := json.Marshal(cond)
		require.NoError(t, err)
		assert.Equal(t, cond, parse(t, string(back)), "JSON and back: %s", c.doc)
	}
}

func TestRefusals(t *testing.T) {
	for doc, words := range map[string]string{
		`{"field":"colour","is":"red"}`:         `There is no field "colour"`,
		`{"field":"yard","is":"Tarn Quay"}`:     "Yard is compared with a value of type integer",
		`{"field":"cost","contains":"1"}`:       "is for text",
		`{"field":"kind","within":"today"}`:     "not a date",
		`{"field":"kind","above":"a"}`:          "for numbers and dates",
		`{"field":"due","above":"soon"}`:        "not a date like",
		`{"field":"kind","like":"a"}`:           `no comparison "like"`,
		`{"field":"kind","is":"a","above":"b"}`: "exactly one comparison",
		`{"field":"kind","between":["a"]}`:      "takes two values",
		`{"field":"kind","one_of":[]}`:          "from 1 to 1000",
		`{"each":[]}`:                           `no key "each"`,
		`{"field":"kind","is":{"viewr":"x"}}`:   `no key "viewr"`,
		`{"field":"kind","is":null}`:            "A value is a text",
		`{"field":"kind","empty":false}`:        "Write",
		`[]`:                                    "A condition is an object",
	} {
		var c Condition
		err := json.Unmarshal([]byte(doc), &c)
		if err == nil {
			err = c.Check(sample{})
		}
		assert.ErrorContains(t, err, words, doc)
	}
}

func TestAttributes(t *testing.T) {
	mine := `{"field":"yard","is":{"viewer":"yard"}}`
	for _, c := range []struct {
		name, doc    string
		a            Attributes
		filter, rule string
	}{
		{"one value", mine, Attributes{"yard": json.Number("3")}, `{"field":"yard","is":"3"}`, `{"field":"yard","is":"3"}`},
		{"a list means any of them", mine, Attributes{"yard": []any{"1", "2"}}, `{"field":"yard","one_of":["1","2"]}`, `{"field":"yard","one_of":["1","2"]}`},
		{"a list for a list", `{"field":"yard","none_of":{"viewer":"yard"}}`, Attributes{"yard": []any{"1", "2"}}, `{"field":"yard","none_of":["1","2"]}`, `{"field":"yard","none_of":["1","2"]}`},
		{"like any of a list", `{"field":"kind","reads":{"viewer":"yard"}}`, Attributes{"yard": []any{"a", "b"}}, `{"any":[{"field":"kind","reads":"a"},{"field":"kind","reads":"b"}]}`, `{"any":[{"field":"kind","reads":"a"},{"field":"kind","reads":"b"}]}`},
		{"unlike all of a list", `{"field":"kind","not_contains":{"viewer":"yard"}}`, Attributes{"yard": []any{"a", "b"}}, `{"all":[{"field":"kind","not_contains":"a"},{"field":"kind","not_contains":"b"}]}`, `{"all":[{"field":"kind","not_contains":"a"},{"field":"kind","not_contains":"b"}]}`},
		{"above all of a list", `{"field":"cost","above":{"viewer":"yard"}}`, Attributes{"yard": []any{"1", "2"}}, `{"all":[{"field":"cost","above":"1"},{"field":"cost","above":"2"}]}`, `{"all":[{"field":"cost","above":"1"},{"field":"cost","above":"2"}]}`},
		{"missing", mine, nil, `"every row"`, `{"any":[]}`},
		{"null", mine, Attributes{"yard": nil}, `"every row"`, `{"any":[]}`},
		{"blank", mine, Attributes{"yard": "  "}, `"every row"`, `{"any":[]}`},
		{"an empty list", mine, Attributes{"yard": []any{}}, `"every row"`, `{"any":[]}`},
		{"missing under a negation still gives nothing", `{"not":` + mine + `}`, nil, `"every row"`, `{"any":[]}`},
		{"missing within an any gives nothing", `{"any":[` + mine + `,{"field":"kind","is":"a"}]}`, nil, `{"any":[{"field":"kind","is":"a"}]}`, `{"any":[]}`},
	} {
		cond := parse(t, c.doc)
		got, _ := json.Marshal(cond.ForFilter(c.a))
		assert.JSONEq(t, c.filter, string(got), c.name+", in a filter")
		got, _ = json.Marshal(cond.ForRule(c.a))
		assert.JSONEq(t, c.rule, string(got), c.name+", in a row rule")
	}
}

func TestAndFlattens(t *testing.T) {
	a, b := Compare("kind", Is, "a"), Compare("kind", Is, "b")
	assert.Equal(t, Condition{All: []Condition{a, b, a}}, And(Condition{}, And(a, And(b)), a))
	assert.Equal(t, a, And(a))
	assert.True(t, And().IsZero())
	assert.Equal(t, []string{"due", "kind"}, And(a, Negate(Compare("due", Filled))).Fields())
}

func TestWords(t *testing.T) {
	same := func(s string) string { return s }
	for doc, words := range map[string]string{
		`{"field":"kind","one_of":["a","b","c"]}`:                                                              "kind is one of a, b or c",
		`{"field":"kind","reads":"Refit"}`:                                                                     "kind reads Refit",
		`{"field":"opened","within":{"last":1,"unit":"week"}}`:                                                 "opened this week to date",
		`{"field":"opened","within":"last week"}`:                                                              "opened last week",
		`{"field":"yard","is":{"viewer":"yard"}}`:                                                              "yard is your yard",
		`{"field":"opened","within":{"last":3,"unit":"month"}}`:                                                "opened in the last 3 months",
		`{"all":[{"field":"cost","above":1},{"any":[{"field":"kind","is":""},{"field":"due","empty":true}]}]}`: "cost is above 1 and (kind is (blank) or due is empty)",
	} {
		assert.Equal(t, words, parse(t, doc).Words(nil, same, nil))
	}
}

func FuzzConditionJSON(f *testing.F) {
	f.Add(`{"all":[{"field":"kind","is":"a"},{"not":{"field":"opened","within":{"last":3,"unit":"day"}}}]}`)
	f.Fuzz(func(t *testing.T, doc string) {
		var c Condition
		if json.Unmarshal([]byte(doc), &c) != nil {
			return
		}
		_ = c.Check(sample{})
		_ = c.Words(nil, func(s string) string { return s }, nil)
	})
}

// Conditions within conditions are bounded before they cost anything, in documents and when
// they are made into SQL.
func TestDeepConditionsAreRefused(t *testing.T) {
	nested := func(n int) []byte {
		return []byte(strings.Repeat(`{"not":`, n) + `{"field":"a","filled":true}` + strings.Repeat("}", n))
	}
	var c Condition
	assert.ErrorContains(t, problem.Decode(nested(9000), &c), "more than 64 deep")
	require.NoError(t, problem.Decode(nested(40), &c))
	_, err := c.SQL(Env{})
	assert.ErrorContains(t, err, "at most 32 deep")
	many := Condition{}
	for range Most + 1 {
		many.Any = append(many.Any, Compare("a", Filled))
	}
	_, err = many.SQL(Env{})
	assert.ErrorContains(t, err, "at most 500 comparisons")
}
