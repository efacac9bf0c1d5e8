package period_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/period"
)

func zone(t *testing.T, name string) *time.Location {
	z, err := time.LoadLocation(name)
	require.NoError(t, err)
	return z
}

func at(t *testing.T, s string) time.Time {
	v, err := time.Parse(time.RFC3339, s)
	require.NoError(t, err)
	return v
}

func TestGrainsAndPartsHaveNames(t *testing.T) {
	for _, g := range append(period.Grains(), period.Accounting) {
		b, err := json.Marshal(g)
		require.NoError(t, err)
		var back period.Grain
		require.NoError(t, json.Unmarshal(b, &back))
		assert.Equal(t, g, back)
		part := period.PartOf(g)
		if part != 0 {
			assert.Equal(t, g, part.Grain())
		}
	}
	_, err := period.ParseGrain("")
	assert.Error(t, err)
	_, err = period.ParseGrain("fortnight")
	assert.ErrorContains(t, err, "is not a grain")
}

// A day begins with the first instant that its clock shows, also where midnight comes twice
// or not at all.
func TestMidnightsOfChangingClocks(t *testing.T) {
	for _, c := range []struct{ zone, day, want string }{
		{"America/Havana", "2026-11-01T12:00:00-05:00", "2026-11-01T00:00:00-04:00"}, // back to midnight at one
		{"America/Havana", "2026-03-08T12:00:00-04:00", "2026-03-08T01:00:00-04:00"}, // there is no midnight
		{"Asia/Beirut", "2026-03-29T12:00:00+03:00", "2026-03-29T01:00:00+03:00"},
		{"Europe/London", "2026-10-25T12:00:00Z", "2026-10-25T00:00:00+01:00"},
		{"Pacific/Apia", "2011-12-31T12:00:00+14:00", "2011-12-31T00:00:00+14:00"}, // the day before was left out
		{"Asia/Kathmandu", "2026-01-01T12:00:00+05:45", "2026-01-01T00:00:00+05:45"},
	} {
		cal := period.ISO(zone(t, c.zone))
		got := cal.Midnight(at(t, c.day), 0)
		assert.True(t, got.Equal(at(t, c.want)), "%s: %s, not %s", c.zone, got, c.want)
		assert.True(t, cal.Floor(at(t, c.day), period.Day).Equal(got))
		assert.False(t, cal.Midnight(at(t, c.day), 1).Before(at(t, c.day)))
	}
	apia := period.ISO(zone(t, "Pacific/Apia"))
	assert.True(t, apia.Midnight(at(t, "2011-12-29T12:00:00-10:00"), 1).Equal(apia.Midnight(at(t, "2011-12-31T12:00:00+14:00"), 0)), "a day that is left out has no time of its own")
}

func TestOffsetsAroundTheirChanges(t *testing.T) {
	changes, seconds := period.ISO(zone(t, "Europe/London")).Offsets()
	require.Len(t, seconds, len(changes)+1)
	found := 0
	for i, c := range changes {
		if c.Equal(at(t, "2026-03-29T01:00:00Z")) {
			assert.Equal(t, []int{0, 3600}, seconds[i:i+2])
			found++
		}
		if c.Equal(at(t, "2026-10-25T01:00:00Z")) {
			assert.Equal(t, []int{3600, 0}, seconds[i:i+2])
			found++
		}
		if i > 0 {
			assert.True(t, changes[i-1].Before(c))
			assert.NotEqual(t, seconds[i], seconds[i+1], "at each of them something changes")
		}
	}
	assert.Equal(t, 2, found)
	assert.True(t, changes[0].Year() >= 1900 && changes[len(changes)-1].Year() < 2100)
	none, fixed := period.ISO(time.FixedZone("east", 5400)).Offsets()
	assert.Empty(t, none)
	assert.Equal(t, []int{5400}, fixed)
}

