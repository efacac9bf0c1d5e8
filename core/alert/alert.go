// Package alert says what is watched and when it is told of: a figure, each group of a chart, or the records of a
// list. It goes step by step from what was known to what is seen now, and has no clock of its own.
package alert

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/dashboard"
	"eskadel/core/decimal"
	"eskadel/core/problem"
)

// A Watch is what is watched on a dashboard.
type Watch struct {
	Page    string          `json:"page,omitempty"` // where the widget stands
	Widget  string          `json:"widget"`
	State   dashboard.State `json:"state"`             // how it is looked at
	When    string          `json:"when"`              // one of Whens
	Measure int             `json:"measure,omitempty"` // of several
	Than    string          `json:"than,omitempty"`    // a number: of above and below the line, of rises and falls by how much
	Percent bool            `json:"percent,omitempty"` // of rises and falls: by so many percent
	Hours   int             `json:"hours,omitempty"`   // of silent
	Keepers bool            `json:"keepers,omitempty"` // all receivers are told what its keeper sees
	Label   string          `json:"label,omitempty"`   // what is watched, as it was called
	Note    string          `json:"note,omitempty"`
	By      []string        `json:"by"` // how people are told: mail, notice
	Quiet   *Quiet          `json:"quiet,omitempty"`
	After   int             `json:"after,omitempty"` // minutes for which it lasts before it is told again; 0 for never
	Again   string          `json:"again,omitempty"` // what is said then
}

// Quiet are times at which nothing is told: from one time of day to another, over midnight too, and on weekends.
type Quiet struct {
	From     string `json:"from,omitempty"` // 22:00
	To       string `json:"to,omitempty"`
	Weekends bool   `json:"weekends,omitempty"`
}

// A Choice can be chosen.
type Choice struct{ Name, Words string }

// When it is told.
const (
	Above  = "above"
	Below  = "below"
	Rises  = "rises"
	Falls  = "falls"
	Comes  = "comes"  // a record that was not there before
	Silent = "silent" // no such record for so long
)

// Whens are all there are.
var Whens = []Choice{{Above, "is above"}, {Below, "is below"}, {Rises, "is up on the time before by at least"}, {Falls, "is down on the time before by at least"}, {Comes, "has a new record"}, {Silent, "has had no new record for"}}

// By are the ways in which people are told.
var By = []Choice{{"mail", "by mail"}, {"notice", "by a notice here"}}

// Bounds of what is written.
const (
	LongestNote  = 300
	LongestHours = 24 * 90
	LongestAfter = 60 * 24 * 14
)

// Points tells whether figures are watched, rather than records.
func (w Watch) Points() bool { return w.When != Comes && w.When != Silent }

// number reads one as it is typed.
func number(s string) (*apd.Decimal, error) {
	d, _, err := apd.NewFromString(strings.TrimSpace(s))
	if err != nil || d.Form != apd.Finite || d.Exponent > 30 || d.Exponent < -30 || d.NumDigits() > 40 {
		return nil, problem.New(problem.Invalid, "than", "“%s” is no number, such as 200 or 12.5.", s)
	}
	return d, nil
}

