package period

import "time"

// A Comparing says what is compared with what came before it.
type Comparing struct {
	Range    Range // what is shown, bounded
	Unit     Grain // what the range counts, where its words say so ("this month"); 0 otherwise
	Units    int
	Year     bool  // with the same period a year before
	Fixed    Range // with this range; zero for none
	Now      time.Time
	DateOnly bool // the field holds dates without a time
	Planned  bool // the field holds plans: unfinished periods are compared whole
}

// A Pairing sets earlier spans beside the steps of an axis.
type Pairing struct {
	Steps []Range   // per step; the zero Range for one without a partner
	Total Range     // what totals are compared with, over its own range
	Cut   time.Time // where the earlier side ends early, since now is unfinished; zero where it is whole
}

// shift leads from a time now to the time it is compared with: months back by the
// calendar, or days.
type shift struct {
	c            Calendar
	months, days int
}

// start shifts the beginning of a span: a day that the earlier month has not becomes its last.
func (s shift) start(t time.Time) time.Time { return s.to(t, false) }

// end shifts the end of a span, not included: a day that the earlier month has not
// becomes the first of the next.
func (s shift) end(t time.Time) time.Time { return s.to(t, true) }

func (s shift) to(t time.Time, end bool) time.Time {
	t = t.In(s.c.Zone)
	y, m, d := t.Date()
	if s.months != 0 {
		first := time.Date(y, m-time.Month(s.months), 1, 0, 0, 0, 0, time.UTC)
		last := first.AddDate(0, 1, -1).Day()
		y, m = first.Year(), first.Month()
		if d > last && !end {
			d = last
		}
	}
	out := s.c.instant(y, m, d-s.days, t.Hour(), t.Minute())
	if rest := time.Duration(t.Second())*time.Second + time.Duration(t.Nanosecond()); rest > 0 {
		out = out.Add(rest)
	}
	return out
}

// days counts the civil days from a to b.
func (c Calendar) days(a, b time.Time) int {
	day := func(t time.Time) time.Time {
		y, m, d := t.In(c.Zone).Date()
		return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
	}
	return int(day(b).Sub(day(a)).Hours()) / 24
}

// Days counts the civil days that r touches.
func (c Calendar) Days(r Range) int {
	if !r.From.Before(r.To) {
		return 0
	}
	return c.days(r.From, r.To.Add(-time.Nanosecond)) + 1
}

// whole returns the coarsest unit of which r is a whole number, 0 when there is none.
func (c Calendar) whole(r Range) (unit Grain, n int) {
	for i := len(Units()) - 1; i >= 0; i-- {
		g := Units()[i]
		if !c.Floor(r.From, g).Equal(r.From) {
			continue
		}
		n, t := 0, r.From
		for t.Before(r.To) && n < 10_000 {
			t = c.Add(t, g, 1)
			n++
		}
		if t.Equal(r.To) {
			return g, n
		}
	}
	return 0, 0
}

