// Package holidays reads files of calendars (iCalendar, RFC 5545) for the days on which nobody works.
package holidays

import (
	"bytes"
	"io"
	"slices"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/teambition/rrule-go"

	"eskadel/core/problem"
)

// A file of a calendar has at most so many bytes, events, and days from each.
const (
	MostBytes  = 2 << 20
	mostEvents = 5000
	mostDays   = 10000
	longest    = 60 // days that one event lasts
)

// Read reads the days of whole-day events from one year to another, each once and in order, as 2026-12-25. Events
// with a time of day are appointments, and are left out.
func Read(r io.Reader, from, to int) ([]string, error) {
	b, err := io.ReadAll(io.LimitReader(r, MostBytes+1))
	if err != nil {
		return nil, err
	}
	if len(b) > MostBytes {
		return nil, problem.New(problem.TooMany, "calendar", "A calendar's file has at most %d MB.", MostBytes>>20)
	}
	none := problem.New(problem.Invalid, "calendar", "This is not the file of a calendar (iCalendar, .ics).")
	if !bytes.Contains(b, []byte("BEGIN:VCALENDAR")) {
		return nil, none
	}
	cal, err := ics.ParseCalendar(bytes.NewReader(b))
	if err != nil {
		return nil, none.Because(err)
	}
	events := cal.Events()
	if len(events) > mostEvents {
		return nil, problem.New(problem.TooMany, "calendar", "A calendar has at most %d events.", mostEvents)
	}
	begin, end := time.Date(from, 1, 1, 0, 0, 0, 0, time.UTC), time.Date(to, 12, 31, 0, 0, 0, 0, time.UTC)
	days := map[string]bool{}
	for _, e := range events {
		if err := read(e, begin, end, days); err != nil {
			return nil, err
		}
	}
	if len(days) == 0 {
		return nil, problem.New(problem.Invalid, "calendar", "No whole day from %d to %d stands in this calendar.", from, to)
	}
	out := make([]string, 0, len(days))
	for d := range days {
		out = append(out, d)
	}
	slices.Sort(out)
	return out, nil
}

const form = "20060102"

// date is the day that a property says; false where it has a time of day.
func date(p *ics.IANAProperty) (time.Time, bool) {
	if p == nil {
		return time.Time{}, false
	}
	at, err := time.Parse(form, strings.TrimSpace(p.Value))
	return at, err == nil
}

// read notes the days of an event.
func read(e *ics.VEvent, begin, end time.Time, days map[string]bool) error {
	first, whole := date(e.GetProperty(ics.ComponentPropertyDtStart))
	if !whole {
		return nil
	}
	lasts := 1
	if last, ok := date(e.GetProperty(ics.ComponentPropertyDtEnd)); ok {
		lasts = min(max(int(last.Sub(first).Hours()/24), 1), longest)
	}
	starts := []time.Time{first}
	if p := e.GetProperty(ics.ComponentPropertyRrule); p != nil {
		odd := problem.New(problem.Invalid, "calendar", "How an event of %s recurs is not understood: “%s”.", first.Format(time.DateOnly), p.Value)
		option, err := rrule.StrToROption(p.Value)
		if err != nil || option.Freq > rrule.DAILY { // within a day nothing recurs that lasts a whole one
			return odd.Because(err)
		}
		option.Dtstart = first
		rule, err := rrule.NewRRule(*option)
		if err != nil {
			return odd.Because(err)
		}
		starts = rule.Between(begin.AddDate(0, 0, -longest), end, true)
	}
	without := map[time.Time]bool{}
	for _, p := range e.GetProperties(ics.ComponentPropertyExdate) {
		for _, one := range strings.Split(p.Value, ",") {
			if at, err := time.Parse(form, strings.TrimSpace(one)); err == nil {
				without[at] = true
			}
		}
	}
	for _, at := range starts {
		for i := range lasts {
			day := at.AddDate(0, 0, i)
			if without[at] || day.Before(begin) || day.After(end) {
				continue
			}
			if days[day.Format(time.DateOnly)] = true; len(days) > mostDays {
				return problem.New(problem.TooMany, "calendar", "A calendar of holidays has at most %d days.", mostDays)
			}
		}
	}
	return nil
}
