package profile

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
	_ "eskadel/testseed"
)

func jobs(typ field.Type) dataset.Catalogue {
	return dataset.Catalogue{{Schema: "public", Name: "job", Kind: "table", Unique: [][]string{{"id"}}, Links: []dataset.Link{{Columns: []string{"boss_id"}, Table: "public.boss", To: []string{"id"}}},
		Columns: []dataset.Column{{Name: "id", Type: field.Integer, Native: true}, {Name: "x", Type: typ, Native: true}, {Name: "boss_id", Type: field.Integer, Native: true}}},
		{Schema: "public", Name: "boss", Kind: "table", Unique: [][]string{{"id"}}, Columns: []dataset.Column{{Name: "id", Type: field.Integer, Native: true}, {Name: "name", Type: field.Text, Native: true}}}}
}

func document(t *testing.T) *dataset.Document {
	doc, err := dataset.Read([]byte(`{"version":1,"name":"jobs","title":"Jobs","record":["job","jobs"],"source":"desk","from":{"table":"job"},"key":["id"],"fields":[{"name":"x","column":"x","label":"X"},{"name":"boss","column":"boss_id"}]}`))
	require.NoError(t, err)
	return doc
}

// looked makes the profile of a field of a type from its values, as the two statements
// would return them.
func looked(t *testing.T, typ field.Type, values ...string) *Profile {
	ds, err := dataset.Resolve(document(t), jobs(typ), nil)
	require.NoError(t, err)
	p := New(ds, query.Setting{Now: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)})
	var sample [][]field.Value
	filled := int64(0)
	var low, high field.Value
	for _, s := range values {
		var v field.Value
		if s != "∅" {
			v, err = field.Parse(typ, s)
			require.NoError(t, err)
			filled++
			if low.IsEmpty() || field.Compare(v, low) < 0 {
				low = v
			}
			if high.IsEmpty() || field.Compare(v, high) > 0 {
				high = v
			}
		}
		sample = append(sample, []field.Value{v, field.OfInt(1), field.OfInt(1)})
	}
	row := []field.Value{field.OfInt(int64(len(values))), field.OfInt(filled), field.OfInt(0)}
	if typ.Numeric() || typ.Temporal() {
		row = append(row, low, high)
	}
	row = append(row, field.OfInt(int64(len(values))), field.OfInt(0), field.OfInt(1), field.OfInt(1))
	return p.Read([][]field.Value{row}, sample)
}

func repeat(n int, values ...string) (out []string) {
	for range n {
		out = append(out, values...)
	}
	return out
}

func TestFacts(t *testing.T) {
	p := looked(t, field.Number, "1", "2", "2", "3", "4", "∅")
	f := p.Fields[0]
	assert.EqualValues(t, 5, f.Filled)
	assert.EqualValues(t, 1, f.Empty)
	assert.EqualValues(t, 4, f.Distinct)
	assert.True(t, f.Exactly)
	assert.Equal(t, "2", f.Quartiles[1].Exact())
	assert.Equal(t, "1.14017542509", fmt.Sprintf("%.13s", f.Spread.Exact()))
	assert.Equal(t, "2", f.Top[0].Value.Exact())
	assert.Equal(t, 2, f.Top[0].N)
	total := 0
	for _, n := range f.Picture {
		total += n
	}
	assert.Equal(t, 5, total, "every value is in the picture")
	assert.Empty(t, looked(t, field.Number).Fields[0].Picture)
}

