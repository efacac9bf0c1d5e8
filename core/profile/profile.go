package profile

import (
	"math"
	"sort"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/dataset"
	"eskadel/core/field"
)

// A Profile is what is in a dataset.
type Profile struct {
	Records int64 // looked at for counts, smallest and largest
	Looked  int   // looked at one by one
	Whole   bool  // Records are all there are
	Fields  []*Field
	Odd     []Oddity
}

// Field is the profile of one field.
type Field struct {
	Of         *dataset.Field
	Filled     int64
	Empty      int64
	Unreadable int64
	Distinct   int64
	Exactly    bool // Distinct is no estimate
	Smallest   field.Value
	Largest    field.Value
	Quartiles  [3]field.Value // low, median, high; of numbers and dates
	Spread     field.Value    // the sample standard deviation of numbers
	Top        []Count        // most frequent first
	Picture    []int          // how many in each of several steps, or of the most frequent values

	values []field.Value // filled, sorted where they have an order
	texts  map[string]int
	looked int // records of the sample, those without a value too
}

// A Count is a value with how often it occurs among the records looked at.
type Count struct {
	Value field.Value
	N     int
}

// steps is how many parts a small picture has.
const steps = 12

// mostTop is how many of the most frequent values are kept.
const mostTop = 8

// Read computes the profile from the rows of the plan's two statements.
func (p *Plan) Read(whole, sample [][]field.Value) *Profile {
	out := &Profile{Looked: len(sample), Whole: p.Whole()}
	row := whole[0]
	out.Records, _ = row[0].Decimal().Int64()
	at := 1
	take := func() field.Value { at++; return row[at-1] }
	for i, f := range p.fields {
		one := &Field{Of: f, Exactly: p.Whole() && int64(len(sample)) >= out.Records, texts: map[string]int{}}
		one.Filled, _ = take().Decimal().Int64()
		one.Unreadable, _ = take().Decimal().Int64()
		one.Empty = out.Records - one.Filled - one.Unreadable
		if ordered(f) {
			one.Smallest, one.Largest = take(), take()
		}
		for _, r := range sample {
			if v := r[i]; !v.IsEmpty() {
				one.values = append(one.values, v)
				one.texts[v.Exact()]++
			}
		}
		one.Distinct = int64(len(one.texts))
		if !one.Exactly {
			if one.Distinct = p.estimate(one, len(sample)); p.Whole() {
				one.Distinct = min(one.Distinct, one.Filled)
			}
		}
		one.describe()
		one.looked = len(sample)
		out.Fields = append(out.Fields, one)
	}
	out.with(p.kept, p.dataset)
	out.Odd = p.oddities(out)
	return out
}

// with takes the fields that were not looked at from the profile before.
func (p *Profile) with(kept *Profile, ds *dataset.Dataset) {
	if kept == nil {
		return
	}
	found := map[string]*Field{}
	for _, f := range kept.Fields {
		found[f.Of.Name] = f
	}
	for _, f := range p.Fields {
		found[f.Of.Name] = f
	}
	p.Records, p.Looked, p.Whole, p.Fields = kept.Records, kept.Looked, kept.Whole, nil
	for _, f := range ds.Order() {
		if of := found[f.Name]; of != nil {
			again := *of
			again.Of = f
			p.Fields = append(p.Fields, &again)
		}
	}
}

// estimate is how many different values a field has in all records, from a sample: the
// database's own statistics where they know the column, else the estimator of Haas and
// Stokes, n·d ÷ (n − f₁ + f₁·n÷N), of d different values among n of N records, f₁ of them once.
func (p *Plan) estimate(f *Field, looked int) int64 {
	if !p.even && f.Of.Distinct > 0 && !f.Of.IsLink() {
		return int64(f.Of.Distinct)
	}
	n, once := float64(len(f.values)), 0.0
	for _, times := range f.texts {
		if times == 1 {
			once++
		}
	}
	all := float64(f.Filled)
	if rows := float64(p.rows); !p.Whole() && looked > 0 && rows > 0 {
		all = rows * n / float64(looked)
	}
	if n == 0 || all <= n {
		return int64(len(f.texts))
	}
	return int64(math.Round(n * float64(len(f.texts)) / (n - once + once*n/all)))
}