// Pair finds, for an axis with the given borders of grain g, the earlier spans that its
// steps are compared with. A range of whole calendar units is compared with as many
// units before it, another with as many days; steps pair in order, hours by local time,
// weeks of a year before by their number. What has not ended on a field of what happened
// is compared with the same elapsed part.
func (c Calendar) Pair(w Comparing, borders []time.Time, g Grain) Pairing {
	r := w.Range
	unit, n := w.Unit, w.Units
	if unit == 0 || !c.Floor(r.From, unit).Equal(r.From) {
		unit, n = c.whole(r)
	}
	intended := r.To
	if unit != 0 {
		if end := c.Add(r.From, unit, n); end.After(intended) {
			intended = end
		}
	}
	back := shift{c: c}
	var p Pairing
	switch {
	case !w.Fixed.From.IsZero():
		back.days = c.days(w.Fixed.From, r.From)
		p.Total = w.Fixed
	case w.Year:
		back.months = 12
		p.Total = Range{back.start(r.From), back.end(r.To)}
		intended = r.To
	case unit != 0:
		if back.months = n * unit.months(); back.months == 0 {
			back.days = n * map[Grain]int{Week: 7, Day: 1}[unit]
		}
		p.Total = Range{c.Add(r.From, unit, -n), r.From}
	default:
		back.days = c.Days(r)
		p.Total = Range{back.start(r.From), back.end(r.To)}
	}
	whole := p.Total
	if !w.Planned && w.Now.Before(intended) {
		cut := back.start(c.Floor(w.Now, Hour))
		if w.DateOnly {
			cut = c.Midnight(back.start(c.Midnight(w.Now, 0)), 1)
		}
		if w.Now.Before(r.From) {
			cut = p.Total.From
		}
		if cut.Before(p.Total.To) {
			p.Cut, p.Total.To = cut, cut
		}
	}
	if len(borders) == 0 {
		return p
	}
	p.Steps = make([]Range, len(borders)-1)
	var earlier []time.Time
	if !w.Year && g >= Day {
		earlier, _ = c.Steps(whole, g, len(borders)+1)
	}
	for i := range p.Steps {
		step := Range{borders[i], borders[i+1]}
		if !w.Planned && step.From.After(w.Now) {
			continue
		}
		var s Range
		switch {
		case g < Day:
			s = c.hour(step.From, g, whole, r, w.Year, back)
		case !w.Year && i+1 < len(earlier):
			s = Range{earlier[i], earlier[i+1]}
		case !w.Year:
			continue
		case g == Week:
			// Whole weeks of the same number, also where the shifted range would cut them; of
			// the running one as much as has passed.
			elapsed := r
			if !w.Planned && w.Now.Before(step.To) {
				elapsed.To = c.Floor(w.Now, Hour)
				if w.DateOnly {
					elapsed.To = c.Midnight(w.Now, 1)
				}
				if r.To.Before(elapsed.To) {
					elapsed.To = r.To
				}
			}
			if s = c.week(step, elapsed); s.From.Before(s.To) {
				p.Steps[i] = s
			}
			continue
		case g == Day:
			from := back.start(step.From)
			s = Range{from, c.Midnight(from, 1)}
		case g == Accounting:
			if k := c.ownAt(back.start(step.From.Add(step.To.Sub(step.From) / 2))); k >= 0 && k+1 < len(c.own) {
				s = Range{c.border(k), c.border(k + 1)}
			}
		default:
			s = Range{back.start(step.From), back.end(step.To)}
		}
		if s.From.IsZero() {
			continue
		}
		if s = s.Intersect(p.Total); s.From.Before(s.To) {
			p.Steps[i] = s
		}
	}
	return p
}

// hour finds the hour or minute of the same local time; none where the clock skipped it.
func (c Calendar) hour(t time.Time, g Grain, whole, r Range, year bool, back shift) Range {
	t = t.In(c.Zone)
	var from time.Time
	if year {
		from = back.start(t)
	} else {
		day := whole.From.In(c.Zone)
		from = c.instant(day.Year(), day.Month(), day.Day()+c.days(r.From, t), t.Hour(), t.Minute())
	}
	if a, b := c.Wall(from), c.Wall(t); a.Hour() != b.Hour() || a.Minute() != b.Minute() {
		return Range{}
	}
	return Range{from, c.Add(from, g, 1)}
}

// week finds the week of the same number in the year before, the same weekdays of it
// where the range cuts the step.
func (c Calendar) week(step, r Range) Range {
	year, number := c.WeekNumber(step.From)
	first := c.Floor(c.instant(year-1, time.January, c.MinDays, 0, 0), Week)
	start := c.Midnight(first, 7*(number-1))
	if y, n := c.WeekNumber(start); y != year-1 || n != number {
		return Range{}
	}
	cut := step.Intersect(r)
	if !cut.From.Before(cut.To) {
		return Range{}
	}
	last := cut.To.In(c.Zone)
	day := c.Midnight(start, c.days(step.From, cut.To)).In(c.Zone)
	return Range{c.Midnight(start, c.days(step.From, cut.From)), c.instant(day.Year(), day.Month(), day.Day(), last.Hour(), last.Minute())}
}