func TestOddities(t *testing.T) {
	var days []string
	for i := range 60 {
		days = append(days, time.Date(2026, 1, 1+i, 0, 0, 0, 0, time.UTC).Format(time.DateOnly))
	}
	var numbers []string
	for i := range 50 {
		numbers = append(numbers, fmt.Sprint(i))
	}
	for _, c := range []struct {
		name   string
		typ    field.Type
		values []string
		words  string // "" for nothing odd
		offer  string // in the offered document
	}{
		{"dates years away", field.Date, slices.Concat(days, []string{"2004-01-01", "2038-01-19"}), "before 2025 or after 2029, as far as 1 Jan 2004 and 19 Jan 2038", `"not"`},
		{"dates all near", field.Date, days, "", ""},
		{"a date soon is not odd", field.Date, slices.Concat(days, []string{"2027-06-01"}), "", ""},
		{"one number swamps", field.Number, slices.Concat(numbers, []string{"1000000"}), "One value of “X”, 1,000,000, swamps the rest", `"is":"1000000"`},
		{"a large number that does not", field.Number, slices.Concat(numbers, []string{"90"}), "", ""},
		{"text of numbers", field.Text, []string{"1,240.50", "99.00", "7.25"}, "looks like a number, written like 1,234.50", `"like":"1,234.50"`},
		{"text of dates", field.Text, []string{"31/01/2026", "28/02/2026"}, "looks like a date, written like 31/12/2026", `"date"`},
		{"plain text", field.Text, []string{"keel", "mast", "engine"}, "", ""},
		{"spaces", field.Text, []string{"keel", " mast", "engine"}, "begins or ends with spaces in some jobs, for example “ mast”", `"formula":"trim(x_as_kept)"`},
		{"cases", field.Text, []string{"Keel", "keel", "KEEL", "mast", "keel"}, "the same value in different case, such as “keel” and “KEEL” and “Keel”", `"values":["keel","KEEL","Keel"]`},
		{"always empty", field.Text, []string{"∅", "∅"}, "empty in every one of 2 jobs", `"hidden":true`},
		{"dates that tell no order", field.Text, []string{"3.4.26", "11.12.25"}, "“11.12.25” is 11 Dec 2025 or 12 Nov 2025", `"like":"31.12.26"`},
		{"text of amounts", field.Text, []string{"£12.50", "(£7.00)", "£9.00-"}, "looks like a number", `"unit":"GBP"`},
		{"codes", field.Text, []string{"0071", "0092", "1200"}, "", ""},
		{"one value where there is any", field.Text, append(repeat(30, "∅"), append(repeat(1, "b"), repeat(40, "a")...)...), "is “a” nearly everywhere that it is filled", ""},
		{"nearly one value", field.Text, append(repeat(99, "yes, sir"), "no, sir"), "is “yes, sir” in nearly every job", ""},
	} {
		p := looked(t, c.typ, c.values...)
		var odd []Oddity
		for _, o := range p.Odd {
			if o.Field == "x" {
				odd = append(odd, o)
			}
		}
		if c.words == "" {
			assert.Empty(t, odd, c.name)
			continue
		}
		require.NotEmpty(t, odd, c.name)
		assert.Contains(t, odd[0].Words, c.words, c.name)
		if c.offer != "" {
			require.NotEmpty(t, odd[0].Offers, c.name)
			compact := strings.NewReplacer(": ", ":", "\n", "", "  ", "").Replace(string(odd[0].Offers[0].Document.JSON()))
			assert.Contains(t, strings.ReplaceAll(compact, " ", ""), strings.ReplaceAll(c.offer, " ", ""), c.name)
		}
	}
	p := looked(t, field.Text, "a", "b")
	require.Len(t, p.Odd, 1)
	assert.Equal(t, "“Boss” shows the key of a boss, where its name could stand.", p.Odd[0].Words)
	assert.Contains(t, string(p.Odd[0].Offers[0].Document.JSON()), `"show": "name"`)
}