func TestWherePartsOfAYearBegin(t *testing.T) {
	london := period.ISO(zone(t, "Europe/London"))
	fiscal := london
	fiscal.FiscalStart = time.April
	for _, c := range []struct {
		cal        period.Calendar
		part       period.Part
		value      int
		year       string
		start, end string
	}{
		{london, period.MonthOfYear, 2, "2026-01-01T00:00:00Z", "2026-02-01T00:00:00Z", "2026-03-01T00:00:00Z"},
		{london, period.MonthOfYear, 12, "2026-01-01T00:00:00Z", "2026-12-01T00:00:00Z", "2027-01-01T00:00:00Z"},
		{fiscal, period.MonthOfYear, 4, "2026-03-31T23:00:00Z", "2026-03-31T23:00:00Z", "2026-04-30T23:00:00Z"},
		{fiscal, period.MonthOfYear, 3, "2026-03-31T23:00:00Z", "2027-03-01T00:00:00Z", "2027-03-31T23:00:00Z"},
		{fiscal, period.QuarterOfYear, 1, "2026-03-31T23:00:00Z", "2026-03-31T23:00:00Z", "2026-06-30T23:00:00Z"},
		{fiscal, period.QuarterOfYear, 4, "2026-03-31T23:00:00Z", "2027-01-01T00:00:00Z", "2027-03-31T23:00:00Z"},
		{london, period.ISOWeek, 1, "2025-12-29T00:00:00Z", "2025-12-29T00:00:00Z", "2026-01-05T00:00:00Z"},
		{london, period.ISOWeek, 53, "2025-12-29T00:00:00Z", "2026-12-28T00:00:00Z", "2027-01-04T00:00:00Z"},
		{london, period.ISOWeek, 1, "2027-01-04T00:00:00Z", "2027-01-04T00:00:00Z", "2027-01-11T00:00:00Z"},
	} {
		r, ok := c.cal.PartSpan(c.part, c.value, at(t, c.year))
		require.True(t, ok)
		assert.True(t, r.From.Equal(at(t, c.start)) && r.To.Equal(at(t, c.end)), "%s %d of %s: %v", c.part, c.value, c.year, r)
	}
	for _, p := range []period.Part{period.Weekday, period.DayOfMonth, period.HourOfDay} {
		_, ok := london.PartSpan(p, 1, at(t, "2026-01-01T00:00:00Z"))
		assert.False(t, ok, "a year has several")
	}
	years := london.WeekYears(period.Range{From: at(t, "2026-12-30T00:00:00Z"), To: at(t, "2027-01-04T00:00:00Z")})
	require.Len(t, years, 2)
	assert.True(t, years[0].Equal(at(t, "2025-12-29T00:00:00Z")) && years[1].Equal(at(t, "2027-01-04T00:00:00Z")))
	assert.Len(t, london.WeekYears(period.Range{From: at(t, "2026-12-30T00:00:00Z"), To: at(t, "2027-01-04T00:00:01Z")}), 3)
}

func TestRangesThatAreRefused(t *testing.T) {
	for doc, words := range map[string]string{
		`"this month"`: "", `"this day"`: "", `"last day"`: "", `"next day"`: "", `"this decade"`: "is not a range of dates",
		`{"last":1,"unit":"day"}`: "", `{"last":1000,"unit":"year"}`: "", `{"last":1001,"unit":"day"}`: "from 1 to 1000", `{"last":-1,"unit":"day"}`: "from 1 to 1000",
		`{"last":3,"unit":"hour"}`: "counts days, weeks", `{"last":3}`: "counts days, weeks", `{"last":3,"unit":"half-year"}`: "counts days, weeks",
		`{"since":"2026-01-01"}`: "", `{"since":"0000-01-01"}`: "not a date", `{"since":"soon"}`: "not a date", `{"from":"2026-01-01","to":"2026-01-01"}`: "", `{"from":"2026-01-02","to":"2026-01-01"}`: "ends (2026-01-01) before it starts",
		`{"from":"2026-01-02"}`: "not a date", `{"to":"2026-01-02"}`: "not a date", `{"since":"2026-01-01","last":3,"unit":"day"}`: "is one of", `{}`: "is one of",
	} {
		var r period.Relative
		err := json.Unmarshal([]byte(doc), &r)
		if err == nil {
			err = r.Check()
		}
		if words == "" {
			assert.NoError(t, err, doc)
		} else {
			assert.ErrorContains(t, err, words, doc)
		}
	}
	for s, want := range map[string]string{"2026-11-27T09:00:00Z": "2026-11-27T09:00:00Z", "2026-11-27T09:00:00+02:00": "2026-11-27T07:00:00Z", "2026-07-27 09:00": "2026-07-27T08:00:00Z", "2026-07-27T09:00:30": "2026-07-27T08:00:30Z", "2026-07-27": "2026-07-26T23:00:00Z"} {
		now, err := period.ReadNow(s, zone(t, "Europe/London"))
		require.NoError(t, err, s)
		assert.True(t, now.Equal(at(t, want)), "%s: %s", s, now)
	}
	_, err := period.ReadNow("noon", time.UTC)
	assert.ErrorContains(t, err, "is not a time")
}
