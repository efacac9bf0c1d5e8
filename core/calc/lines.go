package calc

import (
	"math"
	"time"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/aggregate"
	"eskadel/core/field"
	"eskadel/core/query"
)

// A LineAt is a reference line with where it stands; no value where nothing is shown.
type LineAt struct {
	query.Line
	Value field.Value
}

// A Trend is the straight line through what a split value shows, and where it leads.
type Trend struct {
	Split  int
	First  int // the first and last of the steps that it was made from
	Last   int
	Steps  int           // how many of them have a value
	Values []field.Value // per step, from First to Last; without a trend none
	Ahead  []Ahead
}

// An Ahead is one forecast step.
type Ahead struct {
	From, To         time.Time
	Value, Low, High field.Value
}

// lines computes the reference lines, trends and forecasts from what is shown.
func (t *Table) lines() {
	d := t.Plan.Definition
	for _, l := range d.Lines {
		at := LineAt{Line: l}
		if l.Constant != "" {
			at.Value, _ = field.Parse(field.Number, l.Constant.String())
		} else {
			at.Value = t.shownAt(l)
		}
		t.Lines = append(t.Lines, at)
	}
	if d.Trend || d.Forecast > 0 {
		for s := range t.Splits {
			if trend, ok := t.trend(s); ok {
				t.Trends = append(t.Trends, trend)
			}
		}
	}
}

// shownAt is the average, median, percentile, smallest or largest of the marks shown.
func (t *Table) shownAt(l query.Line) field.Value {
	var values []field.Value
	for g := range t.Groups {
		for s := range t.Splits {
			if v := t.Figure(g, s, l.Measure).Shown; v.Decimal() != nil {
				values = append(values, v)
			}
		}
	}
	below, _ := field.Parse(field.Number, l.P.String())
	return aggregate.Name(l.At).Is().OfValues(below, values)
}

// usual80 is how many standard errors on either side hold four of five normal deviations.
const usual80 = 1.2816

// trend fits a straight line by least squares to the complete steps of the first measure,
// one apart whatever their days, and follows it ahead: the plain forecast. Its interval is
// that of a new observation, at 80 percent.
func (t *Table) trend(split int) (Trend, bool) {
	var xs []int
	var ys []float64
	for g, keys := range t.Groups {
		v := t.Figure(g, split, 0).Shown
		if keys[0].Kind != Step || keys[0].Partial || !keys[0].Begun || v.Decimal() == nil {
			continue
		}
		y, _ := v.Decimal().Float64()
		xs, ys = append(xs, g), append(ys, y)
	}
	n := float64(len(xs))
	if n < 3 {
		return Trend{}, false
	}
	var meanX, meanY float64
	for i := range xs {
		meanX += float64(xs[i]) / n
		meanY += ys[i] / n
	}
	var sxx, sxy, rest float64
	for i := range xs {
		sxx += (float64(xs[i]) - meanX) * (float64(xs[i]) - meanX)
		sxy += (float64(xs[i]) - meanX) * (ys[i] - meanY)
	}
	slope := sxy / sxx
	at := func(x int) float64 { return meanY + slope*(float64(x)-meanX) }
	for i := range xs {
		rest += (ys[i] - at(xs[i])) * (ys[i] - at(xs[i]))
	}
	out := Trend{Split: split, First: xs[0], Last: xs[len(xs)-1], Steps: len(xs)}
	if t.Plan.Definition.Trend {
		for x := out.First; x <= out.Last; x++ {
			out.Values = append(out.Values, rounded(at(x)))
		}
	}
	a := axisOf(t.Plan)
	from := t.Groups[out.Last][0].To
	deviation := math.Sqrt(rest / (n - 2))
	for i := 1; i <= t.Plan.Definition.Forecast; i++ {
		x := out.Last + i
		off := usual80 * deviation * math.Sqrt(1+1/n+(float64(x)-meanX)*(float64(x)-meanX)/sxx)
		to := a.Calendar.Add(from, a.Grain, 1)
		if !to.After(from) {
			break // there are no further accounting periods
		}
		out.Ahead = append(out.Ahead, Ahead{from, to, rounded(at(x)), rounded(at(x) - off), rounded(at(x) + off)})
		from = to
	}
	return out, true
}

// rounded is what a computation in binary gives, to 12 digits.
func rounded(x float64) field.Value {
	if math.IsNaN(x) || math.IsInf(x, 0) {
		return field.Value{}
	}
	var d apd.Decimal
	_, _ = d.SetFloat64(x)
	_, _ = apd.BaseContext.WithPrecision(12).Round(&d, &d)
	d.Reduce(&d)
	return field.OfDecimal(&d)
}
