package formula

import (
	"strings"
	"time"
	"unicode"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/field"
	"eskadel/core/reading"
)

// ctx computes quotients, roots and powers; sums and products are exact.
var ctx = func() *apd.Context {
	c := apd.BaseContext.WithPrecision(60)
	c.Rounding = apd.RoundHalfUp
	c.MaxExponent, c.MinExponent = 100_000, -100_000
	c.Traps = 0
	return c
}()

// Values gives the values of names and of aggregates within one computation.
type Values struct {
	Name      func(name string) field.Value // nil where no name has a value
	Aggregate func(Aggregate) field.Value
	Now       time.Time // as in Target
}

// Eval computes the formula in Go: a formula over groups from its aggregates, and for
// tests one per record, by the same rules as the SQL.
func (e *Expr) Eval(v Values) field.Value {
	known := map[string]field.Value{}
	for _, a := range e.Aggregates() {
		known[a.print] = v.Aggregate(a)
	}
	return evaluator{v, known}.eval(e.root)
}

type evaluator struct {
	values Values
	known  map[string]field.Value
}

func text(v field.Value) string { return writeText(v) }

func plainDecimal(d *apd.Decimal) string {
	if d.Exponent > 0 || d.Exponent == 0 {
		return d.Text('f')
	}
	var r apd.Decimal
	r.Reduce(d)
	if r.IsZero() {
		return "0"
	}
	return r.Text('f')
}

// number is a decimal as a value; what is not finite is empty.
func number(d *apd.Decimal) field.Value {
	if d.Form != apd.Finite {
		return field.Value{}
	}
	if d.IsZero() {
		d.Negative = false
	}
	return field.OfDecimal(d)
}

func (e evaluator) eval(n *node) field.Value {
	switch n.op {
	case "literal":
		return n.value
	case "name":
		if e.values.Name == nil {
			return field.Value{}
		}
		return e.values.Name(n.text)
	case "interval": // arithmetic reads its text
		return field.Value{}
	case "now":
		return field.OfTime(e.values.Now)
	case "current_date":
		return field.OfDate(e.values.Now)
	case "and", "or":
		return e.logic(n)
	case "case":
		i := 0
		for ; i+1 < len(n.args); i += 2 {
			if e.eval(n.args[i]).Bool() {
				return e.to(n.args[i+1], n.typ)
			}
		}
		if i < len(n.args) {
			return e.to(n.args[i], n.typ)
		}
		return field.Value{}
	case "coalesce", "greatest", "least", "nullif":
		return e.several(n)
	case "concat":
		var b strings.Builder
		for _, a := range n.args {
			if v := e.eval(a); !v.IsEmpty() {
				b.WriteString(short(text(v)))
			}
		}
		return field.OfText(b.String())
	case "in", "not in":
		return e.in(n)
	}
	if functions[n.op].aggregate {
		return e.known[n.String()]
	}
	if strings.HasPrefix(n.op, "is ") {
		v := e.eval(n.args[0])
		var is bool
		switch word := n.op[strings.LastIndex(n.op, " ")+1:]; word {
		case "null":
			is = v.IsEmpty()
		default:
			is = !v.IsEmpty() && v.Bool() == (word == "true")
		}
		return field.OfBool(is != strings.Contains(n.op, "not"))
	}
	if n.op == "cast" {
		return e.cast(e.eval(n.args[0]), castTypes[n.text])
	}
	return e.strict(n)
}

// to is a node's value, a date made a timestamp where t asks for one.
func (e evaluator) to(n *node, t field.Type) field.Value {
	v := e.eval(n)
	if v.Type() == field.Date && t == field.Timestamp {
		return field.OfTime(v.Time())
	}
	return v
}

// logic is and, or with three values.
func (e evaluator) logic(n *node) field.Value {
	a, b := e.eval(n.args[0]), e.eval(n.args[1])
	decides := n.op == "or" // what one side alone decides
	for _, v := range []field.Value{a, b} {
		if !v.IsEmpty() && v.Bool() == decides {
			return field.OfBool(decides)
		}
	}
	if a.IsEmpty() || b.IsEmpty() {
		return field.Value{}
	}
	return field.OfBool(!decides)
}

func (e evaluator) several(n *node) field.Value {
	var out field.Value
	for i, a := range n.args {
		v := e.to(a, n.typ)
		switch {
		case n.op == "nullif":
			if i == 1 && !out.IsEmpty() && !v.IsEmpty() && field.Compare(out, v) == 0 {
				return field.Value{}
			}
			if i == 1 {
				return out
			}
			out = v
		case v.IsEmpty():
		case out.IsEmpty():
			out = v
			if n.op == "coalesce" {
				return out
			}
		case (field.Compare(v, out) > 0) == (n.op == "greatest") && field.Compare(v, out) != 0:
			out = v
		}
	}
	return out
}

