// Package period divides time: grains, the steps of an axis, and relative ranges
// such as "the last 12 months", in a workspace's zone and calendar. The clock is an
// argument everywhere. It does not format (see core/format) and writes no SQL.
package period

import (
	"fmt"
	"time"

	"eskadel/core/locale"
)

// A Grain is the size of a date step.
type Grain int

const (
	Minute Grain = iota + 1
	Hour
	Day
	Week
	Month
	Quarter
	HalfYear
	Year
	Accounting // the host app's own periods
)

var grainNames = [...]string{"", "minute", "hour", "day", "week", "month", "quarter", "half-year", "year", "accounting period"}

func (g Grain) String() string { return grainNames[g] }

// Grains lists all grains, finest first.
func Grains() []Grain { return []Grain{Minute, Hour, Day, Week, Month, Quarter, HalfYear, Year} }

// ParseGrain reads the name of a grain.
func ParseGrain(s string) (Grain, error) {
	for _, g := range append(Grains(), Accounting) {
		if g.String() == s {
			return g, nil
		}
	}
	return 0, fmt.Errorf("%q is not a grain; grains are minute, hour, day, week, month, quarter, half-year, year and accounting period", s)
}

func (g Grain) MarshalText() ([]byte, error) { return []byte(g.String()), nil }

func (g *Grain) UnmarshalText(b []byte) (err error) {
	*g, err = ParseGrain(string(b))
	return err
}

// months returns how many months a step of g has, 0 for weeks and finer.
func (g Grain) months() int {
	switch g {
	case Month:
		return 1
	case Quarter:
		return 3
	case HalfYear:
		return 6
	case Year:
		return 12
	}
	return 0
}

// A Calendar says how a workspace divides time.
type Calendar struct {
	Zone        *time.Location
	FirstDay    time.Weekday // of a week; ISO 8601 has Monday
	MinDays     int          // a week belongs to the year that has at least so many of its days; ISO 8601 has 4
	FiscalStart time.Month   // the month in which quarters, half-years and years are counted from

	Manner *locale.Manner // in which its dates are written, and numbers too

	own []Own // in order
}

// ISO returns the calendar of ISO 8601 in a zone, with years from January.
func ISO(zone *time.Location) Calendar {
	return Calendar{Zone: zone, FirstDay: time.Monday, MinDays: 4, FiscalStart: time.January}
}

// Civil returns the same calendar for columns without a zone, whose times are taken
// as they stand, in UTC.
func (c Calendar) Civil() Calendar {
	c.Zone = time.UTC
	return c
}

// Wall returns the clock face that t shows in the calendar's zone, as a time in UTC:
// what "now" is for columns without a zone.
func (c Calendar) Wall(t time.Time) time.Time {
	_, ahead := t.In(c.Zone).Zone()
	return t.UTC().Add(time.Duration(ahead) * time.Second)
}

// Reading returns the instant at which a clock in the calendar's zone shows the face of t,
// which Wall turns back.
func (c Calendar) Reading(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), t.Hour(), t.Minute(), t.Second(), t.Nanosecond(), c.Zone)
}

// instant returns the first instant whose clock in the zone shows the given time or a later one.
func (c Calendar) instant(year int, month time.Month, day, hour, minute int) time.Time {
	want := time.Date(year, month, day, hour, minute, 0, 0, time.UTC)
	t := time.Date(year, month, day, hour, minute, 0, 0, c.Zone)
	if !c.Wall(t).Equal(want) {
		// The clock skips this time. Go gave an instant on one side of the skip; the
		// transition itself is the first instant that shows a later time.
		start, end := t.ZoneBounds()
		if c.Wall(t).After(want) {
			return start.In(c.Zone)
		}
		return end.In(c.Zone)
	}
	// The clock may show this time twice: take the first of them.
	if start, _ := t.ZoneBounds(); !start.IsZero() {
		_, before := start.Add(-time.Second).Zone()
		if earlier := want.Add(-time.Duration(before) * time.Second); earlier.Before(start) && c.Wall(earlier).Equal(want) {
			return earlier.In(c.Zone)
		}
	}
	return t
}

// Midnight returns the first instant of the civil date of t, n days on.
func (c Calendar) Midnight(t time.Time, days int) time.Time {
	t = t.In(c.Zone)
	return c.instant(t.Year(), t.Month(), t.Day()+days, 0, 0)
}

// Floor returns the start of the step of grain g that t lies in.
func (c Calendar) Floor(t time.Time, g Grain) time.Time {
	t = t.In(c.Zone)
	switch g {
	case Minute:
		return t.Add(-time.Duration(t.Second())*time.Second - time.Duration(t.Nanosecond()))
	case Hour:
		hour := t.Add(-time.Duration(t.Minute())*time.Minute - time.Duration(t.Second())*time.Second - time.Duration(t.Nanosecond()))
		// A zone may change its offset by half an hour within the hour.
		if start, _ := t.ZoneBounds(); start.After(hour) {
			return start.In(c.Zone)
		}
		return hour
	case Day:
		return c.Midnight(t, 0)
	case Accounting:
		if i := c.ownAt(t); i >= 0 {
			return c.border(i)
		}
		return t
	case Week:
		return c.Midnight(t, -((int(t.Weekday()) - int(c.FirstDay) + 7) % 7))
	}
	span := g.months()
	since := (int(t.Month()) - int(c.FiscalStart) + 12) % 12
	return c.instant(t.Year(), t.Month()-time.Month(since%span), 1, 0, 0)
}

