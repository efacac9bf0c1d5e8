package calc_test

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/source"
	"eskadel/source/sourcetest"
)

// A record of the table that random definitions run over; nil is NULL.
type record struct {
	id     int
	at     *time.Time
	due    *time.Time
	kind   *string
	place  *int
	amount *string
	nights *int
	rough  *float64
	tags   []*string // some twice, some without a value
}

// places are the linked records; two share a name, which must stay two groups. keyed is
// what identifies them.
var (
	places = []string{"North", "South", "East", "South"}
	keyed  = plainKeys
)

// keys are what identify linked records, as their marks and conditions hold it.
type keys struct {
	kind   field.Type
	values [4]string
}

var plainKeys = keys{field.Integer, [4]string{"1", "2", "3", "4"}}

func someRecords(t *rapid.T, now time.Time) []record {
	n := rapid.IntRange(0, 60).Draw(t, "records")
	out := make([]record, n)
	for i := range out {
		r := &out[i]
		r.id = i + 1
		if rapid.IntRange(0, 9).Draw(t, "has at") > 0 {
			at := now.Add(-time.Duration(rapid.IntRange(-300, 9000).Draw(t, "hours ago")) * time.Hour).Truncate(time.Second)
			r.at = &at
		}
		if rapid.Bool().Draw(t, "has due") {
			due := now.AddDate(0, 0, rapid.IntRange(-400, 200).Draw(t, "due"))
			due = time.Date(due.Year(), due.Month(), due.Day(), 0, 0, 0, 0, time.UTC)
			r.due = &due
		}
		if rapid.IntRange(0, 9).Draw(t, "has kind") > 0 {
			kind := rapid.SampledFrom([]string{"a", "B", "", "item 10", "item 2", "é", "Others"}).Draw(t, "kind")
			r.kind = &kind
		}
		if rapid.IntRange(0, 9).Draw(t, "has place") > 0 {
			place := rapid.IntRange(1, len(places)).Draw(t, "place")
			r.place = &place
		}
		if rapid.IntRange(0, 9).Draw(t, "has amount") > 0 {
			amount := apd.New(int64(rapid.IntRange(-9999, 99999).Draw(t, "amount")), -2).Text('f')
			r.amount = &amount
		}
		if rapid.Bool().Draw(t, "has nights") {
			nights := rapid.IntRange(-3, 14).Draw(t, "nights")
			r.nights = &nights
		}
		if rapid.Bool().Draw(t, "has rough") {
			rough := rapid.SampledFrom([]float64{0.1, 0.2, 0.3, 1e15, -7.25}).Draw(t, "rough")
			r.rough = &rough
		}
		for range rapid.IntRange(0, 3).Draw(t, "tags") {
			tag := rapid.SampledFrom([]string{"", "dry", "Wet", "item 2", "é", "none"}).Draw(t, "tag")
			if r.tags = append(r.tags, &tag); tag == "none" {
				r.tags[len(r.tags)-1] = nil
			}
		}
	}
	return out
}

const randomSchema = `create table place (id int primary key, name text not null);
create table item (id int primary key, at timestamptz, due date, kind text, place_id int references place, amount numeric(12,2), nights int, rough float8, tags text[]);
insert into place values (1, 'North'), (2, 'South'), (3, 'East'), (4, 'South');`

var randomDataset = `{"version":1,"name":"items","title":"Items","record":["item","items"],"source":"test","from":{"table":"item"},"key":["id"],
"fields":[{"name":"at","column":"at","time":"happened"},{"name":"due","column":"due","time":"planned"},{"name":"kind","column":"kind"},
{"name":"place","link":["place_id"],"show":"name"},{"name":"place_name","link":["place_id"],"column":"name"},{"name":"amount","column":"amount"},{"name":"nights","column":"nights"},{"name":"rough","column":"rough"},{"name":"tags","column":"tags","several":true},{"name":"band","bins":{"of":"nights","width":"3","start":"0","count":4}}],
"row_rules":[{"roles":["all"],"where":"every row"},{"roles":["some"],"where":{"field":"place","is":{"viewer":"place"}}}]}`

// each is a record once for each different value of its tags, none of which is as empty.
func (r record) each() (out []field.Value) {
	seen := map[string]bool{}
	for _, tag := range r.tags {
		if tag != nil && !seen[*tag] {
			seen[*tag] = true
			out = append(out, field.OfText(*tag))
		}
	}
	return out
}