func (e evaluator) in(n *node) field.Value {
	t := common(n.args)
	x := e.to(n.args[0], t)
	unknown := x.IsEmpty()
	for _, a := range n.args[1:] {
		v := e.to(a, t)
		if x.IsEmpty() || v.IsEmpty() {
			unknown = true
		} else if field.Compare(x, v) == 0 {
			return field.OfBool(n.op == "in")
		}
	}
	if unknown {
		return field.Value{}
	}
	return field.OfBool(n.op == "not in")
}

// strict computes the operations that are empty when any argument is.
func (e evaluator) strict(n *node) field.Value {
	args := make([]field.Value, len(n.args))
	t := field.Empty
	if isComparison(n.op) {
		t = common(n.args)
	}
	for i, a := range n.args {
		args[i] = e.to(a, t)
		if a.typ == Interval {
			continue
		}
		if args[i].IsEmpty() && !strings.HasSuffix(n.op, "between") {
			return field.Value{}
		}
	}
	at := func(i int) *apd.Decimal { return args[i].Decimal() }
	switch n.op {
	case "not":
		return field.OfBool(!args[0].Bool())
	case "=", "<>", "<", ">", "<=", ">=":
		return field.OfBool(holds(n.op, field.Compare(args[0], args[1])))
	case "between", "not between":
		return between(n.op, args)
	case "like", "not like":
		return field.OfBool(like([]rune(args[0].Exact()), []rune(args[1].Exact())) == (n.op == "like"))
	case "||":
		return field.OfText(short(text(args[0])) + short(text(args[1])))
	case "negative":
		var d apd.Decimal
		return number(d.Neg(at(0)))
	case "+", "-", "*", "/", "%", "mod":
		return e.arithmetic(n, args)
	}
	return e.call(n, args)
}

func isComparison(op string) bool {
	switch op {
	case "=", "<>", "<", ">", "<=", ">=", "between", "not between":
		return true
	}
	return false
}

func holds(op string, c int) bool {
	switch op {
	case "=":
		return c == 0
	case "<>":
		return c != 0
	case "<":
		return c < 0
	case ">":
		return c > 0
	case "<=":
		return c <= 0
	}
	return c >= 0
}

// between is low <= x and x <= high with three values.
func between(op string, args []field.Value) field.Value {
	side := func(op string, a, b field.Value) field.Value {
		if a.IsEmpty() || b.IsEmpty() {
			return field.Value{}
		}
		return field.OfBool(holds(op, field.Compare(a, b)))
	}
	low, high := side(">=", args[0], args[1]), side("<=", args[0], args[2])
	switch {
	case !low.IsEmpty() && !low.Bool() || !high.IsEmpty() && !high.Bool():
		return field.OfBool(op != "between")
	case low.IsEmpty() || high.IsEmpty():
		return field.Value{}
	}
	return field.OfBool(op == "between")
}

// like matches a pattern in which % stands for any characters, _ for one, \ for the next itself.
func like(s, p []rune) bool {
	for len(p) > 0 {
		switch {
		case p[0] == '%':
			for i := 0; i <= len(s); i++ {
				if like(s[i:], p[1:]) {
					return true
				}
			}
			return false
		case len(s) == 0:
			return false
		case p[0] == '\\' && len(p) > 1:
			p = p[1:]
			fallthrough
		default:
			if p[0] != s[0] {
				return false
			}
		case p[0] == '_':
		}
		s, p = s[1:], p[1:]
	}
	return len(s) == 0
}

func short(s string) string {
	r := []rune(s)
	return string(r[:min(len(r), longestJoined)])
}

