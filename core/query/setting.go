package query

import (
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/statement"
)

// A Setting is what a definition is asked within: the clock and calendar, and every
// filter that reaches the chart besides its own, with the viewer's attributes put in.
type Setting struct {
	Now      time.Time
	Calendar period.Calendar
	Filters  filter.Condition
	Beside   []filter.Condition // what reaches the datasets beside instead, in order
	Viewer   filter.Attributes
	Settings map[string]string // values that the viewer has set, by name
	// Careful is set where sums leave out what cannot be computed with. Other aggregates
	// always do; of a sum it is told by the answer, and asked again then: see problem.Odd.
	Careful bool
}

// Put replaces what names in a condition stand for.
func (s Setting) Put(ds *dataset.Dataset, c filter.Condition) filter.Condition {
	return c.In(ds.Context(s.Viewer, s.Settings))
}

// Env is what conditions are compiled with.
func (s Setting) Env(b *statement.Binder) filter.Env {
	return filter.Env{Bind: b, Now: s.Now, Calendar: s.Calendar, Settings: s.Settings}
}

// For returns the calendar of a date field and now as that field would hold it.
func (s Setting) For(f *dataset.Field) (period.Calendar, time.Time) {
	if f.Zoned {
		return s.Calendar, s.Now
	}
	return s.Calendar.Civil(), s.Calendar.Wall(s.Now)
}

// In gives the setting a dataset's own zone.
func (s Setting) In(ds *dataset.Dataset) Setting {
	if ds.Zone != nil {
		s.Calendar.Zone = ds.Zone
	}
	return s
}

// Besides is the setting of what stands beside with number i: under the filters that
// reach its dataset.
func (s Setting) Besides(i int) Setting {
	s.Filters = filter.Condition{}
	if i < len(s.Beside) {
		s.Filters = s.Beside[i]
	}
	s.Beside = nil
	return s
}

// Mover turns times as one field holds them into the same times as another does.
func (s Setting) Mover(from, to *dataset.Dataset, f, g *dataset.Field) func(time.Time) time.Time {
	a, b := s.In(from).Calendar, s.In(to).Calendar
	if f.Zoned == g.Zoned && (!f.Zoned || a.Zone.String() == b.Zone.String()) {
		return func(t time.Time) time.Time { return t }
	}
	return func(t time.Time) time.Time {
		if f.Zoned {
			t = a.Wall(t)
		}
		if g.Zoned {
			t = b.Reading(t)
		}
		return t
	}
}

// Placeable is where the records of a field of what happened end: now, or for a date
// without a time at the end of today.
func (s Setting) Placeable(f *dataset.Field) time.Time {
	cal, now := s.For(f)
	if f.Type == field.Date {
		return cal.Midnight(now, 1)
	}
	return now.Add(time.Microsecond)
}

// Conditions returns every condition that a record of the chart meets but for the row
// rules: base filter, the chart's own filter, and all that the setting adds.
func Conditions(d Definition, ds *dataset.Dataset, s Setting) filter.Condition {
	var parts []filter.Condition
	if ds.BaseFilter != nil {
		parts = append(parts, s.Put(ds, *ds.BaseFilter))
	}
	if d.Where != nil {
		parts = append(parts, s.Put(ds, *d.Where))
	}
	return filter.And(append(parts, s.Put(ds, s.Filters))...)
}