// tagged decides a condition on the tags: one of them meets it, or none.
func (r record) tagged(c filter.Condition) bool {
	any := func(op filter.Op) bool {
		return slices.ContainsFunc(r.each(), func(v field.Value) bool {
			return record{kind: pointer(v.Exact())}.meets(filter.Condition{Field: "kind", Op: op, Values: c.Values}, time.Time{}, period.Calendar{})
		})
	}
	switch c.Op {
	case filter.Empty, filter.Filled:
		return (len(r.each()) == 0) == (c.Op == filter.Empty)
	case filter.IsNot, filter.NoneOf:
		return !any(filter.OneOf)
	case filter.NotContains:
		return !any(filter.Contains)
	case filter.OtherThan:
		return any(filter.NoneOf)
	}
	return any(c.Op)
}

func pointer(s string) *string { return &s }

// binless tells whether a record lies in none of the bins of its nights.
func (r record) binless() bool { return r.nights != nil && (*r.nights < 0 || *r.nights > 12) }

// value is a record's field as an exact value.
func (r record) value(name string) field.Value {
	number := func(s string) field.Value {
		v, err := field.Parse(field.Number, s)
		if err != nil {
			panic(err)
		}
		return v
	}
	switch {
	case name == "at" && r.at != nil:
		return field.OfTime(*r.at)
	case name == "due" && r.due != nil:
		return field.OfDate(*r.due)
	case name == "kind" && r.kind != nil:
		return field.OfText(*r.kind)
	case name == "place" && r.place != nil:
		v, err := field.Parse(keyed.kind, keyed.values[*r.place-1])
		if err != nil {
			panic(err)
		}
		return v
	case name == "place_name" && r.place != nil:
		return field.OfText(places[*r.place-1])
	case name == "amount" && r.amount != nil:
		return number(*r.amount)
	case name == "nights" && r.nights != nil:
		return field.OfInt(int64(*r.nights))
	case name == "band" && r.nights != nil && !r.binless():
		return field.OfInt(int64(min(*r.nights/3*3, 9))) // the last bin has both its borders
	case name == "rough" && r.rough != nil:
		return number(fmt.Sprintf("%.15g", *r.rough))
	}
	return field.Value{}
}

// meets decides a condition the plain way.
func (r record) meets(c filter.Condition, now time.Time, cal period.Calendar) bool {
	switch {
	case len(c.All) > 0:
		for _, p := range c.All {
			if !r.meets(p, now, cal) {
				return false
			}
		}
		return true
	case len(c.Any) > 0:
		for _, p := range c.Any {
			if r.meets(p, now, cal) {
				return true
			}
		}
		return false
	case c.Not != nil:
		return !r.meets(*c.Not, now, cal)
	case c.IsZero():
		return true
	}
	if c.Field == "tags" {
		return r.tagged(c)
	}
	v := r.value(c.Field)
	is := func() bool {
		for _, o := range c.Values {
			if !v.IsEmpty() && v.Exact() == o.Literal {
				return true
			}
		}
		return false
	}
	switch c.Op {
	case filter.Is, filter.OneOf:
		return is()
	case filter.IsNot, filter.NoneOf:
		return !is()
	case filter.Empty:
		return v.IsEmpty()
	case filter.Filled:
		return !v.IsEmpty()
	case filter.Contains:
		return !v.IsEmpty() && strings.Contains(filter.Lower(v.Exact()), filter.Lower(c.Values[0].Literal))
	case filter.Reads:
		return !v.IsEmpty() && filter.Lower(v.Exact()) == filter.Lower(c.Values[0].Literal)
	case filter.ReadsNot:
		return v.IsEmpty() || filter.Lower(v.Exact()) != filter.Lower(c.Values[0].Literal)
	case filter.Above:
		limit, _ := field.Parse(field.Number, c.Values[0].Literal)
		return !v.IsEmpty() && v.Decimal().Cmp(limit.Decimal()) > 0
	case filter.Within:
		if c.Field == "due" {
			now, cal = cal.Wall(now), cal.Civil()
		}
		return !v.IsEmpty() && c.Range.Resolve(now, cal).Contains(v.Time())
	}
	panic("not in the reference: " + string(c.Op))
}