func (e evaluator) arithmetic(n *node, args []field.Value) field.Value {
	a, b := n.args[0], n.args[1]
	sign := 1
	if n.op == "-" {
		sign = -1
	}
	switch {
	case a.typ == Interval:
		return shift(args[1], a.text, 1)
	case b.typ == Interval:
		return shift(args[0], b.text, sign)
	case n.typ == field.Date:
		days, err := args[1].Decimal().Int64()
		if err != nil || days > 3_650_000 || days < -3_650_000 {
			return field.Value{}
		}
		return field.OfDate(args[0].Time().AddDate(0, 0, sign*int(days)))
	case args[0].Type().Temporal():
		seconds := args[0].Time().Unix() - args[1].Time().Unix()
		if n.typ == Interval {
			micro := int64(args[0].Time().Nanosecond()-args[1].Time().Nanosecond()) / 1000
			return field.OfDecimal(apd.New(seconds*1_000_000+micro, -6))
		}
		return field.OfInt(seconds / 86400)
	}
	x, y := args[0].Decimal(), args[1].Decimal()
	var d apd.Decimal
	switch n.op {
	case "+":
		_, _ = apd.BaseContext.Add(&d, x, y)
	case "-":
		_, _ = apd.BaseContext.Sub(&d, x, y)
	case "*":
		_, _ = apd.BaseContext.Mul(&d, x, y)
	case "/":
		if y.IsZero() {
			return field.Value{}
		}
		_, _ = ctx.Quo(&d, x, y)
		d.Reduce(&d)
	default:
		if y.IsZero() {
			return field.Value{}
		}
		_, _ = ctx.WithPrecision(5000).Rem(&d, x, y)
	}
	return number(&d)
}

// shift adds a span to a date: months first, kept within the month, then days and seconds.
func shift(v field.Value, span string, sign int) field.Value {
	months, days, seconds, _, _ := parseInterval(span)
	t := v.Time()
	first := time.Date(t.Year(), t.Month()+time.Month(sign*months), 1, t.Hour(), t.Minute(), t.Second(), t.Nanosecond(), time.UTC)
	last := first.AddDate(0, 1, -1).Day()
	out := first.AddDate(0, 0, min(t.Day(), last)-1+sign*days)
	return field.OfTime(out.Add(time.Duration(sign*seconds) * time.Second))
}

func (e evaluator) cast(v field.Value, t field.Type) field.Value {
	switch {
	case v.IsEmpty() || v.Type() == t:
		return v
	case v.Type() == field.Text:
		out, _ := reading.Plain(t).Read(v.Exact())
		return out
	case t == field.Text:
		return field.OfText(text(v))
	case t == field.Integer:
		return rounded(v.Decimal(), 0)
	case t == field.Date:
		return field.OfDate(v.Time())
	case t == field.Timestamp:
		return field.OfTime(v.Time())
	}
	return v
}

// rounded rounds half away from zero to so many decimals.
func rounded(x *apd.Decimal, places int32) field.Value {
	c := apd.BaseContext.WithPrecision(200_000)
	c.Rounding = apd.RoundHalfUp
	var d apd.Decimal
	_, _ = c.Quantize(&d, x, -places)
	if d.Exponent > 0 {
		_, _ = c.Quantize(&d, &d, 0)
	}
	return number(&d)
}

func characters(v field.Value, low, high int64) int64 {
	whole := rounded(v.Decimal(), 0)
	n, err := whole.Decimal().Int64()
	if err != nil {
		if v.Decimal().Negative {
			return low
		}
		return high
	}
	return min(max(n, low), high)
}

func (e evaluator) call(n *node, args []field.Value) field.Value {
	var d apd.Decimal
	first := args[0]
	switch n.op {
	case "abs":
		return number(d.Abs(first.Decimal()))
	case "round":
		places := int64(0)
		if len(args) == 2 {
			places = characters(args[1], -400, 400)
		}
		return rounded(first.Decimal(), int32(places))
	case "ceil":
		_, _ = ctx.WithPrecision(5000).Ceil(&d, first.Decimal())
		return number(&d)
	case "floor":
		_, _ = ctx.WithPrecision(5000).Floor(&d, first.Decimal())
		return number(&d)
	case "sign":
		return field.OfInt(int64(first.Decimal().Sign()))
	case "sqrt":
		if first.Decimal().Sign() < 0 {
			return field.Value{}
		}
		_, _ = ctx.Sqrt(&d, first.Decimal())
		return number(&d)
	case "ln":
		if first.Decimal().Sign() <= 0 {
			return field.Value{}
		}
		_, _ = ctx.Ln(&d, first.Decimal())
		return number(&d)
	case "exp":
		if d.Abs(first.Decimal()); d.Cmp(apd.New(900, 0)) >= 0 {
			return field.Value{}
		}
		_, _ = ctx.Exp(&d, first.Decimal())
		return number(&d)
	case "power":
		return power(first.Decimal(), args[1].Decimal())
	case "lower":
		return field.OfText(mapRunes(first.Exact(), unicode.ToLower))
	case "upper":
		return field.OfText(mapRunes(first.Exact(), unicode.ToUpper))
	case "trim":
		return field.OfText(strings.Trim(first.Exact(), " "))
	case "length":
		return field.OfInt(int64(len([]rune(first.Exact()))))
	case "substring":
		return substring(args)
	case "position":
		i := strings.Index(args[1].Exact(), first.Exact())
		if i < 0 {
			return field.OfInt(0)
		}
		return field.OfInt(int64(len([]rune(args[1].Exact()[:i]))) + 1)
	case "replace":
		to := []rune(args[2].Exact())
		if args[1].Exact() == "" {
			return field.OfText(short(first.Exact()))
		}
		return field.OfText(strings.ReplaceAll(short(first.Exact()), args[1].Exact(), string(to[:min(len(to), 1000)])))
	case "split_part":
		return splitPart(args)
	case "extract":
		if n.args[0].typ == Interval {
			return first
		}
		return extract(n.text, first)
	}
	return trunc(n.text, first.Time())
}

