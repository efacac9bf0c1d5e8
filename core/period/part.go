package period

import (
	"fmt"
	"sync"
	"time"

	"eskadel/core/locale"
)

// A Part is what repeats in dates: weekday, month of year and so on. Its values are
// whole numbers, in the order that the calendar gives them.
type Part int

const (
	MonthOfYear Part = iota + 1
	QuarterOfYear
	Weekday    // 1 for Monday to 7 for Sunday
	DayOfMonth // 1 to 31
	HourOfDay  // 0 to 23
	ISOWeek    // 1 to 53, by ISO 8601
)

var partNames = [...]string{"", "month of year", "quarter of year", "weekday", "day of month", "hour of day", "week of year"}

func (p Part) String() string { return partNames[p] }

// laid are the parts over which years can be laid, with the grain that a step of each has.
var laid = map[Part]Grain{MonthOfYear: Month, QuarterOfYear: Quarter, ISOWeek: Week}

// Grain is the grain of a part that a year has each value of once; 0 for the others.
func (p Part) Grain() Grain { return laid[p] }

// PartOf is the part of a year whose values are steps of a grain; 0 where there is none.
func PartOf(g Grain) Part {
	for p, of := range laid {
		if of == g {
			return p
		}
	}
	return 0
}

// Parts lists all parts.
func Parts() []Part {
	return []Part{MonthOfYear, QuarterOfYear, ISOWeek, DayOfMonth, Weekday, HourOfDay}
}

// ParsePart reads the name of a part.
func ParsePart(s string) (Part, error) {
	for _, p := range Parts() {
		if p.String() == s {
			return p, nil
		}
	}
	return 0, fmt.Errorf("%q is not a repeating part; parts are month of year, quarter of year, week of year, day of month, weekday and hour of day", s)
}

func (p Part) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

func (p *Part) UnmarshalText(b []byte) (err error) {
	*p, err = ParsePart(string(b))
	return err
}

// Of returns the value of the part at t, a time of the calendar's clock in UTC.
func (c Calendar) Of(p Part, t time.Time) int {
	switch p {
	case MonthOfYear:
		return int(t.Month())
	case QuarterOfYear:
		return c.since(t)/3 + 1
	case Weekday:
		return int(t.Weekday()+6)%7 + 1
	case DayOfMonth:
		return t.Day()
	case HourOfDay:
		return t.Hour()
	}
	_, week := t.ISOWeek()
	return week
}

// since counts the months from the start of the fiscal year.
func (c Calendar) since(t time.Time) int { return (int(t.Month()) - int(c.FiscalStart) + 12) % 12 }

// Values returns every value of the part in the calendar's order: months from the start
// of the fiscal year, weekdays from the first day of the week.
func (c Calendar) Values(p Part) []int {
	low, n, first := 1, 0, 1
	switch p {
	case MonthOfYear:
		n, first = 12, int(c.FiscalStart)
	case QuarterOfYear:
		n = 4
	case Weekday:
		n, first = 7, int(c.FirstDay+6)%7+1
	case DayOfMonth:
		n = 31
	case HourOfDay:
		low, n, first = 0, 24, 0
	case ISOWeek:
		n = 53
	}
	out := make([]int, n)
	for i := range out {
		out[i] = (first-low+i)%n + low
	}
	return out
}

// Label is how readers see a value of the part.
func (p Part) Label(m *locale.Manner, v int) string {
	switch p {
	case MonthOfYear:
		if v >= 1 && v <= 12 {
			return m.Month(time.Month(v), false)
		}
	case QuarterOfYear:
		return fmt.Sprintf("Q%d", v)
	case Weekday:
		if v >= 1 && v <= 7 {
			return m.Weekday(time.Weekday(v%7), false)
		}
	case HourOfDay:
		return fmt.Sprintf("%02d:00", v)
	case ISOWeek:
		return fmt.Sprintf("W%02d", v)
	}
	return fmt.Sprint(v)
}

// Short is Label where there is little room: "Mar", "Mon".
func (p Part) Short(m *locale.Manner, v int) string {
	switch {
	case p == MonthOfYear && v >= 1 && v <= 12:
		return m.Month(time.Month(v), true)
	case p == Weekday && v >= 1 && v <= 7:
		return m.Weekday(time.Weekday(v%7), true)
	}
	return p.Label(m, v)
}

// Offsets returns how far the clock of the zone is ahead of UTC, in seconds, and the
// instants at which that changes, from 1900 to 2100: one more offset than instants.
func (c Calendar) Offsets() (changes []time.Time, seconds []int) {
	if kept, ok := offsets.Load(c.Zone); ok {
		o := kept.(zoneOffsets)
		return o.changes, o.seconds
	}
	t := time.Date(1900, 1, 1, 0, 0, 0, 0, time.UTC).In(c.Zone)
	end := time.Date(2100, 1, 1, 0, 0, 0, 0, time.UTC)
	_, offset := t.Zone()
	seconds = []int{offset}
	for t.Before(end) {
		_, next := t.ZoneBounds()
		if next.IsZero() {
			break
		}
		if !next.After(t) { // bounds may be found empty where a year ends
			next = t.Add(time.Hour)
		}
		if _, o := next.Zone(); o != seconds[len(seconds)-1] && next.Before(end) {
			changes, seconds = append(changes, next.UTC()), append(seconds, o)
		}
		t = next
	}
	offsets.Store(c.Zone, zoneOffsets{changes, seconds})
	return changes, seconds
}

// offsets keeps what Offsets found, by zone.
var offsets sync.Map

type zoneOffsets struct {
	changes []time.Time
	seconds []int
}

// PartStart returns the first instant of a value of the part within the year that starts
// at year; ok is false for parts of which a year has several, such as weekdays.
func (c Calendar) PartStart(p Part, value int, year time.Time) (start time.Time, ok bool) {
	year = year.In(c.Zone)
	switch p {
	case MonthOfYear:
		m := time.Month(value)
		y := year.Year()
		if m < year.Month() {
			y++
		}
		return c.instant(y, m, 1, 0, 0), true
	case QuarterOfYear:
		return c.instant(year.Year(), year.Month()+time.Month(3*(value-1)), 1, 0, 0), true
	case ISOWeek:
		// The fourth day of any week that starts the year lies in it, by ISO 8601.
		y, _ := year.AddDate(0, 0, 3).ISOWeek()
		fourth := time.Date(y, time.January, 4, 0, 0, 0, 0, time.UTC)
		monday := fourth.AddDate(0, 0, -int(fourth.Weekday()+6)%7+7*(value-1))
		return c.instant(monday.Year(), monday.Month(), monday.Day(), 0, 0), true
	}
	return year, false
}

// PartSpan returns what a value of the part covers of the year that starts at year, as
// PartStart tells its start.
func (c Calendar) PartSpan(p Part, value int, year time.Time) (r Range, ok bool) {
	start, ok := c.PartStart(p, value, year)
	if !ok {
		return r, false
	}
	return Range{start, c.Add(start, p.Grain(), 1)}, true
}

// WeekYears returns the borders of the years of ISO 8601, which start with their first
// week, that touch r.
func (c Calendar) WeekYears(r Range) (borders []time.Time) {
	start := func(y int) time.Time {
		t, _ := c.PartStart(ISOWeek, 1, time.Date(y, time.January, 4, 12, 0, 0, 0, time.UTC))
		return t
	}
	y, _ := c.Wall(r.From).ISOWeek()
	for borders = append(borders, start(y)); borders[len(borders)-1].Before(r.To); y++ {
		borders = append(borders, start(y+1))
	}
	return borders
}