func someCondition(t *rapid.T, depth int) filter.Condition {
	if depth > 0 && rapid.IntRange(0, 2).Draw(t, "combined") == 0 {
		parts := []filter.Condition{someCondition(t, depth-1), someCondition(t, depth-1)}
		switch rapid.IntRange(0, 2).Draw(t, "how") {
		case 0:
			return filter.Condition{All: parts}
		case 1:
			return filter.Condition{Any: parts}
		}
		return filter.Negate(parts[0])
	}
	switch rapid.IntRange(0, 11).Draw(t, "condition") {
	case 0:
		return filter.Compare("kind", rapid.SampledFrom([]filter.Op{filter.IsNot, filter.Reads, filter.ReadsNot}).Draw(t, "text"), "a")
	case 1:
		return filter.Compare("kind", filter.OneOf, "B", "")
	case 2:
		return filter.Compare("kind", filter.Contains, "ITEM")
	case 3:
		return filter.Compare("place", filter.NoneOf, keyed.values[0], keyed.values[3])
	case 4:
		return filter.Compare("due", filter.Empty)
	case 5:
		return filter.Compare("amount", filter.Above, "12.5")
	case 6:
		return filter.Compare("place_name", filter.OneOf, "South", "West")
	case 7:
		return filter.Compare("place_name", filter.Contains, "OUTH")
	case 8:
		return filter.During("due", period.Relative{Named: "this quarter"})
	case 9:
		op := rapid.SampledFrom([]filter.Op{filter.Is, filter.IsNot, filter.OneOf, filter.NoneOf, filter.OtherThan, filter.Contains, filter.NotContains, filter.Reads, filter.Empty, filter.Filled}).Draw(t, "of tags")
		switch op {
		case filter.Empty, filter.Filled:
			return filter.Compare("tags", op)
		case filter.OneOf, filter.NoneOf, filter.OtherThan:
			return filter.Compare("tags", op, "dry", "", "é")
		}
		return filter.Compare("tags", op, "wet")
	}
	if rapid.IntRange(0, 2).Draw(t, "open-ended") == 0 {
		date, day := rapid.SampledFrom([]string{"at", "due"}).Draw(t, "date"), rapid.SampledFrom([]string{"2025-11-30", "2026-02-28", "2026-10-01"}).Draw(t, "day")
		return filter.During(date, period.Relative{Since: day})
	}
	return filter.During("at", period.Relative{Last: rapid.IntRange(1, 9).Draw(t, "last"), Unit: rapid.SampledFrom(period.Units()).Draw(t, "unit")})
}

