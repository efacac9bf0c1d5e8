package formula

import (
	"fmt"
	"strings"
	"time"

	"eskadel/core/field"
	"eskadel/core/problem"
	"eskadel/core/reading"
	"eskadel/core/statement"
)

// A Column is the SQL of a name.
type Column struct {
	SQL   string
	Zoned bool // a moment, which formulas see on the clock of the zone
	Safe  bool // its values keep the bounds of numbers and dates that Known gave
}

// A Target is what a formula is compiled for.
type Target struct {
	Column func(name string) (Column, error)
	Bind   *statement.Binder
	Now    time.Time                  // of the request, as the clock of the zone shows it, in UTC
	Wall   func(moment string) string // the SQL of what the zone's clock shows at a moment
	// Aggregate gives the SQL of an aggregate's value; nil where there are none.
	Aggregate func(Aggregate) string
}

// mostSQL is how long a compiled formula may be; each level of nested casts repeats what it casts.
const mostSQL = 200_000

// SQL compiles a constant formula or one per record. Its value is of the formula's type:
// numbers are numeric, timestamps have no zone.
func (e *Expr) SQL(t Target) (string, error) {
	c := &compiler{t: t}
	sql := c.sql(e.root)
	if c.err == nil && len(sql) > mostSQL {
		c.err = problem.New(problem.TooMany, "", "The formula is too deeply nested; divide it into several fields with fewer casts within casts.")
	}
	return sql, c.err
}

type compiler struct {
	t   Target
	err error
}

// zero with its decimals makes quotients and roots carry at least as many.
var zero = "0." + strings.Repeat("0", divisionScale)

var sqlTypes = map[field.Type]string{field.Text: "text", field.Integer: "numeric", field.Number: "numeric", field.Date: "date", field.Timestamp: "timestamp", field.Boolean: "boolean"}

func (c *compiler) bind(v any, t field.Type) string { return c.t.Bind.Bind(v) + "::" + sqlTypes[t] }

// as is the SQL of a node, made of type t where that differs.
func (c *compiler) as(n *node, t field.Type) string {
	switch {
	case n.typ == field.Empty && sqlTypes[t] != "":
		return "null::" + sqlTypes[t]
	case n.typ == field.Date && t == field.Timestamp:
		return "(" + c.sql(n) + ")::timestamp"
	}
	return c.sql(n)
}

// common is the type that several nodes have together; the checker has found it.
func common(nodes []*node) field.Type {
	t, _ := unify(nodes, "")
	return t
}

func (c *compiler) sql(n *node) string {
	if c.err != nil || n.typ == field.Empty { // what has no type never has a value
		return "null"
	}
	x := func(i int) string { return c.sql(n.args[i]) }
	infix := func(op string) string { return "(" + x(0) + " " + op + " " + x(1) + ")" }
	switch n.op {
	case "literal":
		return c.bind(n.value.Arg(), n.typ)
	case "name":
		return c.name(n)
	case "now":
		return c.bind(c.t.Now, field.Timestamp)
	case "current_date":
		return c.bind(field.OfDate(c.t.Now).Arg(), field.Date)
	case "interval":
		months, days, seconds, _, _ := parseInterval(n.text)
		return fmt.Sprintf("make_interval(months => %d, days => %d, secs => %d)", months, days, seconds)
	case "not":
		return "(not " + c.as(n.args[0], field.Boolean) + ")"
	case "and", "or":
		return "(" + c.as(n.args[0], field.Boolean) + " " + n.op + " " + c.as(n.args[1], field.Boolean) + ")"
	case "like", "not like":
		return infix(n.op)
	case "||":
		return "(" + c.short(n.args[0]) + " || " + c.short(n.args[1]) + ")"
	case "negative":
		return "(- " + c.as(n.args[0], field.Number) + ")"
	case "cast":
		return c.cast(n.args[0], castTypes[n.text])
	case "case":
		return c.cases(n)
	case "=", "<>", "<", ">", "<=", ">=", "between", "not between", "in", "not in":
		return c.compare(n)
	case "+", "-", "*", "/", "%":
		return c.arithmetic(n)
	}
	if strings.HasPrefix(n.op, "is ") {
		return "(" + c.as(n.args[0], field.Boolean) + " " + n.op + ")"
	}
	return c.call(n)
}

