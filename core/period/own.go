package period

import (
	"sort"
	"time"
)

// An Own is one of the host app's own accounting periods: its first day, as a civil date
// in UTC, and its name.
type Own struct {
	Start time.Time
	Name  string
}

// WithOwn returns the calendar with accounting periods, of which the last only ends the
// one before it. They may come in any order.
func (c Calendar) WithOwn(periods []Own) Calendar {
	c.own = append([]Own{}, periods...)
	sort.Slice(c.own, func(i, j int) bool { return c.own[i].Start.Before(c.own[j].Start) })
	return c
}

// HasOwn tells whether there are accounting periods.
func (c Calendar) HasOwn() bool { return len(c.own) > 1 }

// border is the first instant of the i-th accounting period.
func (c Calendar) border(i int) time.Time {
	y, m, d := c.own[i].Start.Date()
	return c.instant(y, m, d, 0, 0)
}

// ownAt returns the number of the accounting period that t lies in, -1 before the first.
func (c Calendar) ownAt(t time.Time) int {
	return sort.Search(len(c.own), func(i int) bool { return c.border(i).After(t) }) - 1
}

// OwnName returns the name of the accounting period that starts at t.
func (c Calendar) OwnName(t time.Time) string {
	if i := c.ownAt(t); i >= 0 {
		return c.own[i].Name
	}
	return ""
}

// ownSteps returns the borders of the accounting periods that touch r; what lies outside
// all of them is in no step.
func (c Calendar) ownSteps(r Range) (borders []time.Time) {
	for i := 0; i+1 < len(c.own); i++ {
		if from, to := c.border(i), c.border(i+1); to.After(r.From) && from.Before(r.To) {
			if len(borders) == 0 {
				borders = append(borders, from)
			}
			borders = append(borders, to)
		}
	}
	return borders
}
