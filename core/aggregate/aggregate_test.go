package aggregate_test

import (
	"math"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/field"
)

func value(text string) field.Value {
	v, err := field.Parse(field.Number, text)
	if err != nil && text != "" {
		panic(err)
	}
	return v
}

func values(texts ...string) (out []field.Value) {
	for _, t := range texts {
		out = append(out, value(t))
	}
	return out
}

func TestEveryAggregationIsWhole(t *testing.T) {
	for _, a := range aggregate.All() {
		require.NotEmpty(t, a.Components, a.Name)
		assert.NotEmpty(t, a.Words, a.Name)
		assert.True(t, a.Accepts(field.Number), a.Name)
		assert.Equal(t, a.Words, a.Name.Is().Words)
		if a.Function != "" {
			assert.Equal(t, a.Name, aggregate.InFormula(a.Function).Name)
		}
		for _, c := range a.Components {
			assert.NotContains(t, c.SQL("v", " filter (where x)", value("0.5")), "%!", a.Name)
			if a.Mergeable {
				assert.Equal(t, a.Name == aggregate.Smallest || a.Name == aggregate.Largest, c.Keeps() != nil, "of two parts' one stays, or they are added: %s", a.Name)
			}
		}
	}
	assert.Nil(t, aggregate.InFormula(""), "what has no function is not one of a formula")
	assert.Nil(t, aggregate.InFormula("mode"))
	assert.False(t, aggregate.Name("mode").Known())
	assert.Empty(t, aggregate.Name("mode").Is().Words)
}

// What each may be made of, and what is known of it.
func TestWhatEachIs(t *testing.T) {
	says := func(keep func(aggregate.Aggregation) bool) (out []aggregate.Name) {
		for _, a := range aggregate.All() {
			if keep(a) {
				out = append(out, a.Name)
			}
		}
		slices.Sort(out)
		return out
	}
	type A = aggregate.Aggregation
	type names = []aggregate.Name
	assert.Equal(t, names{"count", "distinct"}, says(func(a A) bool { return a.Counts }))
	assert.Equal(t, names{"count", "distinct"}, says(func(a A) bool { return a.Accepts(field.Text) }))
	assert.Equal(t, names{"count", "distinct", "largest", "smallest"}, says(func(a A) bool { return a.Accepts(field.Date) }))
	assert.Equal(t, names{"count", "sum"}, says(func(a A) bool { return a.Additive }))
	assert.Equal(t, names{"count", "distinct", "sum"}, says(func(a A) bool { return a.Zero }))
	assert.Equal(t, names{"average", "spread", "sum"}, says(func(a A) bool { return a.Tells }))
	assert.Equal(t, names{"average", "median", "percentile", "spread"}, says(func(a A) bool { return a.Divided }))
	assert.Equal(t, names{"distinct", "median", "percentile"}, says(func(a A) bool { return !a.Mergeable }))
	assert.Equal(t, names{"average", "largest", "median", "percentile", "smallest", "spread"}, says(func(a A) bool { return a.Outer() }))
}

func TestOfValues(t *testing.T) {
	for _, c := range []struct {
		name aggregate.Name
		p    string
		of   []string
		want string
	}{
		{"smallest", "", []string{"3", "-1", "2"}, "-1"},
		{"largest", "", []string{"3", "-1", "2"}, "3"},
		{"average", "", []string{"1", "2", "4"}, "2.333333333333333333333333333333333"},
		{"spread", "", []string{"2", "4", "4", "4", "5", "5", "7", "9"}, "2.138089935299395077476427847038028"},
		{"spread", "", []string{"5"}, ""},
		{"spread", "", []string{"5", "5"}, "0"},
		{"median", "", []string{"9", "1", "4"}, "4"},
		{"median", "", []string{"9", "1", "4", "5"}, "4.5"},
		{"percentile", "0.9", []string{"10", "20", "30", "40"}, "37"},
		{"percentile", "0.5", []string{"10", "20", "30"}, "20"},
		{"percentile", "0", []string{"10", "20"}, "10"},
		{"percentile", "1", []string{"10", "20"}, "20"},
		{"median", "", nil, ""},
		{"average", "", nil, ""},
	} {
		got := c.name.Is().OfValues(value(c.p), values(c.of...))
		if c.want == "" {
			assert.True(t, got.IsEmpty(), "%s of %v", c.name, c.of)
			continue
		}
		assert.Zero(t, field.Compare(value(c.want), got), "%s %s of %v is %s", c.name, c.p, c.of, got.Exact())
	}
}