// Check tells in words what is wrong with a watch on a dashboard.
func (w Watch) Check(d *dashboard.Document) error {
	page, err := d.Page(w.Page)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(page.Widgets, func(x dashboard.Widget) bool { return x.ID == w.Widget }) {
		return problem.New(problem.NotFound, "widget", "What is watched no longer stands on the page “%s”.", page.Title)
	}
	if err := problem.At("state", w.State.Check(d)); err != nil {
		return err
	}
	if !has(Whens, w.When) {
		return problem.New(problem.Missing, "when", "When is it told?")
	}
	if w.Points() {
		than, err := number(w.Than)
		if err != nil {
			return err
		}
		if (w.When == Rises || w.When == Falls) && than.Sign() <= 0 {
			return problem.New(problem.Invalid, "than", "By how much? Write a number above nothing.")
		}
	}
	if w.When == Silent && (w.Hours < 1 || w.Hours > LongestHours) {
		return problem.New(problem.Invalid, "hours", "For how many hours? From 1 to %d.", LongestHours)
	}
	if w.Measure < 0 {
		return problem.New(problem.Invalid, "measure", "There is no such figure.")
	}
	if len(w.By) == 0 {
		return problem.New(problem.Missing, "by", "How are people told?")
	}
	for _, by := range w.By {
		if !has(By, by) {
			return problem.New(problem.Invalid, "by", "“%s” is no way in which people are told.", by)
		}
	}
	for place, text := range map[string]string{"note": w.Note, "again": w.Again} {
		if len([]rune(text)) > LongestNote {
			return problem.New(problem.TooMany, place, "A line has at most %d letters.", LongestNote)
		}
	}
	if w.After < 0 || w.After > LongestAfter {
		return problem.New(problem.Invalid, "after", "After how many minutes? Up to %d.", LongestAfter)
	}
	if q := w.Quiet; q != nil && (q.From != "" || q.To != "") {
		for _, at := range []string{q.From, q.To} {
			if _, err := time.Parse("15:04", at); err != nil {
				return problem.New(problem.Invalid, "quiet", "It is quiet from one time of day to another, such as 22:00 and 06:30.")
			}
		}
		if q.From == q.To {
			return problem.New(problem.Invalid, "quiet", "It would be quiet for no time, or for ever: choose two times of day.")
		}
	}
	return nil
}

func has(all []Choice, name string) bool {
	return slices.ContainsFunc(all, func(c Choice) bool { return c.Name == name })
}

// Words says when it is told: “is above 200”.
func (w Watch) Words() string {
	out := ""
	for _, c := range Whens {
		if c.Name == w.When {
			out = c.Words
		}
	}
	switch w.When {
	case Comes:
		return out
	case Silent:
		return out + " " + counted(w.Hours, "hour")
	}
	out += " " + strings.TrimSpace(w.Than)
	if w.Percent && (w.When == Rises || w.When == Falls) {
		out += "%"
	}
	return out
}

func counted(n int, of string) string {
	if n == 1 {
		return "1 " + of
	}
	return strconv.Itoa(n) + " " + of + "s"
}

// At tells whether nothing is told at a moment, as the clock there shows it.
func (q *Quiet) At(t time.Time) bool {
	if q == nil {
		return false
	}
	if day := t.Weekday(); q.Weekends && (day == time.Saturday || day == time.Sunday) {
		return true
	}
	if q.From == "" {
		return false
	}
	at := t.Format("15:04")
	if q.From < q.To {
		return at >= q.From && at < q.To
	}
	return at >= q.From || at < q.To
}

// A Point is a figure that is watched: a key figure, or that of a group.
type Point struct {
	Key    string // by which it is known
	Label  string // what it is called
	Text   string // as it is shown
	Value  *apd.Decimal
	Before *apd.Decimal // of the time before; nil where it is not compared
}

// Meets tells whether a figure is so that it is told. One that is not there never is.
func (w Watch) Meets(p Point) bool {
	than, err := number(w.Than)
	if err != nil || p.Value == nil {
		return false
	}
	switch w.When {
	case Above:
		return p.Value.Cmp(than) > 0
	case Below:
		return p.Value.Cmp(than) < 0
	}
	if p.Before == nil {
		return false
	}
	var change, least apd.Decimal
	if _, err := decimal.Exact.Sub(&change, p.Value, p.Before); err != nil {
		return false
	}
	if w.When == Falls {
		change.Neg(&change)
	}
	least.Set(than)
	if w.Percent { // change ÷ |before| ≥ than ÷ 100, multiplied out
		var base apd.Decimal
		base.Abs(p.Before)
		if base.IsZero() {
			return change.Sign() > 0
		}
		if _, err := decimal.Exact.Mul(&least, than, &base); err != nil {
			return false
		}
		if _, err := decimal.Exact.Mul(&change, &change, apd.New(100, 0)); err != nil {
			return false
		}
	}
	return change.Cmp(&least) >= 0
}

// words says a point that is told of.
func (w Watch) says(p Point) string { return fmt.Sprintf("%s %s: %s", p.Label, w.Words(), p.Text) }
