// Package schedule says when something is due: in words, and as moments, through changes of the
// clock, leap days and holidays. It has no clock of its own.
package schedule

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"eskadel/core/problem"
)

// A Schedule is when something is due again and again.
type Schedule struct {
	Every    string   `json:"every"`              // one of Everies
	Weekdays []string `json:"weekdays,omitempty"` // of a week: monday …
	On       *On      `json:"on,omitempty"`       // of a month or a quarter
	At       []string `json:"at"`                 // times of day: 07:00
	Zone     string   `json:"zone,omitempty"`     // IANA; the workspace's when left out
	Holidays string   `json:"holidays,omitempty"` // on one of them: skip, before or after; due all the same when left out
}

// An On is a day of a month or a quarter: the nth of a kind from its beginning or, below zero,
// from its end.
type On struct {
	Nth int    `json:"nth"`
	Of  string `json:"of"` // day, working day, or a weekday
}

// What can be chosen, in the order in which it is offered.
var (
	Everies  = []string{"day", "working day", "week", "month", "quarter"}
	Weekdays = []string{"monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"}
	Policies = []string{"", "skip", "before", "after"}
)

// MostTimes is how often a day something is due at most.
const MostTimes = 12

// Check tells in words what is wrong with a schedule.
func (s Schedule) Check() error {
	wrong := func(place, words string, args ...any) error {
		return problem.New(problem.Invalid, place, words, args...)
	}
	if !slices.Contains(Everies, s.Every) {
		return wrong("every", "“%s” is not how often: %s is.", s.Every, strings.Join(Everies, ", "))
	}
	if s.Every == "week" && len(s.Weekdays) == 0 {
		return problem.New(problem.Missing, "weekdays", "On which days of the week?")
	}
	if s.Every != "week" && len(s.Weekdays) > 0 {
		return wrong("weekdays", "Days of the week belong to every week.")
	}
	for i, d := range s.Weekdays {
		if !slices.Contains(Weekdays, d) {
			return wrong(fmt.Sprintf("weekdays[%d]", i), "“%s” is not a day of the week.", d)
		}
	}
	if of := s.length(); of == 0 && s.On != nil {
		return wrong("on", "A day of the month belongs to every month or quarter.")
	} else if of > 0 {
		if s.On == nil {
			return problem.New(problem.Missing, "on", "On which day of the %s?", s.Every)
		}
		most := map[string]int{"day": 31 * of, "working day": 20 * of}[s.On.Of]
		if slices.Contains(Weekdays, s.On.Of) {
			most = 4 * of
		}
		if most == 0 {
			return wrong("on.of", "“%s” is not a kind of day: day, working day or a day of the week is.", s.On.Of)
		}
		if n := max(s.On.Nth, -s.On.Nth); n < 1 || n > most {
			return wrong("on.nth", "A %s has 1 to %d such days, counted from its beginning or its end.", s.Every, most)
		}
	}
	if len(s.At) == 0 {
		return problem.New(problem.Missing, "at", "At what time?")
	}
	if len(s.At) > MostTimes {
		return problem.New(problem.TooMany, "at", "At most %d times a day.", MostTimes)
	}
	for i, at := range s.At {
		if _, err := time.Parse("15:04", at); err != nil || len(at) != 5 {
			return wrong(fmt.Sprintf("at[%d]", i), "“%s” is not a time of day, such as 07:00.", at)
		}
	}
	if _, err := time.LoadLocation(s.Zone); err != nil || s.Zone == "Local" {
		return wrong("zone", "There is no time zone “%s”.", s.Zone)
	}
	if !slices.Contains(Policies, s.Holidays) {
		return wrong("holidays", "“%s” is not what is done on holidays: skip, before, after is.", s.Holidays)
	}
	return nil
}

// length is how many months the period has in which a day is chosen; 0 where none is.
func (s Schedule) length() int { return map[string]int{"month": 1, "quarter": 3}[s.Every] }

// Holidays are days on which nobody works.
type Holidays map[Date]bool

// A Date is a day of the calendar.
type Date struct {
	Year  int
	Month time.Month
	Day   int
}

// DateOf is the day that a moment lies in where it is read.
func DateOf(t time.Time) Date {
	y, m, d := t.Date()
	return Date{y, m, d}
}

func (d Date) noon() time.Time { return time.Date(d.Year, d.Month, d.Day, 12, 0, 0, 0, time.UTC) }

// Plus is so many days later.
func (d Date) Plus(days int) Date { return DateOf(d.noon().AddDate(0, 0, days)) }

// Weekday is which day of the week it is, as Weekdays calls it.
func (d Date) Weekday() string { return strings.ToLower(d.noon().Weekday().String()) }

func (d Date) before(e Date) bool { return d.noon().Before(e.noon()) }

// works tells whether it is a working day: from Monday to Friday, and no holiday.
func (h Holidays) works(d Date) bool {
	day := d.noon().Weekday()
	return day != time.Saturday && day != time.Sunday && !h[d]
}