// Components make the same value as all values in order do, and one of the places between
// which a median or percentile lies is at most one from the other.
func TestComponentsMakeWhatTheValuesDo(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ints := rapid.SliceOfN(rapid.IntRange(-50, 50), 1, 12).Draw(t, "values")
		slices.Sort(ints)
		n, sum, squares := len(ints), 0, 0
		var of []field.Value
		for _, v := range ints {
			sum, squares = sum+v, squares+v*v
			of = append(of, field.OfInt(int64(v)))
		}
		a := rapid.SampledFrom(aggregate.All()).Filter(func(a aggregate.Aggregation) bool { return a.Outer() }).Draw(t, "aggregation")
		p := field.Value{}
		if a.Name == aggregate.Percentile {
			p = value(strconv.FormatFloat(float64(rapid.IntRange(0, 20).Draw(t, "p"))/20, 'f', -1, 64))
		}
		at := func(round func(float64) float64) field.Value {
			f, _ := p.Decimal().Float64()
			place := int(math.Floor(f*20+0.5)) * (n - 1) // in twentieths, so that it is exact
			return of[int(round(float64(place)/20))]
		}
		parts := func(component int) field.Value {
			switch c := a.Components[component]; c {
			case aggregate.CountFilled:
				return field.OfInt(int64(n))
			case aggregate.SumOf:
				return field.OfInt(int64(sum))
			case aggregate.SumOfSquares:
				return field.OfInt(int64(squares))
			case aggregate.MinOf, aggregate.LowMiddle:
				return map[bool]field.Value{true: of[0], false: of[(n-1)/2]}[c == aggregate.MinOf]
			case aggregate.MaxOf, aggregate.HighMiddle:
				return map[bool]field.Value{true: of[n-1], false: of[n/2]}[c == aggregate.MaxOf]
			case aggregate.LowPlace:
				return at(math.Floor)
			default:
				return at(math.Ceil)
			}
		}
		got, want := parts(0), a.OfValues(p, slices.Clone(of))
		require.Equal(t, len(a.Components) > 1, a.Made())
		if a.Made() {
			got = a.Value(p, parts)
		}
		require.Zero(t, field.Compare(want, got), "%s of %v: %s, not %s", a.Name, ints, got.Exact(), want.Exact())
		if a.Name == aggregate.Median || a.Name == aggregate.Percentile {
			low, high := a.Places(p, int64(n))
			require.True(t, 0 <= low && low <= high && high <= low+1 && high < int64(n), "%d and %d of %d", low, high, n)
		}
	})
}

func TestTheDatabaseRanksByWhatIsComputed(t *testing.T) {
	for name, want := range map[aggregate.Name]string{
		aggregate.Sum:        "a",
		aggregate.Median:     "(a::numeric + b) / 2",
		aggregate.Percentile: "(a + (b - a) * mod(0.9 * (c - 1), 1))",
	} {
		assert.Equal(t, want, name.Is().Rank(value("0.9"), []string{"a", "b", "c"}))
	}
	assert.Contains(t, aggregate.Average.Is().Rank(field.Value{}, []string{"a", "b"}), "/ nullif(b, 0)")
	assert.Contains(t, aggregate.Spread.Is().Rank(field.Value{}, []string{"a", "b", "c"}), "when c > 1 then round(sqrt(greatest((b - (a::numeric * a")
}

func TestComponentsKeepOrCount(t *testing.T) {
	one, two := value("1"), value("2")
	for c, firstStays := range map[aggregate.Component][3]bool{aggregate.MinOf: {true, false, true}, aggregate.MaxOf: {false, true, true}} {
		for i, pair := range [][2]field.Value{{one, two}, {two, one}, {one, one}} {
			assert.Equal(t, firstStays[i], c.Keeps()(pair[0], pair[1]))
		}
	}
	for c := aggregate.CountAll; c <= aggregate.TallyWeight; c++ {
		assert.Equal(t, c == aggregate.CountAll || c == aggregate.CountFilled || c == aggregate.DistinctOf, c.Counts(), c)
	}
	filled := aggregate.LowPlace.SQL("v", " filter (where x > 1)", value("0.25"))
	assert.Equal(t, "(array_agg(v order by v) filter (where x > 1 and v is not null))[floor(0.25 * (count(v) filter (where x > 1) - 1))::int + 1]", filled)
	assert.Equal(t, "(percentile_disc(array[0.5, 0.5000000001]) within group (order by v))[2]", aggregate.HighMiddle.SQL("v", "", field.Value{}))
	assert.Equal(t, "sum(v::numeric * v)", aggregate.SumOfSquares.SQL("v", "", field.Value{}))
	assert.Equal(t, "count(*) filter (where x)", aggregate.CountAll.SQL("", " filter (where x)", field.Value{}))
	assert.Equal(t, "v", aggregate.TallyValue.SQL("v", " filter (where x)", field.Value{}), "a value stands for itself; its weight is filtered")
}