func (c *compiler) name(n *node) string {
	col, err := c.t.Column(n.text)
	if err != nil {
		c.err = err
		return "null"
	}
	sql := col.SQL
	switch {
	case n.typ == field.Integer:
		return "(" + sql + ")::numeric"
	case col.Safe:
		return sql
	case n.typ == field.Number && n.digits == openDigits:
		return fmt.Sprintf("(case when abs(%s) < 1e%d and scale(%s) <= %d then %s end)", sql, openDigits, sql, openScale, sql)
	case n.typ == field.Number:
		return "nullif(" + sql + ", 'NaN'::numeric)"
	case n.typ == field.Date:
		return "(case when " + sql + " between '0001-01-01'::date and '9999-12-31'::date then " + sql + " end)"
	case n.typ == field.Timestamp && col.Zoned:
		return "(case when " + sql + " between '0001-01-02'::timestamptz and '9999-12-31'::timestamptz then " + c.t.Wall(sql) + " end)"
	case n.typ == field.Timestamp:
		return "(case when " + sql + " between '0001-01-01'::timestamp and '9999-12-31 23:59:59.999999'::timestamp then " + sql + " end)"
	}
	return sql
}

// longestJoined is how many characters of each text are joined or searched for
// replacement, so that no text grows beyond what the database can hold.
const longestJoined = 100_000

// short is a node as text of bounded length.
func (c *compiler) short(n *node) string {
	return fmt.Sprintf("left(%s, %d)", c.cast(n, field.Text), longestJoined)
}

func (c *compiler) compare(n *node) string {
	t := common(n.args)
	arg := func(i int) string {
		s := c.as(n.args[i], t)
		if t == field.Text && n.op != "=" && n.op != "<>" && !strings.HasSuffix(n.op, "in") {
			s = "((" + s + `) collate "C")`
		}
		return s
	}
	switch n.op {
	case "between", "not between":
		return "(" + arg(0) + " " + n.op + " " + arg(1) + " and " + arg(2) + ")"
	case "in", "not in":
		var list []string
		for i := range n.args[1:] {
			list = append(list, arg(i+1))
		}
		return "(" + arg(0) + " " + n.op + " (" + strings.Join(list, ", ") + "))"
	}
	return "(" + arg(0) + " " + n.op + " " + arg(1) + ")"
}

func (c *compiler) cases(n *node) string {
	out := "(case"
	i := 0
	for ; i+1 < len(n.args); i += 2 {
		out += " when " + c.as(n.args[i], field.Boolean) + " then " + c.as(n.args[i+1], n.typ)
	}
	if i < len(n.args) {
		out += " else " + c.as(n.args[i], n.typ)
	}
	return out + " end)"
}

func (c *compiler) arithmetic(n *node) string {
	a, b := n.args[0], n.args[1]
	switch {
	case n.typ == Interval:
		return "(" + c.as(a, field.Timestamp) + " - " + c.as(b, field.Timestamp) + ")"
	case n.typ == field.Timestamp:
		return "(" + c.as(a, field.Timestamp) + " " + n.op + " " + c.as(b, field.Timestamp) + ")"
	case n.typ == field.Date:
		days := c.sql(b)
		return fmt.Sprintf("(case when abs(%s) <= 3650000 then %s %s (%s)::int end)", days, c.sql(a), n.op, days)
	case a.typ == field.Date || b.typ == field.Date:
		return "(" + c.sql(a) + " - " + c.sql(b) + ")::numeric"
	}
	x, y := c.as(a, field.Number), c.as(b, field.Number)
	switch n.op {
	case "/":
		return "((" + x + " + " + zero + ") / nullif(" + y + ", 0))"
	case "%":
		return "mod(" + x + ", nullif(" + y + ", 0))"
	}
	return "(" + x + " " + n.op + " " + y + ")"
}

func (c *compiler) cast(n *node, t field.Type) string {
	if n.typ == field.Empty {
		return "null::" + sqlTypes[t]
	}
	x := c.sql(n)
	switch {
	case n.typ == t:
		return x
	case n.typ == field.Text:
		return reading.Plain(t).SQL(x)
	case t == field.Integer:
		return "round(" + x + ")"
	case t == field.Number:
		return x
	case t == field.Date, t == field.Timestamp:
		return "(" + x + ")::" + sqlTypes[t]
	}
	switch n.typ { // to text
	case field.Integer, field.Number:
		return "trim_scale(" + x + ")::text"
	case field.Date:
		return "to_char(" + x + ", 'YYYY-MM-DD')"
	case field.Timestamp:
		return "rtrim(rtrim(to_char(" + x + ", 'YYYY-MM-DD HH24:MI:SS.US'), '0'), '.')"
	}
	return "(case when " + x + " then 'true' when not " + x + " then 'false' end)"
}