func (f *Field) describe() {
	first := map[string]field.Value{}
	for _, v := range f.values {
		if _, ok := first[v.Exact()]; !ok {
			first[v.Exact()] = v
		}
	}
	for text, n := range f.texts {
		f.Top = append(f.Top, Count{first[text], n})
	}
	sort.Slice(f.Top, func(i, j int) bool {
		if f.Top[i].N != f.Top[j].N {
			return f.Top[i].N > f.Top[j].N
		}
		return field.Compare(f.Top[i].Value, f.Top[j].Value) < 0
	})
	if !ordered(f.Of) || len(f.values) == 0 {
		for _, c := range f.Top[:min(len(f.Top), steps)] {
			f.Picture = append(f.Picture, c.N)
		}
		f.Top = f.Top[:min(len(f.Top), mostTop)]
		return
	}
	f.Top = f.Top[:min(len(f.Top), mostTop)]
	sort.Slice(f.values, func(i, j int) bool { return field.Compare(f.values[i], f.values[j]) < 0 })
	n := len(f.values) - 1
	f.Quartiles = [3]field.Value{f.values[n/4], f.values[n/2], f.values[3*n/4]}
	if f.Of.Type.Numeric() {
		f.Spread = deviation(f.values)
	}
	f.picture()
}

// picture counts the values in steps of equal width between the fences, so that one far
// value does not push all others into one step.
func (f *Field) picture() {
	low, high := place(f.values[0]), place(f.values[len(f.values)-1])
	if l, h, ok := f.fences(); ok {
		low, high = max(low, l), min(high, h)
	}
	f.Picture = make([]int, steps)
	for _, v := range f.values {
		x := place(v)
		if x < low || x > high {
			continue
		}
		i := 0
		if high > low {
			i = min(int((x-low)/(high-low)*steps), steps-1)
		}
		f.Picture[i]++
	}
}

// place is where a number or date lies on a line; only for pictures and for finding what
// lies far off, never for a value that is shown.
func place(v field.Value) float64 {
	if d := v.Decimal(); d != nil {
		x, _ := d.Float64()
		return x
	}
	return float64(v.Time().Unix())
}

// fences are three quartile distances outside the quartiles; not ok where the quartiles
// lie together.
func (f *Field) fences() (low, high float64, ok bool) {
	q1, q3 := place(f.Quartiles[0]), place(f.Quartiles[2])
	if q3 <= q1 {
		return 0, 0, false
	}
	return q1 - 3*(q3-q1), q3 + 3*(q3-q1), true
}

var wide = apd.BaseContext.WithPrecision(34)

func deviation(values []field.Value) field.Value {
	if len(values) < 2 {
		return field.Value{}
	}
	var sum, mean, squares, d apd.Decimal
	n := apd.New(int64(len(values)), 0)
	for _, v := range values {
		_, _ = wide.Add(&sum, &sum, v.Decimal())
	}
	_, _ = wide.Quo(&mean, &sum, n)
	for _, v := range values {
		_, _ = wide.Sub(&d, v.Decimal(), &mean)
		_, _ = wide.Mul(&d, &d, &d)
		_, _ = wide.Add(&squares, &squares, &d)
	}
	_, _ = wide.Quo(&squares, &squares, apd.New(int64(len(values)-1), 0))
	_, _ = wide.Sqrt(&d, &squares)
	d.Reduce(&d)
	return field.OfDecimal(&d)
}

// lists the different texts of the field, most frequent first.
func (f *Field) different(most int) []string {
	var out []string
	for text := range f.texts {
		out = append(out, text)
	}
	sort.Slice(out, func(i, j int) bool {
		if f.texts[out[i]] != f.texts[out[j]] {
			return f.texts[out[i]] > f.texts[out[j]]
		}
		return out[i] < out[j]
	})
	return out[:min(len(out), most)]
}

func trimmed(s string) bool { return strings.TrimSpace(s) == s }

// Bins returns the width of at most n bins with round borders that cover the values from
// low to high, and where they start: the smallest multiple of 1, 2 or 5 times a power of
// ten that does. Zero is a border, so that values on both sides of it have two bins at least.
func Bins(low, high field.Value, n int) (width, start string) {
	if low.Decimal() == nil || high.Decimal() == nil {
		return "1", "0"
	}
	if low.Decimal().Negative && !high.Decimal().Negative {
		n = max(n, 2)
	}
	var span, first, last apd.Decimal
	_, _ = wide.Sub(&span, high.Decimal(), low.Decimal())
	_, _ = wide.Quo(&span, &span, apd.New(int64(n), 0))
	exponent := int32(-9)
	if !span.IsZero() {
		exponent = span.Exponent + int32(span.NumDigits()) - 1
	}
	for {
		for _, m := range []int64{1, 2, 5} {
			w := apd.New(m, exponent)
			var count, part apd.Decimal
			_, _ = wide.Quo(&part, low.Decimal(), w)
			_, _ = wide.Floor(&first, &part)
			_, _ = wide.Quo(&part, high.Decimal(), w)
			_, _ = wide.Floor(&last, &part)
			_, _ = wide.Sub(&count, &last, &first)
			if count.Cmp(apd.New(int64(n), 0)) < 0 {
				_, _ = wide.Mul(&first, &first, w)
				first.Reduce(&first)
				return w.Text('f'), first.Text('f')
			}
		}
		exponent++
	}
}
