package profile

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/query"
)

// said are the oddities of field x in words.
func said(p *Profile) (out []string) {
	for _, o := range p.Odd {
		if o.Field == "x" {
			out = append(out, o.Words)
		}
	}
	return out
}

func TestWhatSwampsTheRest(t *testing.T) {
	ones := func(n int) []string { return repeat(n, "1") }
	for _, c := range []struct {
		name   string
		values []string
		odd    bool
	}{
		{"half of all, and twenty times the usual", append(ones(30), "60"), true},
		{"less than half", append(ones(100), "90"), false},
		{"half, but of too few values", append(ones(18), "90"), false},
		{"of one and twenty values", append(ones(20), "500"), true},
		{"of twenty, none is twenty times the usual", append(ones(19), "500"), false},
		{"below zero", append(ones(30), "-600"), true},
		{"nothing but zeros", repeat(30, "0"), false},
		{"half, but not twenty times the usual", append(slices.Concat(repeat(19, "0"), []string{"9"}), "10"), false},
		{"a thousand times the usual", append(slices.Concat(repeat(2500, "1"), []string{"2400"}), "2600"), false},
	} {
		got := said(looked(t, field.Number, c.values...))
		assert.Equal(t, c.odd, len(got) > 0, "%s: %v", c.name, got)
	}
	for _, c := range []struct {
		most, others int
		odd          bool
	}{{97, 3, true}, {96, 4, false}, {19, 0, false}, {29, 1, false}, {39, 1, true}} {
		values := repeat(c.most, "ordinary")
		for i := range c.others {
			values = append(values, fmt.Sprintf("one %c", 'a'+i))
		}
		assert.Equal(t, c.odd, len(said(looked(t, field.Text, values...))) > 0, c)
	}
}

func TestDatesThatLieFarOff(t *testing.T) {
	var days []string
	for i := range 60 {
		days = append(days, time.Date(2026, 1, 1+i, 0, 0, 0, 0, time.UTC).Format(time.DateOnly))
	}
	for _, c := range []struct {
		more []string
		want string
	}{
		{nil, ""},
		{[]string{"2025-01-01"}, ""},
		{[]string{"2024-12-31"}, "Some jobs have “X” before 2025, as far as 31 Dec 2024."},
		{[]string{"2029-12-31"}, ""},
		{[]string{"2030-01-01"}, "Some jobs have “X” after 2029, as far as 1 Jan 2030."},
	} {
		got := said(looked(t, field.Date, append(slices.Clone(days), c.more...)...))
		assert.Equal(t, c.want, strings.Join(got, ""), c.more)
	}
	assert.Empty(t, said(looked(t, field.Date, append(repeat(60, "2026-03-01"), "1950-01-01")...)), "the quartiles lie together")
	p := looked(t, field.Date, append(days, "2004-01-01")...)
	require.NotEmpty(t, p.Odd)
	assert.Equal(t, "X is below 2025-01-01", p.Fields[0].Of.Label+strings.TrimPrefix(p.Odd[0].Records.Words(nil, func(s string) string { return s }, nil), "x"))
}

func TestPictures(t *testing.T) {
	var values []string
	for i := range 120 {
		values = append(values, fmt.Sprint(i))
	}
	f := looked(t, field.Number, values...).Fields[0]
	assert.Equal(t, []int{10, 10, 10, 10, 10, 10, 10, 10, 10, 10, 10, 10}[:steps], f.Picture[:min(len(f.Picture), steps)])
	assert.Equal(t, []string{"29", "59", "89"}, []string{f.Quartiles[0].Exact(), f.Quartiles[1].Exact(), f.Quartiles[2].Exact()})
	one := looked(t, field.Number, "7").Fields[0]
	assert.True(t, one.Spread.IsEmpty(), "one value has none")
	assert.Equal(t, 1, one.Picture[0], "all in the first step")
	far := looked(t, field.Number, append(slices.Clone(values), "100000")...).Fields[0]
	total := 0
	for _, n := range far.Picture {
		total += n
	}
	assert.Equal(t, 120, total, "what lies far off is in no step")
	assert.Equal(t, "100000", far.Largest.Exact())
	text := looked(t, field.Text, slices.Concat(repeat(3, "b"), repeat(3, "a"), repeat(5, "c"), []string{"d"})...).Fields[0]
	assert.Equal(t, []int{5, 3, 3, 1}, text.Picture)
	var top []string
	for _, c := range text.Top {
		top = append(top, c.Value.Exact())
	}
	assert.Equal(t, "cabd"[:len(top)], strings.Join(top, ""), "the most frequent first, then in order")
	assert.LessOrEqual(t, len(looked(t, field.Text, values...).Fields[0].Top), mostTop)
	assert.Equal(t, []string{"c", "a"}, text.different(2))
}

