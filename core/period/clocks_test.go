package period

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"eskadel/core/locale"
	"eskadel/golden"
)

// What calendars say around the days on which clocks change, a date is left out or a year
// turns: the start of each step and the one after, how large a unit begins with it, its parts
// and week, the steps of some ranges with what they are compared with. testdata/clocks.txt is
// read when it changes.
func TestCalendarsAroundTheirChanges(t *testing.T) {
	var got strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&got, format+"\n", args...) }
	show := func(t time.Time) string { return t.Format("2006-01-02T15:04Z07:00") }
	span := func(r Range) string {
		if r.From.IsZero() {
			return "none"
		}
		return show(r.From) + " to " + show(r.To)
	}
	for _, c := range []struct{ zone, around string }{
		{"UTC", "2024-02-29T23:59"}, {"Europe/London", "2020-03-29T00:30"}, {"Europe/London", "2020-10-25T01:30"}, {"America/Sao_Paulo", "2018-11-04T01:00"}, {"America/Havana", "2018-11-04T00:30"},
		{"Pacific/Apia", "2011-12-31T10:00"}, {"Australia/Lord_Howe", "2020-10-04T02:30"}, {"Australia/Lord_Howe", "2020-04-05T01:45"}, {"Asia/Kathmandu", "2021-01-01T00:10"},
	} {
		plain := ISO(zone(t, c.zone))
		american := plain
		american.FirstDay, american.MinDays, american.FiscalStart = time.Sunday, 1, time.April
		at := in(t, plain.Zone, c.around)
		for i, cal := range []Calendar{plain, american} {
			say("%s around %s, %s", c.zone, show(at), []string{"ISO", "weeks from Sunday, years from April"}[i])
			year, week := cal.WeekNumber(at)
			say("  week %d of %d; the clock shows %s, read back %s", week, year, cal.Wall(at).Format(time.DateTime), show(cal.Reading(cal.Wall(at))))
			for _, p := range Parts() {
				v := cal.Of(p, at)
				start, ok := cal.PartStart(p, v, at)
				r, _ := cal.PartSpan(p, v, at)
				say("  %s %d, %s, %s: begins %s %t, %s; of %d", p, v, p.Label(nil, v), p.Short(locale.Of("de-DE"), v), show(start), ok, span(r), len(cal.Values(p)))
			}
			for _, g := range Grains() {
				start := cal.Floor(at, g)
				borders, _ := cal.Steps(Range{cal.Add(start, g, -1), at}, g, 3)
				say("  %s from %s, rank %d; %s is next, %s the third before; %d borders to %s", g, show(start), cal.Rank(start, g), show(cal.Add(start, g, 1)), show(cal.Add(start, g, -3)), len(borders), show(borders[len(borders)-1]))
			}
			for _, name := range Names() {
				say("  %s: %s", name, span(Relative{Named: name}.Resolve(at, cal)))
			}
			for _, unit := range Units() {
				say("  the last 3 %ss: %s, complete %s", unit, span(Relative{Last: 3, Unit: unit}.Resolve(at, cal)), span(Relative{Last: 3, Unit: unit, Complete: true}.Resolve(at, cal)))
			}
			var own []Own // thirteen a year, of four weeks, with five at its end
			for y := at.Year() - 3; y <= at.Year()+1; y++ {
				for k := range 13 {
					own = append(own, Own{time.Date(y, time.January, 1+28*k, 0, 0, 0, 0, time.UTC), fmt.Sprintf("P%d of %d", k+1, y)})
				}
			}
			cal := cal.WithOwn(own)
			spans := Range{cal.Add(cal.Floor(at, Accounting), Accounting, -2), cal.Add(cal.Floor(at, Accounting), Accounting, 1)}
			borders, _ := cal.Steps(spans, Accounting, 10)
			for _, year := range []bool{true, false} {
				p := cal.Pair(Comparing{Now: at, Range: spans, Year: year, Planned: true}, borders, Accounting)
				for k, s := range p.Steps {
					say("  %s from %s is set beside %s", cal.OwnName(borders[k]), show(borders[k]), span(s))
				}
			}
			for _, r := range []Range{{cal.Midnight(at, 0), cal.Midnight(at, 1)}, {cal.Floor(at, Week), cal.Add(cal.Floor(at, Week), Week, 1)}, {cal.Midnight(at, -3), at}} {
				fits := cal.Fitting(r, false)
				say("  %s: %d days, fits %s, by days %s", span(r), cal.Days(r), fits, cal.Fitting(r, true))
				for _, w := range []Comparing{{Now: at, Range: r}, {Now: at, Range: r, Year: true}, {Now: at, Range: r, DateOnly: true}, {Now: at, Range: r, Planned: true}} {
					for _, g := range []Grain{Hour, Day, Week} {
						if g < Day && (w.DateOnly || fits > Hour) || g < Week && i > 0 || g == Day && w.Planned {
							continue
						}
						borders, complete := cal.Steps(r, g, 400)
						require.True(t, complete)
						p := cal.Pair(w, borders, g)
						say("    with the year %t, dates %t, planned %t: %s, cut %s", w.Year, w.DateOnly, w.Planned, span(p.Total), show(p.Cut))
						last := ""
						for k, s := range p.Steps {
							if line := span(s); k < 2 || k >= len(p.Steps)-2 {
								if line != last {
									say("      %s: %s", show(borders[k]), line)
								}
								last = line
							}
						}
					}
				}
			}
		}
	}
	golden.Compare(t, "testdata/clocks.txt", got.String())
}