func someDefinition(t *rapid.T) query.Definition {
	d := query.Definition{Version: query.Version, Dataset: "items"}
	for range rapid.IntRange(1, 2).Draw(t, "measures") {
		m := query.Measure{Aggregate: rapid.SampledFrom(aggregate.All()).Draw(t, "aggregate").Name, Field: rapid.SampledFrom([]string{"amount", "nights", "rough"}).Draw(t, "measured")}
		if m.Aggregate == aggregate.Count && rapid.Bool().Draw(t, "of records") {
			m.Field = query.Records
		}
		if m.Aggregate == aggregate.Percentile {
			m.P = rapid.SampledFrom([]string{"0", "0.25", "0.9", "1"}).Draw(t, "p")
		}
		if rapid.IntRange(0, 3).Draw(t, "measure where") == 0 {
			c := someCondition(t, 0)
			m.Where = &c
		}
		d.Measures = append(d.Measures, m)
	}
	if rapid.IntRange(0, 4).Draw(t, "two levels") == 0 {
		per := rapid.SampledFrom([]query.Per{{Field: "at", Grain: period.Week}, {Field: "due", Grain: period.Month}, {Field: "at", Grain: period.Day}, {Field: "kind"}, {Field: "place"}}).Draw(t, "per")
		for i, m := range d.Measures {
			of := query.Measure{Aggregate: rapid.SampledFrom([]aggregate.Name{aggregate.Sum, aggregate.Count, aggregate.Average, aggregate.Smallest, aggregate.Largest}).Draw(t, "inner"), Field: "amount"}
			if of.Aggregate == aggregate.Count {
				of.Field = query.Records
			}
			d.Measures[i] = query.Measure{Aggregate: rapid.SampledFrom([]aggregate.Name{aggregate.Average, aggregate.Median, aggregate.Smallest, aggregate.Largest, aggregate.Percentile, aggregate.Spread}).Draw(t, "outer"), Of: &of, Per: &per, Where: m.Where}
			if d.Measures[i].Aggregate == aggregate.Percentile {
				d.Measures[i].P = "0.9"
			}
		}
	}
	names := rapid.Permutation([]string{"at", "kind", "place", "place_name", "nights", "tags", "band"}).Draw(t, "dimensions")
	date := rapid.SampledFrom([]string{"at", "due"}).Draw(t, "date")
	dim := func(name string) query.Dimension {
		if name == "at" {
			return query.Dimension{Field: date, Grain: rapid.SampledFrom(period.Grains()[3:]).Draw(t, "grain")}
		}
		out := query.Dimension{Field: name}
		if rapid.Bool().Draw(t, "cut") {
			out.Largest = rapid.IntRange(1, 4).Draw(t, "largest")
			out.Others = true
			if rapid.IntRange(0, 3).Draw(t, "smallest") == 0 {
				out.Largest, out.Smallest = 0, out.Largest
			}
			if len(d.Measures) > 1 && rapid.Bool().Draw(t, "ranked by the second") {
				out.Sort = &query.Sort{By: "measure", Measure: 1, Descending: rapid.Bool().Draw(t, "descending")}
			}
		}
		return out
	}
	for i := range rapid.IntRange(0, 2).Draw(t, "groups") {
		next := dim(names[i])
		if i > 0 && names[i-1] != "at" && next.Others && rapid.Bool().Draw(t, "within") {
			merged := true
			for _, m := range d.Measures {
				merged = merged && m.Aggregate != aggregate.Median && m.Aggregate != aggregate.Distinct && m.Aggregate != aggregate.Percentile
			}
			next.Within = merged
		}
		d.By = append(d.By, next)
	}
	if len(d.By) > 0 && rapid.Bool().Draw(t, "has split") {
		split := dim(names[4])
		d.Split = &split
	}
	for _, dim := range d.Dimensions() {
		if dim.Field == "tags" { // groups overlap then, and nothing is cut within them
			for i := range d.By {
				d.By[i].Within = false
			}
		}
	}
	if rapid.Bool().Draw(t, "has where") {
		c := someCondition(t, 2)
		d.Where = &c
	}
	return d
}