func TestWhatIsNotOffered(t *testing.T) {
	var many []string
	for i := range 501 {
		many = append(many, fmt.Sprintf("name %d", i))
	}
	assert.Empty(t, said(looked(t, field.Text, append(slices.Clone(many), "Name 1")...)), "too many values to look for the same in another case")
	assert.Equal(t, []string{"“X” has the same value in different case, such as “name 1” and “Name 1”."}, said(looked(t, field.Text, append(many[:499], "Name 1", "name 1")...)))
	assert.Empty(t, said(looked(t, field.Text)), "without records nothing is odd")
	assert.Empty(t, said(looked(t, field.Text, "1,240.50")), "one value is no column of numbers")
	assert.Equal(t, []string{"“X” is text that looks like a number, written like 1,234.50; 19 of 20 different values could be read."},
		said(looked(t, field.Text, append(slices.Repeat([]string{"1,000.00"}, 1), "2,000.00", "3,000.00", "4,000.00", "5,000.00", "6,000.00", "7,000.00", "8,000.00", "9,000.00", "10,000.00", "11,000.00", "12,000.00", "13,000.00", "14,000.00", "15,000.00", "16,000.00", "17,000.00", "18,000.00", "19,000.00", "soon")...)))
}

// A field that is repaired keeps its name and label; what was kept goes aside under another.
func TestRepairsKeepTheName(t *testing.T) {
	doc := document(t)
	doc.Fields[0].Description, doc.Fields[0].Synonyms = "What it is", []string{"thing"}
	long := strings.Repeat("n", 62) + "a"
	for _, name := range []string{"x", "two-words", long} {
		doc.Fields[0].Name = name
		ds, err := dataset.Resolve(doc, jobs(field.Text), nil)
		require.NoError(t, err)
		p := New(ds, query.Setting{Now: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)})
		f := &Field{Of: ds.Find(name), texts: map[string]int{" keel": 2, "mast ": 1, "Keel": 1, "keel": 3}, Distinct: 4}
		spaces := p.spaces(nil, f)
		require.NotNil(t, spaces)
		assert.Equal(t, "“X” begins or ends with spaces in some jobs, for example “ keel”, so that equal values stand apart.", spaces.Words)
		cases := p.cases(nil, f)
		require.NotNil(t, cases)
		for _, changed := range []*dataset.Document{spaces.Offers[0].Document, cases.Offers[0].Document} {
			again, err := dataset.Resolve(changed, jobs(field.Text), nil)
			require.NoError(t, err, name)
			repaired := again.Find(name)
			require.NotNil(t, repaired)
			assert.Equal(t, []string{"X", "What it is", "thing"}, []string{repaired.Label, repaired.Description, strings.Join(repaired.Synonyms, "")})
			kept := changed.Fields[len(changed.Fields)-1]
			assert.True(t, kept.Hidden)
			assert.Equal(t, "X, as kept", kept.Label)
			assert.LessOrEqual(t, len(kept.Name), 63)
			assert.NotEqual(t, name, kept.Name)
			assert.Contains(t, kept.Name, "_as_kept")
		}
	}
}

func TestEstimatesOfASampleOfThoseThatAreFilled(t *testing.T) {
	f := &Field{Of: &dataset.Field{}, texts: map[string]int{}, Filled: 500}
	for i := range 100 {
		f.texts[fmt.Sprint(i)] = 1
		f.values = append(f.values, field.Value{})
	}
	assert.EqualValues(t, 500, (&Plan{rows: 50}).estimate(f, 100), "each once: as many as are filled")
	assert.EqualValues(t, 1_000_000, (&Plan{rows: 1_000_000}).estimate(f, 100), "each once: all of them")
	assert.EqualValues(t, 500_000, (&Plan{rows: 1_000_000}).estimate(f, 200), "half of the records are filled")
	f.Filled = 100
	assert.EqualValues(t, 100, (&Plan{rows: 50}).estimate(f, 100), "no more records than were looked at")
}

