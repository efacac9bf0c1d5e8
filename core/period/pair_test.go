package period

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Each line of testdata/pairs.txt is a case: a name, the kind of field (date, time or
// planned), the zone, now, the range shown, what it counts, what it is compared with, the
// grain; then what totals are compared with, and the steps that the case is about, counted
// from 1, with their partners, "none" for those without.
func TestPairs(t *testing.T) {
	b, err := os.ReadFile("testdata/pairs.txt")
	require.NoError(t, err)
	cases, section := 0, ""
	for n, line := range strings.Split(string(b), "\n") {
		if line = strings.TrimSpace(line); line == "" || strings.HasPrefix(line, "#") {
			section = strings.TrimSpace(strings.TrimPrefix(line, "#"))
			continue
		}
		cases++
		t.Run(fmt.Sprintf("line %d", n+1), func(t *testing.T) {
			f := strings.Split(line, "|")
			require.GreaterOrEqual(t, len(f), 8, line)
			for i := range f {
				f[i] = strings.TrimSpace(f[i])
			}
			cal := ISO(zone(t, f[1]))
			if strings.Contains(section, "fiscal") {
				cal.FiscalStart = time.April
			}
			at := func(s string) time.Time {
				if len(s) == len(time.DateOnly) {
					s += "T00:00"
				}
				return in(t, cal.Zone, s)
			}
			span := func(s string) Range {
				from, to, _ := strings.Cut(s, " to ")
				return Range{at(strings.TrimSpace(from)), at(strings.TrimSpace(to))}
			}
			w := Comparing{Now: at(f[2]), Range: span(f[3]), DateOnly: f[0] != "time", Planned: f[0] == "planned"}
			if f[4] != "" {
				_, err := fmt.Sscanf(f[4], "%d", &w.Units)
				require.NoError(t, err)
				w.Unit, err = ParseGrain(strings.Fields(f[4])[1])
				require.NoError(t, err)
			}
			switch f[5] {
			case "year":
				w.Year = true
			case "before":
			default:
				w.Fixed = span(f[5])
			}
			grain, err := ParseGrain(f[6])
			require.NoError(t, err)
			borders, complete := cal.Steps(w.Range, grain, 5000)
			require.True(t, complete)
			p := cal.Pair(w, borders, grain)
			show := func(r Range) string {
				if r.From.IsZero() {
					return "none"
				}
				return r.From.Format(minute) + " to " + r.To.Format(minute)
			}
			expect := func(s string) string {
				if s == "none" {
					return s
				}
				return show(span(s))
			}
			assert.Equal(t, expect(f[7]), show(p.Total), "the total: %s", line)
			for _, step := range f[8:] {
				number, want, _ := strings.Cut(step, ":")
				var k int
				_, err := fmt.Sscan(number, &k)
				require.NoError(t, err, step)
				if k < 0 {
					k += len(p.Steps) + 1
				}
				assert.Equal(t, expect(strings.TrimSpace(want)), show(p.Steps[k-1]), "step %d of %d: %s", k, len(p.Steps), line)
			}
		})
	}
	assert.GreaterOrEqual(t, cases, 200)
}

// Whatever is compared: partners are earlier, lie within the total's range but for whole
// weeks, and are the same or apart, but for the half hours of Lord Howe.
func TestPartnersAreTheSameOrApart(t *testing.T) {
	zones := []string{"Europe/London", "America/New_York", "Australia/Lord_Howe"}
	rapid.Check(t, func(t *rapid.T) {
		cal := ISO(zone(t, rapid.SampledFrom(zones).Draw(t, "zone")))
		now := time.Unix(rapid.Int64Range(1.5e9, 1.9e9).Draw(t, "now"), 0)
		grain := rapid.SampledFrom(Grains()[1:]).Draw(t, "grain")
		r := Relative{Last: rapid.IntRange(1, 14).Draw(t, "last"), Unit: rapid.SampledFrom(Units()).Draw(t, "unit"), Complete: rapid.Bool().Draw(t, "complete")}
		w := Comparing{Range: r.Resolve(now, cal), Now: now, Year: rapid.Bool().Draw(t, "year"), DateOnly: rapid.Bool().Draw(t, "date") && grain >= Day, Planned: rapid.Bool().Draw(t, "planned")}
		w.Unit, w.Units = r.Counts()
		borders, complete := cal.Steps(w.Range, grain, 3000)
		if !complete {
			return
		}
		p := cal.Pair(w, borders, grain)
		require.False(t, p.Total.To.After(w.Range.To), "what came before ends no later than what is shown")
		for i, s := range p.Steps {
			if s.From.IsZero() {
				continue
			}
			require.True(t, s.From.Before(s.To), "a partner is not empty")
			require.True(t, s.From.Before(borders[i]) || s.From.Before(w.Range.From), "a partner is earlier")
			if !(w.Year && grain == Week) {
				require.False(t, s.From.Before(p.Total.From) || s.To.After(p.Total.To), "a partner lies within the total: %v in %v", s, p.Total)
			}
			for _, other := range p.Steps[:i] {
				same := other.From.Equal(s.From) && other.To.Equal(s.To)
				apart := !other.From.Before(s.To) || !s.From.Before(other.To)
				// Where clocks go back by half an hour, half of an hour is there twice.
				half := grain == Hour && !s.From.Before(other.From) && !s.To.After(other.To)
				require.True(t, same || apart || half || other.From.IsZero(), "%v and %v", other, s)
			}
		}
	})
}