// measure computes one measure over records, the plain way.
func measure(m query.Measure, records []record, now time.Time, cal period.Calendar) string {
	var values []*apd.Decimal
	count := 0
	if m.Of != nil {
		groups := map[string][]record{}
		for _, r := range records {
			v := r.value(m.Per.Field)
			if v.IsEmpty() || m.Where != nil && !r.meets(*m.Where, now, cal) {
				continue
			}
			name := v.Exact()
			if m.Per.Grain != 0 {
				of := cal
				if m.Per.Field == "due" {
					of = cal.Civil()
				}
				name = of.Floor(v.Time(), m.Per.Grain).Format(time.DateOnly)
			}
			groups[name] = append(groups[name], r)
		}
		for _, group := range groups {
			if v, err := field.Parse(field.Number, measure(*m.Of, group, now, cal)); err == nil {
				values = append(values, v.Decimal())
			}
		}
		records = nil
	}
	for _, r := range records {
		if m.Where != nil && !r.meets(*m.Where, now, cal) {
			continue
		}
		count++
		if v := r.value(m.Field); !v.IsEmpty() {
			values = append(values, v.Decimal())
		}
	}
	sort.Slice(values, func(i, j int) bool { return values[i].Cmp(values[j]) < 0 })
	show := func(d *apd.Decimal) string { var r apd.Decimal; r.Reduce(d); return r.Text('f') }
	ctx := apd.BaseContext.WithPrecision(34)
	ctx.Rounding = apd.RoundHalfUp
	sum := apd.New(0, 0)
	different := map[string]bool{}
	for _, v := range values {
		_, _ = apd.BaseContext.Add(sum, sum, v)
		different[show(v)] = true
	}
	n := len(values)
	if m.Aggregate == aggregate.Count && m.Field == query.Records {
		return fmt.Sprint(count)
	}
	switch m.Aggregate {
	case aggregate.Count:
		return fmt.Sprint(n)
	case aggregate.Distinct:
		return fmt.Sprint(len(different))
	}
	if n == 0 {
		return ""
	}
	switch m.Aggregate {
	case aggregate.Sum:
		return show(sum)
	case aggregate.Smallest:
		return show(values[0])
	case aggregate.Largest:
		return show(values[n-1])
	case aggregate.Percentile:
		// The place p·(n−1), counted from 0; between two places in proportion.
		p, place, low := new(apd.Decimal), new(apd.Decimal), new(apd.Decimal)
		_, _, _ = p.SetString(m.P)
		_, _ = apd.BaseContext.Mul(place, p, apd.New(int64(n-1), 0))
		_, _ = ctx.Floor(low, place)
		at, _ := low.Int64()
		_, _ = apd.BaseContext.Sub(place, place, low)
		_, _ = apd.BaseContext.Sub(sum, values[min(int(at)+1, n-1)], values[at])
		_, _ = apd.BaseContext.Mul(sum, sum, place)
		_, _ = apd.BaseContext.Add(sum, sum, values[at])
		return show(sum)
	case aggregate.Spread:
		if n < 2 {
			return ""
		}
		wide := apd.BaseContext.WithPrecision(300)
		mean, squares, off := new(apd.Decimal), apd.New(0, 0), new(apd.Decimal)
		_, _ = wide.Quo(mean, sum, apd.New(int64(n), 0))
		for _, v := range values {
			_, _ = wide.Sub(off, v, mean)
			_, _ = wide.Mul(off, off, off)
			_, _ = wide.Add(squares, squares, off)
		}
		_, _ = wide.Quo(squares, squares, apd.New(int64(n-1), 0))
		_, _ = wide.Sqrt(sum, squares)
		_, _ = ctx.WithPrecision(34).Round(sum, sum)
		return show(sum)
	case aggregate.Median:
		_, _ = apd.BaseContext.Add(sum, values[(n-1)/2], values[n/2])
		n = 2
	}
	_, _ = ctx.Quo(sum, sum, apd.New(int64(n), 0))
	return show(sum)
}

// sameNumber tells whether two results are the same; the spread, which is a root, to 25 digits.
func sameNumber(m query.Measure, want, got string) bool {
	if m.Aggregate != aggregate.Spread || want == "" || got == "" {
		return want == got
	}
	var a, b apd.Decimal
	_, _, _ = a.SetString(want)
	_, _, _ = b.SetString(got)
	ctx := apd.BaseContext.WithPrecision(25)
	_, _ = ctx.Round(&a, &a)
	_, _ = ctx.Round(&b, &b)
	_, _ = ctx.Sub(&a, &a, &b)
	return a.IsZero() || a.Abs(&a).Cmp(apd.New(1, -15)) < 0
}

func shown(v field.Value) string {
	if v.IsEmpty() {
		return ""
	}
	var r apd.Decimal
	r.Reduce(v.Decimal())
	return r.Text('f')
}

// inKey tells whether a record belongs to a key, kept being the values that are not Others.
func (r record) inKey(d query.Dimension, k calc.Key, kept []string) bool {
	v := r.value(d.Field)
	switch {
	case d.Field == "band" && r.binless():
		return false // it cannot be placed
	case k.Kind == calc.Whole:
		return true
	case d.Field == "tags" && k.Kind == calc.None:
		return r.tagged(filter.Compare("tags", filter.Empty))
	case d.Field == "tags" && k.Kind == calc.One:
		return r.tagged(filter.Compare("tags", filter.Is, k.Value.Exact()))
	case d.Field == "tags":
		return r.tagged(filter.Compare("tags", filter.OtherThan, kept...))
	}
	switch k.Kind {
	case calc.None:
		return v.IsEmpty()
	case calc.One:
		return !v.IsEmpty() && v.Exact() == k.Value.Exact()
	case calc.Others:
		if d.Within {
			kept = k.Not
		}
		for _, s := range kept {
			if v.Exact() == s {
				return false
			}
		}
		return !v.IsEmpty()
	}
	return !v.IsEmpty() && !v.Time().Before(k.From) && v.Time().Before(k.To)
}

