// Package delivery says what is delivered, when and in which form: checked, and in words.
package delivery

import (
	"fmt"
	"slices"
	"strings"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/core/schedule"
)

// An Order is what is delivered of a dashboard.
type Order struct {
	Page     string            `json:"page,omitempty"`    // its title; the first when left out
	Widgets  []string          `json:"widgets,omitempty"` // of the page, by their ids; all when left out
	State    dashboard.State   `json:"state"`             // how it is looked at
	As       []string          `json:"as"`                // of Forms
	Only     string            `json:"only,omitempty"`    // of Conditions
	Keepers  bool              `json:"keepers,omitempty"` // all receivers get it as its keeper sees it
	Note     string            `json:"note,omitempty"`    // what stands above it
	Schedule schedule.Schedule `json:"schedule"`
	Calendar int64             `json:"calendar,omitempty"` // of holidays; none when left out
}

// A Choice can be chosen.
type Choice struct{ Name, Words string }

// In which forms it is delivered.
const (
	Pictures = "pictures"
	PDF      = "pdf"
)

// Forms are in which forms something can be delivered; the others than Pictures are attached.
var Forms = []Choice{
	{Pictures, "pictures and figures in the letter"}, {PDF, "a PDF"}, {"xlsx", "a spreadsheet (XLSX)"}, {"csv", "CSV, with decimal points"}, {"commas", "CSV, with semicolons and decimal commas"},
}

// When it is left out: never, where there is nothing to show, or where nothing has changed since the last time.
const (
	Something = "something"
	Changed   = "changed"
)

// Conditions are on which condition something is delivered.
var Conditions = []Choice{{"", "always"}, {Something, "only when there is something to show"}, {Changed, "only when it has changed since the last time"}}

// LongestTitle and LongestNote are how many letters a title and a note may have.
const (
	LongestTitle = 100
	LongestNote  = 500
)

// Check tells in words what is wrong with an order for a dashboard.
func (o Order) Check(d *dashboard.Document) error {
	page, err := d.Page(o.Page)
	if err != nil {
		return err
	}
	for _, id := range o.Widgets {
		if !slices.ContainsFunc(page.Widgets, func(w dashboard.Widget) bool { return w.ID == id }) {
			return problem.New(problem.NotFound, "widgets", "The page “%s” has no such part any more: choose again.", page.Title)
		}
	}
	if len(o.As) == 0 {
		return problem.New(problem.Missing, "as", "In which form is it delivered?")
	}
	for _, as := range o.As {
		if !has(Forms, as) {
			return problem.New(problem.Invalid, "as", "“%s” is not a form that something is delivered in.", as)
		}
	}
	if !has(Conditions, o.Only) {
		return problem.New(problem.Invalid, "only", "“%s” is not a condition that something is delivered on.", o.Only)
	}
	if len([]rune(o.Note)) > LongestNote {
		return problem.New(problem.TooMany, "note", "A line has at most %d letters.", LongestNote)
	}
	if err := problem.At("state", o.State.Check(d)); err != nil {
		return err
	}
	if err := problem.At("schedule", o.Schedule.Check()); err != nil {
		return err
	}
	if o.Calendar == 0 && o.Schedule.Holidays != "" {
		return problem.New(problem.Missing, "calendar", "By which calendar are there holidays?")
	}
	return nil
}

func has(all []Choice, name string) bool {
	return slices.ContainsFunc(all, func(c Choice) bool { return c.Name == name })
}

// Words says what is delivered: “Yards, as pictures and figures in the letter and a PDF of the page, every Monday at 07:00”.
func (o Order) Words(title string) string {
	var forms []string
	for _, f := range Forms {
		if slices.Contains(o.As, f.Name) {
			forms = append(forms, f.Words)
		}
	}
	out := title
	if o.Page != "" && o.Page != title {
		out += ", page " + o.Page
	}
	if n := len(o.Widgets); n > 0 {
		out += map[bool]string{true: ", one part of it", false: fmt.Sprintf(", %d parts of it", n)}[n == 1]
	}
	out += ", as " + strings.Join(forms, " and ") + ", " + o.Schedule.Words()
	for _, c := range Conditions {
		if c.Name == o.Only && c.Name != "" {
			out += ", " + c.Words
		}
	}
	return out
}
