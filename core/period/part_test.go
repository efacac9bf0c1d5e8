package period

import (
	"sort"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	_ "eskadel/testseed"
)

// The offsets that go to the database say of every moment what Go's own zones say.
func TestOffsetsAreThoseOfTheZone(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := ISO(zone(t, rapid.SampledFrom([]string{"UTC", "Europe/London", "America/St_Johns", "America/Santiago", "Australia/Lord_Howe", "Asia/Kathmandu", "Africa/Cairo", "Pacific/Apia"}).Draw(t, "zone")))
		changes, seconds := c.Offsets()
		require.Len(t, seconds, len(changes)+1)
		at := time.Unix(rapid.Int64Range(-2_208_988_800, 4_102_444_799).Draw(t, "at"), 0)
		i := sort.Search(len(changes), func(i int) bool { return changes[i].After(at) })
		_, want := at.In(c.Zone).Zone()
		assert.Equal(t, want, seconds[i], at.String())
	})
}

func TestParts(t *testing.T) {
	c := ISO(time.UTC)
	c.FiscalStart, c.FirstDay = time.April, time.Sunday
	for _, p := range []struct {
		part Part
		at   string
		want int
		as   string
	}{
		{MonthOfYear, "2026-03-31T00:00", 3, "March"}, {QuarterOfYear, "2026-03-31T00:00", 4, "Q4"}, {QuarterOfYear, "2026-04-01T00:00", 1, "Q1"}, {Weekday, "2026-11-22T23:59", 7, "Sunday"}, {Weekday, "2026-11-23T00:00", 1, "Monday"},
		{DayOfMonth, "2024-02-29T00:00", 29, "29"}, {HourOfDay, "2026-01-01T00:00", 0, "00:00"}, {ISOWeek, "2027-01-01T00:00", 53, "W53"}, {ISOWeek, "2024-12-30T00:00", 1, "W01"},
	} {
		got := c.Of(p.part, in(t, time.UTC, p.at))
		assert.Equal(t, p.want, got, "%s of %s", p.part, p.at)
		assert.Equal(t, p.as, p.part.Label(nil, got))
		back, err := ParsePart(p.part.String())
		require.NoError(t, err)
		assert.Equal(t, p.part, back)
		assert.Contains(t, c.Values(p.part), got)
	}
	assert.Equal(t, []int{4, 5, 6, 7, 8, 9, 10, 11, 12, 1, 2, 3}, c.Values(MonthOfYear), "months from the fiscal year's first")
	assert.Equal(t, []int{7, 1, 2, 3, 4, 5, 6}, c.Values(Weekday))
	assert.Len(t, c.Values(ISOWeek), 53)
	_, err := ParsePart("fortnight")
	assert.Error(t, err)
}

// Periods of 4, 4 and 5 weeks, as accountants keep them.
func TestAccountingPeriods(t *testing.T) {
	day := func(s string) time.Time { d, _ := time.Parse(time.DateOnly, s); return d }
	c := ISO(zone(t, "Europe/London")).WithOwn([]Own{{day("2026-04-26"), "P4"}, {day("2026-01-25"), "P1"}, {day("2026-02-22"), "P2"}, {day("2026-03-22"), "P3"}})
	require.True(t, c.HasOwn())
	assert.Equal(t, "2026-03-22", c.Floor(in(t, c.Zone, "2026-04-01T12:00"), Accounting).Format(time.DateOnly))
	borders, complete := c.Steps(Range{in(t, c.Zone, "2025-06-01T00:00"), in(t, c.Zone, "2027-01-01T00:00")}, Accounting, 100)
	require.True(t, complete)
	var names []string
	for _, b := range borders[:len(borders)-1] {
		names = append(names, c.OwnName(b))
	}
	assert.Equal(t, []string{"P1", "P2", "P3"}, names, "the last only ends the one before it")
	assert.Equal(t, "2026-03-22T00:00:00Z", borders[2].UTC().Format(time.RFC3339))
	assert.Equal(t, "2026-04-25T23:00:00Z", borders[3].UTC().Format(time.RFC3339), "a border is midnight on the zone's clock")
	assert.Equal(t, "2026-02-22", c.Add(borders[0], Accounting, 1).Format(time.DateOnly))
	none, _ := c.Steps(Range{in(t, c.Zone, "2020-01-01T00:00"), in(t, c.Zone, "2020-02-01T00:00")}, Accounting, 100)
	assert.Empty(t, none)
}

func TestWorkspaceRefuses(t *testing.T) {
	for doc, words := range map[string]string{
		`{"version":1,"zone":"Skerrin/Bay"}`:                   "IANA",
		`{"version":1,"zone":""}`:                              "IANA",
		`{"version":2,"zone":"UTC"}`:                           "newer Eskadel",
		`{"version":1,"zone":"UTC","first_day":"Funday"}`:      "not a day",
		`{"version":1,"zone":"UTC","fiscal_start":"Brumaire"}`: "not a month",
		`{"version":1,"zone":"UTC","min_days":9}`:              "1 to 7",
		`{"version":1,"zone":"UTC","colour":"red"}`:            "no key",
	} {
		_, err := ReadWorkspace([]byte(doc))
		assert.ErrorContains(t, err, words, doc)
	}
	w, err := ReadWorkspace([]byte(`{"version":1,"zone":"Europe/Lisbon","first_day":"Sunday","min_days":1,"fiscal_start":"July"}`))
	require.NoError(t, err)
	c, err := w.Calendar()
	require.NoError(t, err)
	assert.Equal(t, time.July, c.FiscalStart)
	assert.Equal(t, time.Sunday, c.FirstDay)
}
