package filter

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/statement"
)

// columns knows fields with all that is particular of some.
type columns map[string]Column

func (c columns) Column(name string) (Column, error) {
	col, ok := c[name]
	if !ok {
		return sample{}.Column(name)
	}
	col.Label = name
	return col, nil
}

var particular = columns{
	"folded": {Type: field.Text, KeyType: field.Text, Key: "r.f", Text: "r.f", Folds: true},
	"padded": {Type: field.Text, KeyType: field.Text, Key: "r.p", Text: "r.p", Canon: func(s string) string { return s + "  " }},
	"sure":   {Type: field.Text, KeyType: field.Text, Key: "r.s", Text: "r.s", NotNull: true},
	"tags":   {Type: field.Text, KeyType: field.Text, Key: "r.t", Text: "array_to_string(r.t)", Several: true},
	"hidden": {Type: field.Text, KeyType: field.Integer, Key: "l.id", Raw: "r.yard_id", Text: "l.name"},
	"odd":    {Type: field.Number, KeyType: field.Number, Key: "r.o", Text: "r.o", Finite: "r.o <> 'NaN'", Unreadable: func() string { return "r.o = 'NaN'" }},
	"even":   {Type: field.Number, KeyType: field.Number, Key: "r.e", Text: "r.e", Unreadable: func() string { return "" }},
	"far":    {Type: field.Timestamp, KeyType: field.Timestamp, Key: "r.far", Text: "r.far", Finite: "isfinite(r.far)", Zoned: true},
	"place":  {Type: field.Position, KeyType: field.Position, Key: "r.xy", Text: "r.xy"},
	"late":   {Type: field.Boolean, KeyType: field.Boolean, Key: "r.late", Text: "r.late"},
}

