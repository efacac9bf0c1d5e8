// Package formula is the language of calculated fields and measures: the expression part
// of SQL. It reads a formula, checks its types before anything runs, prints it back,
// compiles the part per record to SQL with bound parameters, and computes formulas over
// aggregates in decimals. What it compiles cannot raise an error in the database: a
// division by zero, a logarithm of zero and a cast that fails give an empty value.
// It knows fields only through Names, and runs nothing.
package formula

import (
	"sort"
	"strings"

	"eskadel/core/field"
)

// A Width says over what a formula is computed, narrowest first.
type Width int

const (
	Constant  Width = iota // the same everywhere
	PerRecord              // a value for each record
	OverGroup              // a value for a group of records: it has an aggregate
)

// Interval is the type of a span of time within a formula; it is no result.
const Interval field.Type = 100

// A Known is what a formula must know of a name.
type Known struct {
	Type field.Type
	// Digits and Scale bound the digits before and after the point of a number; both 0
	// when nothing is known.
	Digits, Scale int
	Constant      bool // a value that a viewer sets
}

// Names tells which names a formula may use.
type Names interface {
	// Name returns what is known of a name.
	Name(name string) (Known, bool)
	// All lists the names, for offering the nearest.
	All() []string
}

// An Expr is a formula that has been read and checked.
type Expr struct {
	Type  field.Type
	Width Width
	// Digits and Scale bound a number's digits, as in Known.
	Digits, Scale int
	root          *node
}

// Parse reads and checks a formula.
func Parse(s string, names Names) (*Expr, error) {
	root, err := parse(s)
	if err != nil {
		return nil, err
	}
	c := &checker{names: names}
	if err := c.check(root); err != nil {
		return nil, err
	}
	if root.typ == field.Empty {
		return nil, wrong(root.pos, "This formula never has a value.")
	}
	if root.typ == Interval {
		return nil, wrong(root.pos, "A span of time is not a result: add it to a date, or take extract(epoch from …) of it for seconds.")
	}
	if root.width == OverGroup {
		if n := root.bare(); n != nil {
			return nil, wrong(n.pos, "“%s” has a value for each record, while this formula is computed over groups: take sum, avg, min or max of it.", n.text)
		}
	}
	return &Expr{Type: root.typ, Width: root.width, Digits: root.digits, Scale: root.scale, root: root}, nil
}

// String prints the formula back.
func (e *Expr) String() string { return e.root.String() }

// Name is the field or setting that the formula names and is nothing else than; ok is false
// for other formulas, and for none.
func (e *Expr) Name() (name string, ok bool) {
	if e == nil || e.root.op != "name" {
		return "", false
	}
	return e.root.text, true
}

// Uses returns the names that the formula refers to, in order, each once.
func (e *Expr) Uses() []string {
	seen := map[string]bool{}
	e.root.walk(func(n *node) {
		if n.op == "name" {
			seen[n.text] = true
		}
	})
	var out []string
	for name := range seen {
		out = append(out, name)
	}
	sort.Strings(out)
	return out
}

// Uses returns the names in a formula's text without checking them; none when it cannot be read.
func Uses(s string) []string {
	root, err := parse(s)
	if err != nil {
		return nil
	}
	return (&Expr{root: root}).Uses()
}

func (n *node) walk(visit func(*node)) {
	visit(n)
	for _, a := range n.args {
		a.walk(visit)
	}
	if n.where != nil {
		n.where.walk(visit)
	}
}

// bare finds a record's name outside any aggregate.
func (n *node) bare() *node {
	if n.op == "name" && n.width == PerRecord {
		return n
	}
	if functions[n.op].aggregate {
		return nil
	}
	for _, a := range n.args {
		if b := a.bare(); b != nil {
			return b
		}
	}
	return nil
}

// An Aggregate is one aggregate call of a formula.
type Aggregate struct {
	Func     string // count, sum, avg, min, max, median, percentile or stddev
	Distinct bool   // of count
	Of       *Expr  // nil for count(*)
	Where    *Expr  // nil without a filter
	P        field.Value
	print    string
}

// Aggregates returns the aggregates of a formula over groups, each once.
func (e *Expr) Aggregates() []Aggregate {
	var out []Aggregate
	seen := map[string]bool{}
	e.root.walk(func(n *node) {
		if !functions[n.op].aggregate || seen[n.String()] {
			return
		}
		seen[n.String()] = true
		a := Aggregate{Func: n.op, Distinct: n.text == "distinct", print: n.String()}
		if len(n.args) > 0 {
			a.Of = exprOf(n.args[0])
		}
		if n.op == "percentile" {
			a.P, _ = constant(n.args[1])
		}
		if n.where != nil {
			a.Where = exprOf(n.where)
		}
		out = append(out, a)
	})
	return out
}

func exprOf(n *node) *Expr {
	return &Expr{Type: n.typ, Width: n.width, Digits: n.digits, Scale: n.scale, root: n}
}

// constant computes a node that needs no record.
func constant(n *node) (field.Value, bool) {
	simple := true
	n.walk(func(m *node) {
		simple = simple && m.op != "name" && m.op != "now" && m.op != "current_date"
	})
	if !simple || n.width != Constant {
		return field.Value{}, false
	}
	return evaluator{}.eval(n), true
}

// nearest offers the name that was probably meant: “ (did you mean …?)”, or nothing.
func nearest(name string, names []string) string {
	best, least := "", 1+len(name)/3
	for _, n := range names {
		if d := distance(strings.ToLower(name), strings.ToLower(n)); d <= least && (best == "" || d < least) {
			best, least = n, d
		}
	}
	if best == "" {
		return ""
	}
	return "; did you mean “" + best + "”?"
}

// distance counts the letters to change, add or leave out between two names.
func distance(a, b string) int {
	x, y := []rune(a), []rune(b)
	row := make([]int, len(y)+1)
	for j := range row {
		row[j] = j
	}
	for i := range x {
		before := row[0]
		row[0] = i + 1
		for j := range y {
			cost := before
			if x[i] != y[j] {
				cost++
			}
			before = row[j+1]
			row[j+1] = min(cost, row[j]+1, row[j+1]+1)
		}
	}
	return row[len(y)]
}