// units are what begins with some steps of a grain, the smallest first.
var units = map[Grain][]Grain{
	Minute: {Hour, Day}, Hour: {Day, Week, Month}, Day: {Week, Month, Quarter, Year}, Week: {Month, Quarter, Year},
	Month: {Quarter, Year}, Quarter: {Year}, HalfYear: {Year},
}

// Rank tells how large a unit of the calendar begins with the step of grain g that starts
// at start, or since the step before: 0 for none, 1 for the smallest there is above g.
// Of years, fifths and tenths are such units.
func (c Calendar) Rank(start time.Time, g Grain) (rank int) {
	if g == Year {
		switch year := start.In(c.Zone).Year(); {
		case year%10 == 0:
			return 2
		case year%5 == 0:
			return 1
		}
		return 0
	}
	of := units[g]
	if len(of) == 0 {
		return 0
	}
	before := c.Add(start, g, -1)
	for i, unit := range of {
		if c.Floor(start, unit).After(before) {
			rank = i + 1
		} else if unit != Week { // which months and years do not keep to
			break
		}
	}
	return rank
}

// Add returns the start of the step n steps after the one that starts at start.
func (c Calendar) Add(start time.Time, g Grain, n int) time.Time {
	start = start.In(c.Zone)
	switch g {
	case Minute:
		return start.Add(time.Duration(n) * time.Minute)
	case Hour:
		// Absolute hours: the repeated hour of autumn is a step of its own.
		t := start
		for ; n > 0; n-- {
			next := c.Floor(t.Add(time.Hour), Hour)
			if !next.After(t) {
				next = t.Add(time.Hour)
			}
			t = next
		}
		for ; n < 0; n++ {
			t = c.Floor(t.Add(-time.Nanosecond), Hour)
		}
		return t
	case Day:
		return c.Midnight(start, n)
	case Accounting:
		return c.border(min(max(c.ownAt(start)+n, 0), len(c.own)-1))
	case Week:
		return c.Midnight(start, 7*n)
	}
	return c.instant(start.Year(), start.Month()+time.Month(n*g.months()), 1, 0, 0)
}

// A Range is a half-open span of time, [From, To). A zero end is unbounded.
type Range struct{ From, To time.Time }

// Contains tells whether t lies within r.
func (r Range) Contains(t time.Time) bool {
	return (r.From.IsZero() || !t.Before(r.From)) && (r.To.IsZero() || t.Before(r.To))
}

// Intersect returns what both ranges have in common.
func (r Range) Intersect(s Range) Range {
	if r.From.IsZero() || s.From.After(r.From) {
		r.From = s.From
	}
	if r.To.IsZero() || (!s.To.IsZero() && s.To.Before(r.To)) {
		r.To = s.To
	}
	return r
}

// Steps returns the borders of the steps of grain g that touch r, which must be
// bounded: n steps have n+1 borders. It stops after most steps and says so.
func (c Calendar) Steps(r Range, g Grain, most int) (borders []time.Time, complete bool) {
	if !r.From.Before(r.To) {
		return nil, true
	}
	if g == Accounting {
		borders = c.ownSteps(r)
		return borders, len(borders) <= most+1
	}
	t := c.Floor(r.From, g)
	borders = append(borders, t)
	for t.Before(r.To) {
		if len(borders) > most {
			return borders, false
		}
		t = c.Add(t, g, 1)
		borders = append(borders, t)
	}
	return borders, true
}

// Fitting returns the finest grain that gives at most about 60 steps and at least 2
// over r; never below day where dayOnly is set.
func (c Calendar) Fitting(r Range, dayOnly bool) Grain {
	const most = 62 // "about 60": two months of days and a quarter of days stay apart
	for _, g := range Grains() {
		if dayOnly && g < Day {
			continue
		}
		if borders, complete := c.Steps(r, g, most); complete {
			if len(borders) < 3 && g > Minute && !(dayOnly && g == Day) {
				return g - 1
			}
			return g
		}
	}
	return Year
}

// WeekNumber returns the number of the week t lies in and the year it belongs to, by
// ISO 8601 unless the calendar has another first day or minimum of days.
func (c Calendar) WeekNumber(t time.Time) (year, week int) {
	start := c.Floor(t, Week)
	// The year that has at least MinDays of the week has its day number MinDays from the end.
	decisive := start.AddDate(0, 0, 7-c.MinDays)
	year = decisive.Year()
	first := c.Floor(c.instant(year, time.January, c.MinDays, 0, 0), Week)
	days := int(c.Wall(start).Sub(c.Wall(first)).Hours()+12) / 24
	return year, days/7 + 1
}