func TestParticularFields(t *testing.T) {
	for doc, want := range map[string]string{
		`{"field":"folded","is":"ÅB"}`:                                        `lower(r.f collate "C.utf8") = $1::text [åb]`,
		`{"field":"folded","none_of":["A","B"]}`:                              `(lower(r.f collate "C.utf8") in ($1::text, $2::text)) is not true [a b]`,
		`{"field":"padded","is":"a"}`:                                         `r.p = $1::text [a  ]`,
		`{"field":"sure","is_not":"a"}`:                                       `not (r.s = $1::text) [a]`,
		`{"field":"tags","is":"a"}`:                                           `exists (select from unnest(r.t) e(v) where e.v = $1::text) [a]`,
		`{"field":"tags","is_not":"a"}`:                                       `not exists (select from unnest(r.t) e(v) where e.v = $1::text) [a]`,
		`{"field":"tags","none_of":["a","b"]}`:                                `not exists (select from unnest(r.t) e(v) where e.v in ($1::text, $2::text)) [a b]`,
		`{"field":"tags","other_than":["a"]}`:                                 `exists (select from unnest(r.t) e(v) where not (e.v = $1::text)) [a]`,
		`{"field":"tags","not_contains":"A"}`:                                 `not exists (select from unnest(r.t) e(v) where position($1::text in lower(e.v collate "C.utf8")) > 0) [a]`,
		`{"field":"tags","reads_not":"A"}`:                                    `not exists (select from unnest(r.t) e(v) where lower(e.v collate "C.utf8") = $1::text) [a]`,
		`{"field":"tags","ends_with":"A"}`:                                    `exists (select from unnest(r.t) e(v) where right(lower(e.v collate "C.utf8"), length($1::text)) = $1::text) [a]`,
		`{"field":"tags","empty":true}`:                                       `r.t is null []`,
		`{"field":"hidden","filled":true}`:                                    `r.yard_id is not null []`,
		`{"field":"hidden","empty":true}`:                                     `r.yard_id is null []`,
		`{"field":"hidden","not_shown":true}`:                                 `(r.yard_id is not null and l.id is null) []`,
		`{"field":"hidden","is":3}`:                                           `l.id = $1::bigint [3]`,
		`{"field":"kind","not_shown":true}`:                                   `(r.kind is not null and r.kind is null) []`,
		`{"field":"odd","unreadable":true}`:                                   `r.o = 'NaN' []`,
		`{"field":"even","unreadable":true}`:                                  `false []`,
		`{"field":"kind","unreadable":true}`:                                  `false []`,
		`{"field":"odd","above":1}`:                                           `(r.o > $1::numeric and r.o <> 'NaN') [1]`,
		`{"field":"odd","below":1}`:                                           `(r.o < $1::numeric and r.o <> 'NaN') [1]`,
		`{"field":"odd","between":[1,2]}`:                                     `(r.o >= $1::numeric and r.o <= $2::numeric) [1 2]`,
		`{"field":"far","within":{"since":"2026-01-01"}}`:                     `(r.far >= $1 and isfinite(r.far)) [2026-01-01 00:00:00 +0000 GMT]`,
		`{"field":"kind","reads":"ÉA"}`:                                       `lower(r.kind collate "C.utf8") = $1::text [éa]`,
		`{"field":"kind","reads_not":"A"}`:                                    `(lower(r.kind collate "C.utf8") = $1::text) is not true [a]`,
		`{"field":"kind","contains":"A"}`:                                     `position($1::text in lower(r.kind collate "C.utf8")) > 0 [a]`,
		`{"field":"late","is":true}`:                                          `r.late = $1::boolean [true]`,
		`{"field":"nights","is":99999999999999999999}`:                        `r.nights = $1::numeric [99999999999999999999]`,
		`{"field":"due","is":"2026-03-01"}`:                                   `r.due = $1::date [2026-03-01 00:00:00 +0000 UTC]`,
		`{"field":"due","part":"weekday","one_of":[6,7]}`:                     `extract(isodow from r.due)::int in ($1::bigint, $2::bigint) [6 7]`,
		`{"field":"due","part":"quarter of year","is":1}`:                     `(((extract(month from r.due)::int + 11) % 12) / 3 + 1) = $1::bigint [1]`,
		`{"field":"due","part":"day of month","above":15}`:                    `extract(day from r.due)::int > $1::bigint [15]`,
		`{"field":"opened","within":{"from":"2026-03-29","to":"2026-03-29"}}`: `(r.opened >= $1 and r.opened < $2) [2026-03-29 00:00:00 +0000 GMT 2026-03-30 00:00:00 +0100 BST]`,
		`{"field":"seen","at_least":"2026-03-29T10:00:00"}`:                   `r.seen >= $1::timestamp [2026-03-29 10:00:00 +0000 UTC]`,
		`{"field":"opened","below":"2026-03-29T10:00:00Z"}`:                   `r.opened < $1::timestamptz [2026-03-29 10:00:00 +0000 UTC]`,
		`{"field":"opened","between":["2026-03-28","2026-03-29"]}`:            `((r.opened >= $1) and (r.opened < $2)) [2026-03-28 00:00:00 +0000 GMT 2026-03-30 00:00:00 +0100 BST]`,
	} {
		london, err := time.LoadLocation("Europe/London")
		require.NoError(t, err)
		b := &statement.Binder{}
		sql, err := parse(t, doc).SQL(Env{Fields: particular, Bind: b, Now: time.Date(2026, 3, 29, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(london)})
		if assert.NoError(t, err, doc) {
			assert.Equal(t, want, sql+" "+fmt.Sprint(b.Args()), doc)
		}
	}
	for doc, words := range map[string]string{
		`{"field":"tags","above":"a"}`:                       "can hold several values",
		`{"field":"kind","other_than":["a"]}`:                "is for several",
		`{"field":"kind","part":"weekday","is":1}`:           "which has no weekday",
		`{"field":"due","part":"hour of day","is":1}`:        "which has no hour of day",
		`{"field":"due","part":"weekday","is":"Monday"}`:     "compared with a value of type integer",
		`{"field":"place","above":1}`:                        "is for numbers and dates",
		`{"named":"gone"}`:                                   "no condition called “gone”",
		`{"all":[{"field":"kind","is":"a"},{"named":"x"}]}`:  "no condition called “x”",
		`{"field":"kind","within":{"last":0,"unit":"day"}}`:  "",
		`{"field":"due","part":"noon","is":1}`:               "one of: month of year",
		`{"field":"","is":1}`:                                "Name a field",
		`{"field":"kind","is":{"viewer":"a","setting":"b"}}`: "Name the attribute",
		`{"field":"kind","is":{}}`:                           "Name the attribute",
		`{"field":"kind","is":[1]}`:                          "A value is a text",
		`{"all":[],"any":[]}`:                                "one of the keys",
		`"some rows"`:                                        "every row",
	} {
		var c Condition
		err := json.Unmarshal([]byte(doc), &c)
		if err == nil {
			err = c.Check(particular)
		}
		assert.ErrorContains(t, err, words, doc)
	}
	long := make([]string, 1001)
	for i := range long {
		long[i] = fmt.Sprintf("%d", i)
	}
	var c Condition
	assert.ErrorContains(t, json.Unmarshal([]byte(`{"field":"cost","one_of":[`+strings.Join(long, ",")+`]}`), &c), "from 1 to 1000")
	assert.NoError(t, json.Unmarshal([]byte(`{"field":"cost","one_of":[`+strings.Join(long[:1000], ",")+`]}`), &c))
}

func TestFiscalQuartersOfTheYear(t *testing.T) {
	cal := period.ISO(time.UTC)
	cal.FiscalStart = time.April
	sql := PartSQL(Column{Text: "r.due"}, period.QuarterOfYear, Env{Bind: &statement.Binder{}, Calendar: cal})
	assert.Equal(t, "(((extract(month from r.due)::int + 8) % 12) / 3 + 1)", sql)
	b := &statement.Binder{}
	zoned := PartSQL(Column{Text: "r.at", Zoned: true, Finite: "isfinite(r.at)"}, period.HourOfDay, Env{Bind: b, Calendar: period.ISO(time.FixedZone("east", 5400))})
	assert.Equal(t, "(case when isfinite(r.at) then extract(hour from ((r.at at time zone 'UTC') + make_interval(secs => 5400)))::int end)", zoned)
	assert.Equal(t, "(r.at at time zone 'UTC')", Wall("r.at", b, period.ISO(time.UTC)))
}

func TestArrays(t *testing.T) {
	for _, c := range []struct {
		t      field.Type
		zoned  bool
		values []string
		want   string
	}{
		{field.Text, false, []string{"a", "b"}, "array[$1::text, $2::text]::text[]"},
		{field.Integer, false, []string{"1"}, "array[$1::bigint]::bigint[]"},
		{field.Integer, false, []string{"1", "99999999999999999999"}, "array[$1::bigint, $2::numeric]::numeric[]"},
		{field.Number, false, []string{"1.5"}, "array[$1::numeric]::numeric[]"},
		{field.Boolean, false, []string{"true"}, "array[$1::boolean]::boolean[]"},
		{field.Date, false, []string{"2026-01-01"}, "array[$1::date]::date[]"},
		{field.Timestamp, false, []string{"2026-01-01T00:00:00"}, "array[$1::timestamp]::timestamp[]"},
		{field.Timestamp, true, []string{"2026-01-01T00:00:00Z"}, "array[$1::timestamptz]::timestamptz[]"},
		{field.Text, false, nil, "array[]::text[]"},
	} {
		var values []field.Value
		for _, s := range c.values {
			v, err := field.Parse(c.t, s)
			require.NoError(t, err)
			values = append(values, v)
		}
		assert.Equal(t, c.want, List(values, c.t, c.zoned, &statement.Binder{}))
	}
}

// The range that conditions on a date set, and what is left of them.
func TestSpans(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	e := Env{Now: time.Date(2026, 3, 29, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(london)}
	due, opened := Column{Type: field.Date}, Column{Type: field.Timestamp, Zoned: true}
	for _, c := range []struct {
		doc      string
		col      Column
		from, to string
		rest     string
		found    bool
	}{
		{`{"field":"d","within":"this month"}`, due, "2026-03-01", "2026-04-01", `"every row"`, true},
		{`{"field":"d","at_least":"2026-03-05"}`, due, "2026-03-05", "", `"every row"`, true},
		{`{"field":"d","above":"2026-03-05"}`, due, "2026-03-06", "", `"every row"`, true},
		{`{"field":"d","below":"2026-03-05"}`, due, "", "2026-03-05", `"every row"`, true},
		{`{"field":"d","at_most":"2026-03-05"}`, due, "", "2026-03-06", `"every row"`, true},
		{`{"field":"d","at_most":"2026-03-29"}`, opened, "", "2026-03-29T23:00:00Z", `"every row"`, true},
		{`{"field":"d","above":"2026-03-05T10:00:00Z"}`, opened, "2026-03-05T10:00:00.000001Z", "", `"every row"`, true},
		{`{"all":[{"field":"d","within":"this year"},{"field":"k","is":"a"},{"field":"d","below":"2026-02-01"}]}`, due, "2026-01-01", "2026-02-01", `{"field":"k","is":"a"}`, true},
		{`{"field":"d","is":"2026-03-05"}`, due, "", "", `{"field":"d","is":"2026-03-05"}`, false},
		{`{"field":"d","part":"weekday","above":3}`, due, "", "", `{"field":"d","part":"weekday","above":"3"}`, false},
		{`{"any":[{"field":"d","within":"this year"},{"field":"k","is":"a"}]}`, due, "", "", `{"any":[{"field":"d","within":"this year"},{"field":"k","is":"a"}]}`, false},
		{`{"field":"d","between":["2026-03-05","2026-03-06"]}`, due, "", "", `{"field":"d","between":["2026-03-05","2026-03-06"]}`, false},
		{`{"field":"d","above":{"viewer":"since"}}`, due, "", "", `{"field":"d","above":{"viewer":"since"}}`, false},
		{`{"field":"d","above":"soon"}`, due, "", "", `{"field":"d","above":"soon"}`, false},
	} {
		r, rest, found := parse(t, c.doc).Span("d", c.col, e)
		at := func(s string) time.Time {
			if s == "" {
				return time.Time{}
			}
			if len(s) == 10 {
				s += "T00:00:00Z"
			}
			v, err := time.Parse(time.RFC3339Nano, s)
			require.NoError(t, err)
			return v
		}
		assert.True(t, r.From.Equal(at(c.from)) && r.To.Equal(at(c.to)), "%s: %v", c.doc, r)
		got, _ := json.Marshal(rest)
		assert.JSONEq(t, c.rest, string(got), c.doc)
		assert.Equal(t, c.found, found, c.doc)
	}
}

func TestWhatNamesStandFor(t *testing.T) {
	kept := map[string]Condition{"dear": Compare("cost", Above, "500"), "loop": {Named: "loop"}, "twice": {All: []Condition{{Named: "dear"}, Compare("kind", Is, "a")}}}
	ctx := Context{Viewer: Attributes{"yard": []string{"1", "2"}, "pay": 2.5, "old": true, "n": 7, "big": int64(8)}, Settings: map[string]string{"limit": "750"}, Named: func(name string) (Condition, bool) { c, ok := kept[name]; return c, ok }}
	for doc, want := range map[string]string{
		`{"named":"dear"}`:                                                                 `{"field":"cost","above":"500"}`,
		`{"not":{"named":"twice"}}`:                                                        `{"not":{"all":[{"field":"cost","above":"500"},{"field":"kind","is":"a"}]}}`,
		`{"named":"gone"}`:                                                                 `{"named":"gone"}`,
		`{"named":"loop"}`:                                                                 `{"named":"loop"}`,
		`{"field":"cost","above":{"setting":"limit"}}`:                                     `{"field":"cost","above":"750"}`,
		`{"field":"cost","above":{"setting":"none"}}`:                                      `"every row"`,
		`{"not":{"field":"cost","above":{"setting":"none"}}}`:                              `"every row"`,
		`{"field":"cost","is":{"viewer":"pay"}}`:                                           `{"field":"cost","is":"2.5"}`,
		`{"field":"late","is":{"viewer":"old"}}`:                                           `{"field":"late","is":"true"}`,
		`{"field":"cost","between":[{"viewer":"n"},{"viewer":"big"}]}`:                     `{"field":"cost","between":["7","8"]}`,
		`{"field":"cost","between":[{"viewer":"n"},{"viewer":"gone"}]}`:                    `"every row"`,
		`{"field":"yard","is_not":{"viewer":"yard"}}`:                                      `{"field":"yard","none_of":["1","2"]}`,
		`{"field":"tags","other_than":{"viewer":"yard"}}`:                                  `{"field":"tags","other_than":["1","2"]}`,
		`{"field":"kind","starts_with":{"viewer":"yard"}}`:                                 `{"any":[{"field":"kind","starts_with":"1"},{"field":"kind","starts_with":"2"}]}`,
		`{"field":"kind","reads_not":{"viewer":"yard"}}`:                                   `{"all":[{"field":"kind","reads_not":"1"},{"field":"kind","reads_not":"2"}]}`,
		`{"any":[{"field":"yard","is":{"viewer":"gone"}}]}`:                                `"every row"`,
		`{"all":[{"field":"yard","is":{"viewer":"gone"}},{"field":"kind","filled":true}]}`: `{"all":[{"field":"kind","filled":true}]}`,
	} {
		got, _ := json.Marshal(parse(t, doc).In(ctx))
		assert.JSONEq(t, want, string(got), doc)
	}
	c := parse(t, `{"all":[{"field":"yard","is":{"viewer":"yard"}},{"not":{"field":"boat","is":{"viewer":"boat"}}},{"any":[{"field":"x","is":{"viewer":"yard"}},{"field":"cost","above":{"setting":"limit"}}]}]}`)
	assert.Equal(t, []string{"yard", "boat"}, c.Attributes())
	assert.Equal(t, []string{"limit"}, c.Settings())
	assert.True(t, c.Borrows())
	assert.True(t, Condition{Named: "dear"}.Borrows())
	assert.False(t, parse(t, `{"field":"yard","is":{"viewer":"yard"}}`).Borrows())
	deep := kept["dear"]
	for range 12 {
		inner := deep
		deep = Condition{Not: &inner}
	}
	assert.Equal(t, deep, deep.Unfolded(nil))
}

// Whether records without any value could meet a condition.
func TestConditionsThatNeedAValue(t *testing.T) {
	for doc, want := range map[string]bool{
		`{"field":"k","is":"a"}`: true, `{"field":"k","is_not":"a"}`: false, `{"field":"k","one_of":["a"]}`: true, `{"field":"k","none_of":["a"]}`: false,
		`{"field":"k","empty":true}`: false, `{"field":"k","filled":true}`: true, `{"field":"k","contains":"a"}`: true, `{"field":"k","not_contains":"a"}`: false, `{"field":"k","reads_not":"a"}`: false,
		`{"field":"k","not_shown":true}`: false, `{"field":"k","unreadable":true}`: false, `{"field":"k","other_than":["a"]}`: true, `{"field":"d","within":"today"}`: true,
		`{"all":[{"field":"k","is_not":"a"},{"field":"k","is":"b"}]}`: true, `{"all":[{"field":"k","is_not":"a"}]}`: false,
		`{"any":[{"field":"k","is_not":"a"},{"field":"k","is":"b"}]}`: false, `{"any":[{"field":"k","is":"a"},{"field":"k","is":"b"}]}`: true,
		`{"not":{"field":"k","is":"a"}}`: false, `{"any":[]}`: true, `"every row"`: false, `{"named":"x"}`: false,
	} {
		assert.Equal(t, want, parse(t, doc).NeedsValue(), doc)
	}
}

func TestOperators(t *testing.T) {
	suits := map[field.Type]string{
		field.Text:      "is is_not one_of none_of empty filled contains not_contains starts_with ends_with reads reads_not",
		field.Integer:   "is is_not one_of none_of empty filled above at_least below at_most between",
		field.Number:    "is is_not one_of none_of empty filled above at_least below at_most between",
		field.Boolean:   "is is_not one_of none_of empty filled",
		field.Date:      "is is_not one_of none_of empty filled above at_least below at_most between within",
		field.Timestamp: "is is_not one_of none_of empty filled above at_least below at_most between within",
		field.Position:  "empty filled",
	}
	for kind, want := range suits {
		var got []string
		for _, op := range Ops() {
			if op.Suits(kind) {
				got = append(got, string(op))
			}
		}
		assert.Equal(t, want, strings.Join(got, " "), kind.String())
	}
	var several []string
	for _, op := range Ops() {
		assert.NotEmpty(t, op.Words(), op)
		if words, ok := op.Several(); ok {
			several = append(several, words)
		}
	}
	assert.Equal(t, "reads, in any case", Reads.Words())
	assert.Equal(t, "lies", Within.Words())
	assert.Len(t, several, 13)
	assert.True(t, slices.Contains(several, "has any"))
}

func TestWordsOfEveryKind(t *testing.T) {
	label := func(s string) string { return strings.ToUpper(s) }
	shown := func(of, literal string) string { return of + ":" + literal }
	for doc, words := range map[string]string{
		`"every row"`:                    "every record",
		`{"any":[]}`:                     "no record",
		`{"named":"dear"}`:               "?DEAR",
		`{"not":{"field":"k","is":"a"}}`: "not (K is k:a)",
		`{"field":"d","part":"weekday","one_of":[6,7]}`: "weekday of D is one of Saturday or Sunday",
		`{"field":"d","part":"weekday","is":"x"}`:       "weekday of D is",
		`{"field":"k","between":[1,2]}`:                 "K is between k:1 and k:2",
		`{"field":"k","one_of":["a"]}`:                  "K is k:a",
		`{"field":"k","above":{"setting":"limit"}}`:     "K is above LIMIT",
		`{"field":"k","is":{"viewer":"home_yard"}}`:     "K is your home yard",
		`{"field":"k","filled":true}`:                   "K is filled",
		`{"any":[{"field":"k","is":"a"},{"all":[{"field":"k","is":"b"},{"field":"k","is":"c"}]},{"all":[{"field":"k","is":"d"}]}]}`: "K is k:a or (K is k:b and K is k:c) or K is k:d",
	} {
		assert.Equal(t, words, strings.TrimSuffix(parse(t, doc).Words(nil, label, shown), " -1"), doc)
	}
}
