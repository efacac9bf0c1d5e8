// Package snapshot says what is drawn on a frozen page, and compares what was frozen with what is so now.
package snapshot

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/alert"
	"eskadel/core/decimal"
	"eskadel/core/problem"
)

// A Note is drawn on a snapshot: words at a place, an arrow from one place to another, or a ring around one.
type Note struct {
	Kind string  `json:"kind"` // one of Kinds
	From Anchor  `json:"from"`
	To   *Anchor `json:"to,omitempty"` // of an arrow
	Text string  `json:"text,omitempty"`
}

// An Anchor is a place on a widget: a mark of its drawing, a cell of its table, or a point in shares of its width
// and height.
type Anchor struct {
	Widget string  `json:"widget"`
	Mark   string  `json:"mark,omitempty"` // series and group, as “0 3”
	Cell   int     `json:"cell,omitempty"` // from 1
	X      float64 `json:"x,omitempty"`
	Y      float64 `json:"y,omitempty"`
	Words  string  `json:"words,omitempty"` // what it calls itself
}

// Kinds are what can be drawn.
var Kinds = []string{"note", "arrow", "ring"}

// Bounds of what is drawn.
const (
	MostNotes   = 100
	LongestText = 500
	longestMark = 200
)

var mark = regexp.MustCompile(`^\d{1,5} \d{1,5}$`)

// Check tells in words what is wrong with notes on widgets.
func Check(notes []Note, widgets []string) error {
	if len(notes) > MostNotes {
		return problem.New(problem.TooMany, "notes", "At most %d things are drawn on a snapshot.", MostNotes)
	}
	for i, n := range notes {
		wrong := func(place, words string, args ...any) error {
			return problem.New(problem.Invalid, fmt.Sprintf("notes[%d].%s", i, place), words, args...)
		}
		if !slices.Contains(Kinds, n.Kind) {
			return wrong("kind", "“%s” is not drawn: %s is.", n.Kind, strings.Join(Kinds, ", "))
		}
		if (n.Kind == "arrow") != (n.To != nil) {
			return wrong("to", "An arrow leads somewhere, and nothing else does.")
		}
		if n.Kind == "note" && strings.TrimSpace(n.Text) == "" {
			return problem.New(problem.Missing, fmt.Sprintf("notes[%d].text", i), "Write what the note says.")
		}
		if len([]rune(n.Text)) > LongestText {
			return wrong("text", "A note has at most %d letters.", LongestText)
		}
		anchors := []Anchor{n.From}
		if n.To != nil {
			anchors = append(anchors, *n.To)
		}
		for _, a := range anchors {
			if !slices.Contains(widgets, a.Widget) || a.Mark != "" && !mark.MatchString(a.Mark) || a.Cell < 0 || a.Cell > 1_000_000 || !(a.X >= 0 && a.X <= 1 && a.Y >= 0 && a.Y <= 1) || len([]rune(a.Words)) > longestMark {
				return wrong("from", "What is drawn stands at a place that there is not.")
			}
		}
	}
	return nil
}

// A Difference is a figure then and now.
type Difference struct {
	Label, Then, Now string
	Change           string // in percent; "" where it cannot be said
	Way              string // up, down or same
}

// gone and fresh are said of figures that are not there on one side.
const (
	gone  = "no longer there"
	fresh = "not there then"
)

// Compare sets figures then beside those now: in the order of then, and what is new after them.
func Compare(then, now []alert.Point) (out []Difference) {
	is := map[string]alert.Point{}
	for _, p := range now {
		is[p.Key] = p
	}
	was := map[string]bool{}
	for _, p := range then {
		if was[p.Key] {
			continue
		}
		was[p.Key] = true
		d := Difference{Label: p.Label, Then: p.Text, Now: gone}
		if n, there := is[p.Key]; there {
			d.Now = n.Text
			d.Change, d.Way = change(p.Value, n.Value)
		}
		out = append(out, d)
	}
	for _, p := range now {
		if !was[p.Key] {
			was[p.Key] = true
			out = append(out, Difference{Label: p.Label, Then: fresh, Now: p.Text})
		}
	}
	return out
}

// change is by how much a figure changed.
func change(then, now *apd.Decimal) (percent, way string) {
	if then == nil || now == nil {
		return "", ""
	}
	way = map[int]string{-1: "down", 0: "same", 1: "up"}[now.Cmp(then)]
	if then.IsZero() || way == "same" {
		return "", way
	}
	var by, base apd.Decimal
	_, _ = decimal.Exact.Sub(&by, now, then)
	base.Abs(then)
	q := decimal.Quotient(&by, &base).Decimal()
	if q == nil {
		return "", way
	}
	var shown apd.Decimal
	_, _ = decimal.Exact.Mul(&shown, q, apd.New(100, 0))
	if _, err := decimal.Wide.Quantize(&shown, &shown, -1); err != nil {
		return "", way
	}
	sign := ""
	if !shown.Negative {
		sign = "+"
	}
	return sign + shown.Text('f') + "%", way
}
