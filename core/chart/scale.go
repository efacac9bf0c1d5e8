package chart

import (
	"math"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/problem"
)

// ticked makes an axis of round steps over a range, which holds zero where it must.
func ticked(low, high float64, zero bool, n format.Number, own *AxisFinish, title string) (Axis, error) {
	if own == nil {
		own = &AxisFinish{}
	}
	if own.Title != "" {
		title = own.Title
	}
	if own.Format != "" {
		n = n.As(own.Format)
	} else {
		n = n.OnAxis()
	}
	a := Axis{Log: own.Log, Hidden: own.Hidden, NoGrid: own.NoGrid, Title: title}
	if own.Log {
		return a, a.logarithmic(low, high, n, own)
	}
	if zero && own.Low == "" {
		low = math.Min(low, 0)
	}
	if zero && own.High == "" {
		high = math.Max(high, 0)
	}
	if own.Low != "" {
		low = *limit(own.Low)
	}
	if own.High != "" {
		high = *limit(own.High)
	}
	if low == high {
		if low == 0 {
			high = 1
		} else {
			low, high = math.Min(low, low*0.9), math.Max(high, high*1.1)
			if low == high {
				high = low + 1
			}
		}
	}
	if low > high {
		low, high = high, low
	}
	step := RoundStep((high - low) / 4)
	if wasted(low, high, step) > 0.25 { // finer ticks leave less of the plot empty
		if finer := RoundStep((high - low) / 6); wasted(low, high, finer) < wasted(low, high, step) {
			step = finer
		}
	}
	if own.Format == "" && step < 0.01 && !n.Percent || step < 0.001 && n.Percent { // as many decimals as tell the ticks apart
		n.Compact, n.Decimals = false, int(math.Ceil(-math.Log10(step)-1e-9))
		if n.Percent {
			n.Decimals -= 2
		}
	}
	a.Low, a.High = low, high
	if own.Low == "" {
		a.Low = math.Floor(low/step+1e-12) * step
	}
	if own.High == "" {
		a.High = math.Ceil(high/step-1e-12) * step
	}
	for i := math.Ceil(a.Low/step - 1e-9); i <= math.Floor(a.High/step+1e-9); i++ {
		a.Ticks = append(a.Ticks, Tick{i*step + 0, n.Value(roundValue(i, step))}) // 0, not -0
	}
	return a, nil
}

// logarithmic makes ticks at powers of ten, or at 1, 2 and 5 times them where few fit.
func (a *Axis) logarithmic(low, high float64, n format.Number, own *AxisFinish) error {
	if own.Low != "" {
		low = *limit(own.Low)
	}
	if own.High != "" {
		high = *limit(own.High)
	}
	if low <= 0 {
		return problem.New(problem.Invalid, "finish.value.log", "A logarithmic axis cannot show zero or what lies below it, and there are such values. Take a plain axis, or leave them out.")
	}
	from, to := math.Floor(math.Log10(low)+1e-9), math.Ceil(math.Log10(high)-1e-9)
	if from == to {
		to++
	}
	a.Low, a.High = math.Pow(10, from), math.Pow(10, to)
	factors := []float64{1}
	if to-from <= 3 {
		factors = []float64{1, 2, 5}
	}
	for e := from; e <= to; e++ {
		for _, f := range factors {
			if at := f * math.Pow(10, e); at <= a.High*(1+1e-9) {
				a.Ticks = append(a.Ticks, Tick{at, n.Value(roundValue(f, math.Pow(10, e)))})
			}
		}
	}
	return nil
}

// wasted is how much of an axis that begins and ends at steps has no value.
func wasted(low, high, step float64) float64 {
	whole := (math.Ceil(high/step-1e-12) - math.Floor(low/step+1e-12)) * step
	return 1 - (high-low)/whole
}

// roundValue is i steps, without the dust of binary fractions.
func roundValue(i, step float64) field.Value {
	var exact apd.Decimal
	_, _ = exact.SetFloat64(i * step)
	_, _ = twelve.Round(&exact, &exact)
	exact.Reduce(&exact)
	return field.OfDecimal(&exact)
}

var twelve = apd.BaseContext.WithPrecision(12)

// RoundStep returns the smallest multiple of 1, 2 or 5 times a power of ten that is at least x.
func RoundStep(x float64) float64 {
	power := math.Pow(10, math.Floor(math.Log10(x)))
	for _, m := range []float64{1, 2, 5} {
		if m*power >= x*(1-1e-9) {
			return m * power
		}
	}
	return 10 * power
}