// Of what is only a sample, the number of different values is estimated for all records.
func TestDifferentValuesAreEstimated(t *testing.T) {
	p := &Plan{rows: 1_000_000}
	field := func(times ...int) *Field { // so many values occur so often
		f := &Field{Of: &dataset.Field{}, texts: map[string]int{}}
		for n, of := range times {
			for i := range of {
				f.texts[fmt.Sprint(n, i)] = n + 1
				f.values = append(f.values, make([]fieldValue, n+1)...)
			}
		}
		return f
	}
	for _, c := range []struct {
		name      string
		f         *Field
		low, high int64
	}{
		{"a key: every value once", field(10_000), 999_000, 1_000_000},
		{"a few, each often", field(0, 0, 0, 0, 0, 0, 0, 0, 0, 1_000), 1_000, 1_000},
		{"20,000, of which a sample has few twice", field(7_000, 1_500), 17_000, 29_000},
		{"none", field(), 0, 0},
	} {
		n := p.estimate(c.f, len(c.f.values))
		assert.True(t, n >= c.low && n <= c.high, "%s: %d", c.name, n)
	}
	known := field(10)
	known.Of.Distinct = 19_976
	assert.EqualValues(t, 19_976, p.estimate(known, 10), "the database's statistics know more than a sample")
	assert.NotEqualValues(t, 19_976, p.Even().estimate(known, 10), "but are not for those who see a part")
}

type fieldValue = field.Value

// What a repair has changed is looked at again, and nothing else; the rest is as it was.
func TestARepairLooksAtOneField(t *testing.T) {
	before := looked(t, field.Text, "12.50", "7.00")
	ds := before.Fields[0].Of
	require.Equal(t, "x", ds.Name)
	offered := before.Odd[0].Offers[0].Document
	changed, err := dataset.Resolve(offered, jobs(field.Text), nil)
	require.NoError(t, err)
	was, err := dataset.Resolve(document(t), jobs(field.Text), nil)
	require.NoError(t, err)
	again := Again(changed, query.Setting{Calendar: period.ISO(time.UTC)}, &was.Document, before)
	require.NotNil(t, again)
	require.Len(t, again.fields, 1)
	assert.Equal(t, "x", again.fields[0].Name)
	n := func(s string) field.Value { v, _ := field.Parse(field.Number, s); return v }
	p := again.Read([][]field.Value{{field.OfInt(2), field.OfInt(2), field.OfInt(0), n("7"), n("12.5")}}, [][]field.Value{{n("7"), field.OfInt(1)}, {n("12.5"), field.OfInt(1)}})
	require.Len(t, p.Fields, 2)
	assert.Equal(t, "12.5", p.Fields[0].Largest.Exact())
	assert.Equal(t, before.Fields[1].Filled, p.Fields[1].Filled, "taken from before")
	for _, o := range p.Odd {
		assert.NotEqual(t, "x", o.Field, "the same repair is not offered again: %s", o.Words)
	}
	other := was.Document
	other.BaseFilter = &filter.Condition{Field: "x", Op: filter.Filled}
	assert.Nil(t, Again(changed, query.Setting{}, &other, before), "other records need a look at all fields")
}

// Round borders: the width is 1, 2 or 5 times a power of ten, at most n bins of it cover
// the values, and the next smaller one would not.
func TestRoundBins(t *testing.T) {
	width, start := Bins(field.OfInt(3), field.OfInt(97), 10)
	assert.Equal(t, []string{"10", "0"}, []string{width, start})
	rapid.Check(t, func(t *rapid.T) {
		low := rapid.IntRange(-5000, 5000).Draw(t, "low")
		high := low + rapid.IntRange(0, 20000).Draw(t, "span")
		n := rapid.IntRange(1, 50).Draw(t, "bins")
		width, start := Bins(field.OfInt(int64(low)), field.OfInt(int64(high)), n)
		w, err := field.Parse(field.Number, width)
		require.NoError(t, err)
		s, err := field.Parse(field.Number, start)
		require.NoError(t, err)
		wf, _ := w.Decimal().Float64()
		sf, _ := s.Decimal().Float64()
		require.LessOrEqual(t, sf, float64(low))
		if low < 0 && high >= 0 {
			n = max(n, 2) // zero is a border
		}
		require.Greater(t, sf+wf*float64(n), float64(high))
		require.Contains(t, "125", strings.Trim(strings.ReplaceAll(width, ".", ""), "0"))
	})
}
