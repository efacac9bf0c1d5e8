package cause_test

import (
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/cause"
	"eskadel/core/chart"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/query"

	_ "eskadel/testseed"
)

func measure(t *testing.T, m string) query.Measure {
	d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","form":"key figures","measures":[` + m + `]}`))
	require.NoError(t, err, m)
	return d.Measures[0]
}

// What is asked of each side of a measure.
func TestWhatIsAsked(t *testing.T) {
	jobs := sample.Jobs()
	before, now := filter.Compare("kind", filter.Is, "care"), filter.Compare("kind", filter.Is, "mishap")
	for m, asked := range map[string]int{`{"count":"records"}`: 2, `{"sum":"cost","where":{"field":"late","is":true}}`: 2, `{"average":"cost"}`: 4, `{"formula":"sum(cost) / count(*)"}`: 4, `{"formula":"sum(cost) - 2 * count(*)"}`: 2} {
		of, err := cause.Of(measure(t, m), jobs)
		require.NoError(t, err, m)
		d := of.Question(query.Definition{Dataset: "jobs"}, before, now, "yard")
		assert.Len(t, d.Measures, asked, m)
		assert.NoError(t, d.Check(jobs), m)
		assert.Equal(t, "yard", d.By[0].Field)
		assert.Contains(t, jobs.Words(*d.Measures[0].Where), "Kind is care")
		assert.Contains(t, jobs.Words(*d.Measures[1].Where), "Kind is mishap")
		assert.Empty(t, of.Question(d, before, now, "").By)
	}
	for _, m := range []string{`{"median":"cost"}`, `{"distinct":"kind"}`, `{"largest":"cost"}`, `{"formula":"avg(cost) * 2"}`, `{"formula":"sum(cost) / avg(cost)"}`, `{"sum":"cost","then":{"running_total":{}}}`} {
		_, err := cause.Of(measure(t, m), jobs)
		assert.Equal(t, problem.Invalid, problem.Of(err).Code, m)
	}
	asks := map[string]bool{}
	for _, f := range jobs.Order() {
		asks[f.Name] = f.Sorts()
	}
	assert.Equal(t, []bool{true, true, false, false, false}, []bool{asks["kind"], asks["yard"], asks["opened"], asks["secret"], asks["cost"]})
}

func rat(t *rapid.T, what string, low int) *big.Rat {
	return big.NewRat(int64(rapid.IntRange(low, 10_000).Draw(t, what)), 100)
}

// Whatever the parts are, what they add is the difference, exactly, and so is what is written of it.
func TestPartsAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ratio := rapid.Bool().Draw(t, "ratio")
		m := cause.Measure{}
		if ratio {
			m.Under = &query.Measure{}
		}
		side := func(what string) cause.Side {
			s := cause.Side{Over: rat(t, what, -10_000)}
			if ratio {
				s.Under = rat(t, what+" under", 0)
				if s.Under.Sign() == 0 {
					s.Over = new(big.Rat)
				}
			}
			return s
		}
		sum := func(of, s cause.Side) cause.Side {
			of.Over = new(big.Rat).Add(of.Over, s.Over)
			if ratio {
				of.Under = new(big.Rat).Add(of.Under, s.Under)
			}
			return of
		}
		before, now := cause.Side{Over: new(big.Rat), Under: new(big.Rat)}, cause.Side{Over: new(big.Rat), Under: new(big.Rat)}
		var parts []cause.Part
		for i := range rapid.IntRange(1, 12).Draw(t, "parts") {
			p := cause.Part{Group: i, Before: side("before"), Now: side("now")}
			before, now = sum(before, p.Before), sum(now, p.Now)
			parts = append(parts, p)
		}
		d, err := m.Difference(before, now, parts)
		if ratio && (before.Under.Sign() == 0 || now.Under.Sign() == 0) {
			require.Error(t, err)
			return
		}
		require.NoError(t, err)
		all := new(big.Rat)
		var adds []*big.Rat
		for i, p := range d.Parts {
			all.Add(all, p.Adds)
			adds = append(adds, p.Adds)
			if ratio {
				require.Zero(t, new(big.Rat).Add(p.Size, p.Value).Cmp(p.Adds))
			}
			if i > 0 {
				require.LessOrEqual(t, new(big.Rat).Abs(p.Adds).Cmp(new(big.Rat).Abs(d.Parts[i-1].Adds)), 0, "what adds most first")
			}
		}
		require.Zero(t, all.Cmp(d.Is()), "%s for %s", all, d.Is())
		score, n := d.Explains()
		require.True(t, score >= 0 && score <= 1 && n <= 3, "%f, %d", score, n)

		digits := rapid.IntRange(0, 6).Draw(t, "digits")
		written, whole := cause.Written(adds, digits)
		total := new(big.Rat)
		for i, w := range written {
			r, ok := new(big.Rat).SetString(w)
			require.True(t, ok)
			total.Add(total, r)
			off := new(big.Rat).Sub(r, adds[i])
			require.LessOrEqual(t, off.Abs(off).Cmp(new(big.Rat).SetFrac64(1, pow(digits))), 0, "%s for %s", w, adds[i].FloatString(9))
		}
		is, _ := new(big.Rat).SetString(whole)
		require.Zero(t, total.Cmp(is), "%v make %s", written, whole)
		exact, _ := new(big.Rat).SetString(d.Is().FloatString(digits))
		require.Zero(t, exact.Cmp(is), "the difference rounded")
	})
}