// longestAway is how many days a due day can lie from where the calendar has it: further from a working
// day no holidays are.
const longestAway = 31

// dates are the days from one to another, both included, on which something is due.
func (s Schedule) dates(from, to Date, h Holidays) (out []Date) {
	for d := from.Plus(-longestAway); !to.Plus(longestAway).before(d); d = d.Plus(1) {
		if !s.falls(d, h) {
			continue
		}
		due, ok := s.moved(d, h)
		if ok && !due.before(from) && !to.before(due) && !slices.Contains(out, due) {
			out = append(out, due)
		}
	}
	slices.SortFunc(out, func(a, b Date) int { return a.noon().Compare(b.noon()) })
	return out
}

// falls tells whether the calendar has a day as one on which something is due.
func (s Schedule) falls(d Date, h Holidays) bool {
	switch s.Every {
	case "day":
		return true
	case "working day":
		return h.works(d)
	case "week":
		return slices.Contains(s.Weekdays, d.Weekday())
	}
	first := Date{d.Year, d.Month - (d.Month-1)%time.Month(s.length()), 1}
	last := DateOf(first.noon().AddDate(0, s.length(), -1))
	if s.On.Of == "day" && s.length() == 1 { // a month that is too short has its last day instead
		n := s.On.Nth
		if n < 0 {
			n = max(1, last.Day+1+n)
		}
		return d.Day == min(n, last.Day)
	}
	kind := func(e Date) bool {
		switch s.On.Of {
		case "day":
			return true
		case "working day":
			return h.works(e)
		}
		return e.Weekday() == s.On.Of
	}
	if !kind(d) {
		return false
	}
	n, step, edge := s.On.Nth, 1, first
	if n < 0 {
		n, step, edge = -n, -1, last
	}
	for e := edge; ; e = e.Plus(step) {
		if kind(e) {
			n--
		}
		if e == d {
			return n == 0
		}
		if n == 0 {
			return false
		}
	}
}

// moved is the day on which it is due instead of a holiday; false for none.
func (s Schedule) moved(d Date, h Holidays) (Date, bool) {
	if s.Holidays == "" || !h[d] {
		return d, true
	}
	step := map[string]int{"before": -1, "after": 1}[s.Holidays]
	for range longestAway {
		if step == 0 {
			return d, false
		}
		if d = d.Plus(step); h.works(d) {
			return d, true
		}
	}
	return d, false
}

// moment is a time of day in a zone: of two that are called the same the first, and for one that
// there is not, since the clock is put forward over it, the moment at which that is done.
func moment(d Date, at string, zone *time.Location) time.Time {
	of, _ := time.Parse("15:04", at)
	t := time.Date(d.Year, d.Month, d.Day, of.Hour(), of.Minute(), 0, 0, zone)
	wall := func(t time.Time) time.Time {
		return time.Date(t.Year(), t.Month(), t.Day(), t.Hour(), t.Minute(), 0, 0, time.UTC)
	}
	wanted := time.Date(d.Year, d.Month, d.Day, of.Hour(), of.Minute(), 0, 0, time.UTC)
	start, end := t.ZoneBounds()
	switch is := wall(t); {
	case is.After(wanted):
		return start
	case is.Before(wanted):
		return end
	}
	if !start.IsZero() {
		_, offset := start.Add(-time.Second).Zone()
		if earlier := wanted.Add(-time.Duration(offset) * time.Second).In(zone); earlier.Before(start) {
			return earlier
		}
	}
	return t
}

// in is where the schedule is read.
func (s Schedule) in(workspace *time.Location) *time.Location {
	if s.Zone == "" {
		return workspace
	}
	zone, err := time.LoadLocation(s.Zone)
	if err != nil {
		return workspace
	}
	return zone
}

// Between are the moments after one and up to another at which something is due, each once. zone is
// the workspace's.
func (s Schedule) Between(after, until time.Time, zone *time.Location, h Holidays) (out []time.Time) {
	zone = s.in(zone)
	for _, d := range s.dates(DateOf(after.In(zone)).Plus(-1), DateOf(until.In(zone)).Plus(1), h) {
		for _, at := range s.At {
			if t := moment(d, at, zone); t.After(after) && !t.After(until) && !slices.ContainsFunc(out, t.Equal) {
				out = append(out, t)
			}
		}
	}
	slices.SortFunc(out, time.Time.Compare)
	return out
}

// furthest is how many days ahead it is looked for when something is due next.
const furthest = 2000

// Next is when something is due first after a moment; the zero time where it never is again.
func (s Schedule) Next(after time.Time, zone *time.Location, h Holidays) time.Time {
	for from, days := after, 7; days < furthest; days *= 2 {
		until := after.AddDate(0, 0, days)
		if all := s.Between(from, until, zone, h); len(all) > 0 {
			return all[0]
		}
		from = until
	}
	return time.Time{}
}