// How records are chosen: all of a small table, every one for the counts of a middling one, the
// same pages for both statements of a large one; evenly, the first by a hash of their keys.
func TestHowASampleIsTaken(t *testing.T) {
	for _, c := range []struct {
		rows           int64
		even           bool
		counts, sample string // how each ends
	}{
		{10_000, false, `"public"."job" r where true`, `"public"."job" r where true limit 20000`},
		{100_000, false, `"public"."job" r where true`, `"public"."job" r tablesample bernoulli (15.000000) repeatable (1) where true limit 20000`},
		{300_000, false, `"public"."job" r where true`, `"public"."job" r tablesample bernoulli (5.000000) repeatable (1) where true limit 20000`},
		{1_000_000, false, `"public"."job" r tablesample system (30.000000) repeatable (1) where true limit 300000`, `"public"."job" r tablesample system (30.000000) repeatable (1) where true and hashtext(r.ctid::text) % 30 = 0 limit 20000`},
		{1_000_000, true, `"public"."job" r where true`, `"public"."job" r where true order by hashtextextended((r."id")::text, 0), r."id" limit 10000`},
	} {
		tables := jobs(field.Number)
		tables[0].Rows = c.rows
		ds, err := dataset.Resolve(document(t), tables, nil)
		require.NoError(t, err)
		p := New(ds, query.Setting{Now: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}, "x")
		if c.even {
			p.Even()
		}
		statements, err := p.Compile(nil)
		require.NoError(t, err)
		assert.Equal(t, `select count(*), count(d.f0), count(*) filter (where d.u0), min(d.f0), max(d.f0) from (select (case when (r."x" - r."x" = '0'::numeric) then r."x" end) as f0, ((r."x" - r."x" = '0'::numeric) is false) as u0 from `+c.counts+`) d`, statements[0].SQL)
		assert.Equal(t, `select d.f0, 1 from (select (case when (r."x" - r."x" = '0'::numeric) then r."x" end) as f0, ((r."x" - r."x" = '0'::numeric) is false) as u0 from `+c.sample+`) d`, statements[1].SQL)
		assert.Equal(t, c.rows <= 300_000 || c.even, p.Whole())
	}
}

// What a repair may have changed besides is looked at again: whatever is computed.
func TestWhatIsLookedAtAgain(t *testing.T) {
	before := document(t)
	kept := looked(t, field.Text, "a", "b")
	again := func(change func(*dataset.Document)) (out []string) {
		doc := document(t)
		change(doc)
		ds, err := dataset.Resolve(doc, jobs(field.Text), nil)
		require.NoError(t, err)
		for _, f := range Again(ds, query.Setting{Calendar: period.ISO(time.UTC)}, before, kept).fields {
			out = append(out, f.Name)
		}
		return out
	}
	assert.Equal(t, []string{"x"}, again(func(*dataset.Document) {}), "where nothing has changed, the first")
	assert.Equal(t, []string{"boss"}, again(func(d *dataset.Document) { d.Fields[1].Label = "Master" }))
	computed := dataset.FieldDocument{Name: "y", Formula: "upper(x)"}
	before.Fields = append(before.Fields, computed)
	assert.Equal(t, []string{"boss", "y"}, again(func(d *dataset.Document) { d.Fields[1].Label = "Master"; d.Fields = append(d.Fields, computed) }))
	groups := dataset.FieldDocument{Name: "y", Groups: &dataset.Groups{Of: "x", Groups: []dataset.Group{{Name: "A", Values: []string{"a"}}}}}
	before.Fields[2] = groups
	assert.Equal(t, []string{"y"}, again(func(d *dataset.Document) { d.Fields = append(d.Fields, groups) }))
}

func TestWhatAFieldLooksLike(t *testing.T) {
	offers := func(values ...string) (out []string) {
		p := looked(t, field.Text, values...)
		for _, o := range p.Odd {
			if o.Field != "x" {
				continue
			}
			out = append(out, o.Words)
			for _, offer := range o.Offers {
				f := offer.Document.Fields[0]
				out = append(out, fmt.Sprintf("%s: %s like %s, %s%s%s", offer.Label, f.ReadAs.Type, f.ReadAs.Like, f.Time, f.Usual, f.Unit))
			}
		}
		return out
	}
	assert.Equal(t, []string{"“X” is text that looks like a date, written like 31/12/2026. No value tells the day from the month: “01/02/2026” is 1 Feb 2026 or 2 Jan 2026.", "read it as a date, the day first: date like 31/12/2026, happened", "the month first: date like 12/31/2026, happened"}, offers("01/02/2026", "03/04/2026"))
	assert.Equal(t, []string{"“X” is text that looks like a number, written like £1,234.50.", "read it as a number: number like £1,234.50, sumGBP"}, offers("£1,000.50", "£2.00"))
	f := looked(t, field.Number, "2", "4", "4", "4", "5", "5", "7", "9").Fields[0]
	assert.Equal(t, []string{"4", "4", "5"}, []string{f.Quartiles[0].Exact(), f.Quartiles[1].Exact(), f.Quartiles[2].Exact()})
	assert.Equal(t, "2.138", f.Spread.Exact()[:5], "√(32 ÷ 7)")
	width, start := Bins(field.OfText("a"), field.OfText("b"), 5)
	assert.Equal(t, []string{"1", "0"}, []string{width, start})
	for _, c := range []struct {
		low, high    int64
		n            int
		width, start string
	}{{0, 99, 10, "10", "0"}, {0, 100, 10, "20", "0"}, {1, 1, 5, "0.000000001", "1"}, {-5, 5, 1, "10", "-10"}, {-5, -1, 1, "5", "-5"}, {0, 999, 1, "1000", "0"}, {5, 14, 2, "5", "5"}} {
		width, start := Bins(field.OfInt(c.low), field.OfInt(c.high), c.n)
		assert.Equal(t, []string{c.width, c.start}, []string{width, start}, c)
	}
}