func pow(n int) int64 {
	out := int64(1)
	for range n {
		out *= 10
	}
	return out
}

// A ratio whose parts keep their values changes by their sizes alone, and the other way round.
func TestSizeAndValueAreToldApart(t *testing.T) {
	m := cause.Measure{Under: &query.Measure{}}
	of := func(over, under int64) cause.Side {
		return cause.Side{Over: big.NewRat(over, 1), Under: big.NewRat(under, 1)}
	}
	grown, err := m.Difference(of(30, 20), of(50, 30), []cause.Part{{Before: of(10, 10), Now: of(10, 10)}, {Group: 1, Before: of(20, 10), Now: of(40, 20)}})
	require.NoError(t, err)
	for _, p := range grown.Parts {
		assert.Zero(t, p.Value.Sign())
		assert.Positive(t, p.Size.Sign(), "less of what lies below the mean, and more of what lies above")
	}
	dearer, err := m.Difference(of(30, 20), of(40, 20), []cause.Part{{Before: of(10, 10), Now: of(10, 10)}, {Group: 1, Before: of(20, 10), Now: of(30, 10)}})
	require.NoError(t, err)
	assert.Equal(t, 1, dearer.Parts[0].Group)
	assert.Equal(t, "0.500", dearer.Parts[0].Value.FloatString(3))
	assert.Zero(t, dearer.Parts[0].Size.Sign())
	new1, err := m.Difference(of(10, 10), of(40, 20), []cause.Part{{Before: of(10, 10), Now: of(10, 10)}, {Group: 1, Before: of(0, 0), Now: of(30, 10)}})
	require.NoError(t, err)
	assert.Equal(t, []any{"0.750", 0}, []any{new1.Parts[0].Size.FloatString(3), new1.Parts[0].Value.Sign()}, "what is new adds by its size")
}

// What one value makes of the difference, far beyond its size, explains it best.
func TestWhatExplains(t *testing.T) {
	m := cause.Measure{}
	of := func(n int64) cause.Side { return cause.Side{Over: big.NewRat(n, 1)} }
	one, err := m.Difference(of(1000), of(1100), []cause.Part{{Before: of(450), Now: of(451)}, {Before: of(450), Now: of(449)}, {Before: of(100), Now: of(200)}})
	require.NoError(t, err)
	score, n := one.Explains()
	assert.Equal(t, 1, n)
	even, err := m.Difference(of(1000), of(1100), []cause.Part{{Before: of(500), Now: of(550)}, {Before: of(500), Now: of(550)}})
	require.NoError(t, err)
	less, _ := even.Explains()
	assert.Greater(t, score, 0.8)
	assert.Less(t, less, 0.1)
	// Of a ratio the records weigh by what is under it: half of them explain half by their size.
	ratio := cause.Measure{Under: &query.Measure{}}
	side := func(over, under int64) cause.Side {
		return cause.Side{Over: big.NewRat(over, 1), Under: big.NewRat(under, 1)}
	}
	half, err := ratio.Difference(side(20, 20), side(30, 20), []cause.Part{{Before: side(10, 10), Now: side(20, 10)}, {Before: side(10, 10), Now: side(10, 10)}})
	require.NoError(t, err)
	by, n := half.Explains()
	assert.InDelta(t, 0.5, by, 0.001, "all of it, less half")
	assert.Equal(t, 1, n)
	nothing, err := m.Difference(of(0), of(0), []cause.Part{{Before: of(-1), Now: of(1)}, {Before: of(1), Now: of(-1)}})
	require.NoError(t, err)
	none, _ := nothing.Explains()
	assert.Zero(t, none)
	same, err := m.Difference(of(5), of(5), []cause.Part{{Before: of(5), Now: of(5)}})
	require.NoError(t, err)
	none, n = same.Explains()
	assert.Equal(t, []any{0.0, 0}, []any{none, n})
}