// whole bounds a number and makes it an integer for functions that count characters.
func whole(x string, low, high int) string {
	return fmt.Sprintf("least(greatest(%s, %d), %d)::int", x, low, high)
}

const farCharacters = 1_000_000_000

func (c *compiler) call(n *node) string {
	arg := func(i int) string {
		t := n.args[i].typ
		if f := functions[n.op]; f.takes == "s" {
			t = n.typ
		} else if t == field.Empty {
			t = map[byte]field.Type{'n': field.Number, 't': field.Text, 'd': field.Timestamp}[f.takes[min(i, len(f.takes)-1)]]
		}
		return c.as(n.args[i], t)
	}
	list := func() string {
		var out []string
		for i := range n.args {
			a := arg(i)
			if n.typ == field.Text && (n.op == "greatest" || n.op == "least") {
				a = "(" + a + `) collate "C"`
			}
			out = append(out, a)
		}
		return strings.Join(out, ", ")
	}
	switch n.op {
	case "round":
		if len(n.args) == 2 {
			return "round(" + arg(0) + ", " + whole(arg(1), -400, 400) + ")"
		}
	case "power":
		a, b := arg(0), arg(1)
		return fmt.Sprintf("(case when %s = 0 then case when %s > 0 then 0::numeric when %s = 0 then 1::numeric end when %s < 0 and %s <> trunc(%s) then null when abs(%s) < 1e9 and abs(%s * ln(nullif(abs(%s), 0))) < 900 then power(%s + %s, %s) end)",
			a, b, b, a, b, b, b, b, a, a, zero, b)
	case "sqrt":
		return fmt.Sprintf("(case when %s >= 0 then sqrt(%s + %s) end)", arg(0), arg(0), zero)
	case "ln":
		return fmt.Sprintf("(case when %s > 0 then ln(%s + %s) end)", arg(0), arg(0), zero)
	case "exp":
		return fmt.Sprintf("(case when abs(%s) < 900 then exp(%s + %s) end)", arg(0), arg(0), zero)
	case "mod":
		return "mod(" + arg(0) + ", nullif(" + arg(1) + ", 0))"
	case "lower", "upper":
		return n.op + "(" + arg(0) + ` collate "C.utf8")`
	case "trim":
		return "btrim(" + arg(0) + ")"
	case "length":
		return "length(" + arg(0) + ")::numeric"
	case "substring":
		out := "substring(" + arg(0) + ", " + whole(arg(1), -farCharacters, farCharacters)
		if len(n.args) == 3 { // of a negative length there is none
			length := whole(arg(2), -1, farCharacters)
			return "(case when " + length + " >= 0 then " + out + ", " + length + ") end)"
		}
		return out + ")"
	case "position":
		return "position(" + arg(0) + " in " + arg(1) + ")::numeric"
	case "replace":
		return fmt.Sprintf("replace(left(%s, %d), %s, left(%s, 1000))", arg(0), longestJoined, arg(1), arg(2))
	case "split_part":
		return "split_part(" + arg(0) + ", " + arg(1) + ", nullif(" + whole(arg(2), -farCharacters, farCharacters) + ", 0))"
	case "concat":
		var out []string
		for _, a := range n.args {
			out = append(out, c.short(a))
		}
		return "concat(" + strings.Join(out, ", ") + ")"
	case "extract":
		// The part is one of a fixed list.
		return "extract(" + n.text + " from " + arg(0) + ")"
	case "date_trunc":
		return "date_trunc('" + n.text + "', " + c.as(n.args[0], field.Timestamp) + ")"
	}
	if functions[n.op].aggregate {
		if c.t.Aggregate != nil {
			for _, a := range exprOf(n).Aggregates() {
				if a.print == n.String() {
					return c.t.Aggregate(a)
				}
			}
		}
		c.err = wrong(n.pos, "“%s” is computed over groups, not per record.", n.op)
		return "null"
	}
	return n.op + "(" + list() + ")"
}