func mapRunes(s string, f func(rune) rune) string { return strings.Map(f, s) }

func power(a, b *apd.Decimal) field.Value {
	var whole, d, size apd.Decimal
	_, _ = ctx.RoundToIntegralValue(&whole, b)
	switch {
	case a.IsZero():
		switch b.Sign() {
		case 1:
			return field.OfInt(0)
		case 0:
			return field.OfInt(1)
		}
		return field.Value{}
	case a.Sign() < 0 && whole.Cmp(b) != 0:
		return field.Value{}
	}
	if size.Abs(b); size.Cmp(apd.New(1, 9)) >= 0 {
		return field.Value{}
	}
	size.Abs(a)
	_, _ = ctx.Ln(&d, &size)
	_, _ = ctx.Mul(&d, &d, b)
	if d.Abs(&d); d.Cmp(apd.New(900, 0)) >= 0 {
		return field.Value{}
	}
	_, _ = ctx.Pow(&d, a, b)
	return number(&d)
}

func substring(args []field.Value) field.Value {
	r := []rune(args[0].Exact())
	from := characters(args[1], -farCharacters, farCharacters) - 1
	to := int64(len(r))
	if len(args) == 3 {
		length := characters(args[2], -1, farCharacters)
		if length < 0 {
			return field.Value{} // of a negative length there is none
		}
		to = min(to, from+length)
	}
	from = max(from, 0)
	if from >= to {
		return field.OfText("")
	}
	return field.OfText(string(r[from:to]))
}

func splitPart(args []field.Value) field.Value {
	n := int(characters(args[2], -farCharacters, farCharacters))
	if n == 0 {
		return field.Value{}
	}
	s, sep := args[0].Exact(), args[1].Exact()
	parts := []string{s}
	if sep != "" {
		parts = strings.Split(s, sep)
	}
	if n < 0 {
		n += len(parts) + 1
	}
	if n < 1 || n > len(parts) {
		return field.OfText("")
	}
	return field.OfText(parts[n-1])
}

func extract(part string, v field.Value) field.Value {
	t := v.Time()
	isoYear, week := t.ISOWeek()
	switch part {
	case "year":
		return field.OfInt(int64(t.Year()))
	case "isoyear":
		return field.OfInt(int64(isoYear))
	case "quarter":
		return field.OfInt(int64(t.Month()+2) / 3)
	case "month":
		return field.OfInt(int64(t.Month()))
	case "week":
		return field.OfInt(int64(week))
	case "day":
		return field.OfInt(int64(t.Day()))
	case "doy":
		return field.OfInt(int64(t.YearDay()))
	case "dow":
		return field.OfInt(int64(t.Weekday()))
	case "isodow":
		return field.OfInt(int64(t.Weekday()+6)%7 + 1)
	case "hour":
		return field.OfInt(int64(t.Hour()))
	case "minute":
		return field.OfInt(int64(t.Minute()))
	case "second":
		return field.OfDecimal(apd.New(int64(t.Second())*1_000_000+int64(t.Nanosecond()/1000), -6))
	}
	return field.OfDecimal(apd.New(t.Unix()*1_000_000+int64(t.Nanosecond()/1000), -6))
}

func trunc(unit string, t time.Time) field.Value {
	y, m, d := t.Date()
	switch unit {
	case "year":
		m, d = 1, 1
	case "quarter":
		m, d = (m-1)/3*3+1, 1
	case "month":
		d = 1
	case "week":
		d -= int(t.Weekday()+6) % 7
	case "day":
	default:
		size := map[string]time.Duration{"hour": time.Hour, "minute": time.Minute, "second": time.Second}[unit]
		midnight := time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
		return field.OfTime(midnight.Add(t.Sub(midnight) / size * size))
	}
	return field.OfTime(time.Date(y, m, d, 0, 0, 0, 0, time.UTC))
}