type asker struct {
	t   *testing.T
	src *source.Source
	ds  *dataset.Dataset
}

// ask runs a definition the way the program does, in both ways of grouping.
func (a asker) ask(t *rapid.T, d query.Definition, s query.Setting, v rule.Viewer, rolled bool) *calc.Table {
	return (&asking{asker: a, now: s, rolled: rolled, viewer: v}).answer(t, d)
}

// behind lists the records that a reference leads to, with the measure over them and their number.
func (a asker) behind(t *rapid.T, d query.Definition, s query.Setting, v rule.Viewer, r marks.Reference) (field.Value, int64, source.Rows) {
	p, err := planner.NewRecords(d, a.ds, s, r)
	require.NoError(t, err)
	sealed, err := rule.SealAll(p, v)
	require.NoError(t, err)
	rows, err := a.src.Run(context.Background(), sealed)
	require.NoError(t, err)
	total, count := calc.Single(p, rows[0])
	return total, count, rows[1]
}

func newAsker(t *testing.T, name string) (asker, *pgx.Conn) {
	conn, src := sourcetest.Connect(t, name, randomSchema)
	c, err := src.Introspect(context.Background())
	require.NoError(t, err)
	everyRow, err := dataset.ReadRules([]byte(`{"version":1,"source":"test","tables":[{"table":"item","row_rules":[{"roles":["everyone"],"where":"every row"}]},{"table":"place","row_rules":[{"roles":["everyone"],"where":"every row"}]}]}`))
	require.NoError(t, err)
	c, err = c.With(everyRow)
	require.NoError(t, err)
	c.Table("public.place").Rows = 4
	doc, err := dataset.Read([]byte(randomDataset))
	require.NoError(t, err)
	ds, err := dataset.Resolve(doc, c, nil)
	require.NoError(t, err)
	// As the statistics of a filled table would say; they choose how a question is asked.
	for _, name := range []string{"nights", "amount", "kind", "place"} {
		ds.Find(name).Distinct = 10
	}
	ds.Table.Rows = 1_000_000
	return asker{t, src, ds}, conn
}

func fill(t require.TestingT, conn *pgx.Conn, records []record) {
	ctx := context.Background()
	_, err := conn.Exec(ctx, "truncate item")
	require.NoError(t, err)
	batch := &pgx.Batch{}
	for _, r := range records {
		batch.Queue("insert into item values ($1,$2,$3,$4,$5,$6::text::numeric,$7,$8,$9)", r.id, r.at, r.due, r.kind, r.place, r.amount, r.nights, r.rough, r.tags)
	}
	require.NoError(t, conn.SendBatch(ctx, batch).Close())
}

// Every cell and total of random definitions over random records equals what a plain
// loop over the records gives; both ways of grouping give the same table; and the
// records behind each mark are as many as the loop finds and give the mark's value.
func TestRandomDefinitionsAgreeWithThePlainWay(t *testing.T) {
	a, conn := newAsker(t, "random_definitions")
	rapid.Check(t, func(t *rapid.T) {
		agree(t, a, func(records []record) { fill(t, conn, records) })
	})
}

