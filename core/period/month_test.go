package period_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"eskadel/core/period"
)

func date(y int, m time.Month, d int) time.Time { return time.Date(y, m, d, 0, 0, 0, 0, time.UTC) }

func TestMonthsAsSheets(t *testing.T) {
	zone, err := time.LoadLocation("America/New_York")
	assert.NoError(t, err)
	m := period.ISO(zone).Sheet(date(2026, 11, 29))
	assert.Equal(t, []time.Time{date(2026, 11, 1), date(2026, 11, 30), date(2026, 12, 1)}, []time.Time{m.First, m.Last(), m.Next()})
	assert.Len(t, m.Weeks, 6, "from Monday, 26 October, to Sunday, 6 December")
	assert.Equal(t, []any{44, date(2026, 10, 26), 49, date(2026, 12, 6)}, []any{m.Weeks[0].Number, m.Weeks[0].Days[0], m.Weeks[5].Number, m.Weeks[5].Days[6]})
	c := period.ISO(zone)
	c.FirstDay, c.MinDays = time.Sunday, 1
	m = c.Sheet(date(2026, 2, 10))
	assert.Len(t, m.Weeks, 4, "February 2026 is four weeks from Sunday")
	assert.Equal(t, date(2026, 2, 1), m.Weeks[0].Days[0])
	assert.False(t, m.Has(date(2026, 3, 1)) || m.Has(date(2026, 1, 31)))
}

// Every day of a month stands on its sheet once, and no week is all of another month.
func TestEveryDayIsOnTheSheet(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := period.ISO(time.UTC)
		c.FirstDay, c.MinDays = time.Weekday(rapid.IntRange(0, 6).Draw(t, "first")), rapid.IntRange(1, 7).Draw(t, "least")
		m := c.Sheet(date(rapid.IntRange(1900, 2200).Draw(t, "year"), time.Month(rapid.IntRange(1, 12).Draw(t, "month")), 1))
		day, n := m.Weeks[0].Days[0], 0
		for _, w := range m.Weeks {
			own := 0
			for _, d := range w.Days {
				assert.Equal(t, day, d)
				if m.Has(d) {
					own, n = own+1, n+1
				}
				day = day.AddDate(0, 0, 1)
			}
			assert.Positive(t, own)
			assert.Equal(t, c.FirstDay, w.Days[0].Weekday())
		}
		assert.Equal(t, m.Last().Day(), n)
	})
}
