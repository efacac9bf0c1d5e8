package chart

import (
	"math"
	"time"

	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/problem"
)

// timeline draws records from their beginning to their end; one that has no end yet goes
// on to today.
func (w *lister) timeline(out *Listing) error {
	type span struct {
		from, to time.Time
		open     bool
		row      []field.Value
	}
	today := w.l.Cal.Wall(w.l.Now)
	var spans []span
	var low, high time.Time
	for _, row := range w.l.Rows {
		from, ok := w.wall(row, w.roles.From)
		if !ok {
			out.Missing++
			continue
		}
		to, ended := w.wall(row, w.roles.To)
		if !ended {
			to = from
			if today.After(from) && w.roles.To != nil {
				to = today
			}
		}
		if to.Before(from) {
			out.Missing++
			continue
		}
		if w.roles.To != nil && w.roles.To.Type == field.Date && ended {
			to = to.AddDate(0, 0, 1) // the whole of its last day
		}
		if low.IsZero() || from.Before(low) {
			low = from
		}
		if to.After(high) {
			high = to
		}
		spans = append(spans, span{from, to, !ended, row})
	}
	if len(spans) == 0 {
		return problem.New(problem.Invalid, "", "None of these %s has a date in “%s”.", w.ds.Record[1], w.roles.From.Label)
	}
	if !low.Before(high) {
		high = low.AddDate(0, 0, 1)
	}
	cal := w.l.Cal.Civil()
	grain := period.Year
	for _, g := range period.Grains() {
		if g < period.Day {
			continue
		}
		if borders, complete := cal.Steps(period.Range{From: low, To: high}, g, 12); complete {
			grain, low, high = g, borders[0], borders[len(borders)-1]
			break
		}
	}
	whole := high.Sub(low).Hours()
	place := func(t time.Time) float64 { return math.Round(1000*100*t.Sub(low).Hours()/whole) / 1000 }
	borders, _ := cal.Steps(period.Range{From: low, To: high}, grain, 1000)
	for _, b := range borders[:max(0, len(borders)-1)] {
		label := w.ds.Manner.Date(b, "2 Jan")
		switch {
		case grain >= period.Year:
			label = b.Format("2006")
		case grain >= period.Month:
			label = w.ds.Manner.Date(b, "Jan 06")
		}
		out.Ticks = append(out.Ticks, Tick{place(b), label})
	}
	if today.After(low) && today.Before(high) {
		out.Today = place(today)
	}
	all := ListColumn{Count: len(spans)}
	for _, s := range spans {
		c := w.card(s.row)
		c.From, c.Width = place(s.from), math.Max(0.4, place(s.to)-place(s.from))
		c.When = w.ds.Manner.Day(s.from)
		switch {
		case s.open && w.roles.To != nil:
			c.When += ", not ended"
		case w.roles.To != nil:
			c.When += " to " + w.text(s.row, w.roles.To)
		}
		all.Cards = append(all.Cards, c)
	}
	out.Columns = []ListColumn{all}
	return nil
}