// agree compares one random definition over random records, which put puts in their table.
func agree(t *rapid.T, a asker, put func([]record)) {
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	now := time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC)
	cal := period.ISO(london)
	records := someRecords(t, now)
	put(records)
	d := someDefinition(t)
	require.NoError(t, d.Check(a.ds))
	viewer := rule.Viewer{Roles: []string{"all"}}
	allowed := filter.Condition{}
	if rapid.Bool().Draw(t, "restricted") {
		viewer = rule.Viewer{Roles: []string{"some"}, Attributes: filter.Attributes{"place": keyed.values[1]}}
		allowed = filter.Compare("place", filter.Is, keyed.values[1])
	}
	setting := query.Setting{Now: now, Calendar: cal}
	table := a.ask(t, d, setting, viewer, false)
	compare(t, table, a.ask(t, d, setting, viewer, true))

	where := allowed
	if d.Where != nil {
		where = filter.And(allowed, *d.Where)
	}
	span, axis := table.Plan.PlacedRange()
	kept := table.Kept()
	dims := d.Dimensions()
	behind := func(keys []calc.Key) []record {
		var out []record
		for _, r := range records {
			in := r.meets(where, now, cal)
			for i, dim := range dims {
				in = in && r.inKey(dim, keys[i], kept[i])
				if v := r.value(dim.Field); dim.Field == "at" || dim.Field == "due" {
					in = in && axis && !v.IsEmpty() && span.Contains(v.Time())
				}
			}
			if in {
				out = append(out, r)
			}
		}
		return out
	}
	check := func(what string, keys []calc.Key, got []field.Value) {
		want := behind(keys)
		if unbound(records, allowed, dims, keys, now, cal) {
			for i := range got {
				require.True(t, got[i].IsEmpty(), "%s: nothing is filled before the first record, and of a plan after the last", what)
			}
			return
		}
		for i, m := range d.Measures {
			expected := measure(m, want, now, cal)
			if len(want) == 0 && expected == "" && m.Aggregate == aggregate.Sum {
				expected = "0" // an empty group is filled with 0 for counts and sums
			}
			require.True(t, sameNumber(m, expected, shown(got[i])), "%s, measure %d of %v: %s, not %s\n%s", what, i, keys, shown(got[i]), expected, written(d))
		}
	}
	for g, group := range table.Groups {
		for s, split := range table.Splits {
			keys := append([]calc.Key{}, group...)
			keys = append(keys, split...)
			unbegun := false
			for _, k := range keys {
				unbegun = unbegun || !k.Begun
			}
			if table.IsEmpty() || unbegun {
				continue
			}
			check("cell", keys, table.Cell(g, s))
			if g%3 == 0 {
				a.checkDrawer(t, d, setting, viewer, table, keys, len(behindWhere(behind(keys), d.Measures[0], now, cal)), table.Cell(g, s)[0])
			}
		}
	}
	check("total", make([]calc.Key, len(dims)), table.Total())
	for _, u := range table.Unplaced {
		_, count, _ := a.behind(t, d, setting, viewer, u.Reference(table, 0))
		require.Equal(t, u.Count, count, "the records that are %s are listed", u.Why)
	}
}

// unbound tells whether a step lies before the first of the records that a viewer may see,
// or of a plan after the last.
func unbound(records []record, allowed filter.Condition, dims []query.Dimension, keys []calc.Key, now time.Time, cal period.Calendar) bool {
	for i, k := range keys {
		if k.Kind != calc.Step {
			continue
		}
		before, after := true, dims[i].Field == "due"
		for _, r := range records {
			if v := r.value(dims[i].Field); !v.IsEmpty() && r.meets(allowed, now, cal) {
				before = before && !v.Time().Before(k.To)
				after = after && v.Time().Before(k.From)
			}
		}
		return before || after
	}
	return false
}

// written is a definition as documents have it.
func written(d query.Definition) string { b, _ := json.Marshal(d); return string(b) }

func behindWhere(records []record, m query.Measure, now time.Time, cal period.Calendar) []record {
	var out []record
	for _, r := range records {
		if m.Where == nil || r.meets(*m.Where, now, cal) {
			out = append(out, r)
		}
	}
	return out
}

func compare(t *rapid.T, a, b *calc.Table) {
	require.Equal(t, a.Groups, b.Groups, "the same groups in the same order: %+v", a.Plan.Definition)
	require.Equal(t, a.Splits, b.Splits)
	require.Equal(t, a.Unplaced, b.Unplaced)
	same := func(x, y []field.Value) {
		for i := range x {
			require.Equal(t, shown(x[i]), shown(y[i]))
		}
	}
	for g := range a.Groups {
		for s := range a.Splits {
			same(a.Cell(g, s), b.Cell(g, s))
		}
		same(a.GroupTotal(g), b.GroupTotal(g))
	}
	for s := range a.Splits {
		same(a.SplitTotal(s), b.SplitTotal(s))
	}
	same(a.Total(), b.Total())
}

func (a asker) checkDrawer(t *rapid.T, d query.Definition, s query.Setting, v rule.Viewer, table *calc.Table, keys []calc.Key, want int, mark field.Value) {
	total, count, listed := a.behind(t, d, s, v, table.Reference(0, 0, keys))
	require.EqualValues(t, want, count)
	require.Len(t, listed, min(want, planner.PageSize))
	if want > 0 {
		require.Equal(t, shown(mark), shown(total), "the records give the mark")
	}
}
