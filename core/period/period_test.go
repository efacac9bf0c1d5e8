package period

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

const minute = "2006-01-02T15:04"

func zone(t require.TestingT, name string) *time.Location {
	z, err := time.LoadLocation(name)
	require.NoError(t, err)
	return z
}

func in(t *testing.T, z *time.Location, s string) time.Time {
	at, err := time.ParseInLocation(minute, s, z)
	require.NoError(t, err)
	return at
}

func TestRelativeRanges(t *testing.T) {
	london := zone(t, "Europe/London")
	for _, c := range []struct{ name, rel, now, from, to string }{
		{"today", `"today"`, "2026-03-31T10:00", "2026-03-31T00:00", "2026-04-01T00:00"},
		{"yesterday over a month", `"yesterday"`, "2026-04-01T00:00", "2026-03-31T00:00", "2026-04-01T00:00"},
		{"a day in spring has 23 hours", `"today"`, "2026-03-29T12:00", "2026-03-29T00:00", "2026-03-30T00:00"},
		{"three months count the current one", `{"last":3,"unit":"month"}`, "2026-03-31T10:00", "2026-01-01T00:00", "2026-04-01T00:00"},
		{"the last days end today, not with the unit", `{"last":12,"unit":"month"}`, "2026-11-23T10:00", "2025-12-01T00:00", "2026-11-24T00:00"},
		{"complete months leave out the current one", `{"last":2,"unit":"month","complete":true}`, "2026-03-31T10:00", "2026-01-01T00:00", "2026-03-01T00:00"},
		{"one day is today", `{"last":1,"unit":"day"}`, "2026-03-31T10:00", "2026-03-31T00:00", "2026-04-01T00:00"},
		{"weeks start on Monday", `"this week"`, "2026-03-29T23:59", "2026-03-23T00:00", "2026-03-30T00:00"},
		{"last week", `"last week"`, "2026-03-30T00:00", "2026-03-23T00:00", "2026-03-30T00:00"},
		{"next quarter", `"next quarter"`, "2026-11-23T10:00", "2027-01-01T00:00", "2027-04-01T00:00"},
		{"this year to date", `"this year to date"`, "2026-11-23T10:00", "2026-01-01T00:00", "2026-11-24T00:00"},
		{"an end date includes its whole day", `{"from":"2024-02-28","to":"2024-02-29"}`, "2026-01-01T00:00", "2024-02-28T00:00", "2024-03-01T00:00"},
		{"since has no end", `{"since":"2026-01-01"}`, "2026-03-01T00:00", "2026-01-01T00:00", ""},
	} {
		var r Relative
		require.NoError(t, json.Unmarshal([]byte(c.rel), &r), c.name)
		got := r.Resolve(in(t, london, c.now), ISO(london))
		assert.Equal(t, c.from, got.From.Format(minute), c.name)
		if c.to == "" {
			assert.True(t, got.To.IsZero(), c.name)
		} else {
			assert.Equal(t, c.to, got.To.Format(minute), c.name)
		}
		back, err := json.Marshal(r)
		require.NoError(t, err)
		assert.JSONEq(t, c.rel, string(back), c.name)
		assert.NotEmpty(t, r.Words(nil))
	}
}

// A unit is called by its name: nobody can take "last week" for the last seven days.
func TestRangesInWords(t *testing.T) {
	for doc, words := range map[string]string{
		`"today"`: "today", `"this day"`: "today", `"last day"`: "yesterday", `"next day"`: "tomorrow", `"last week"`: "last week", `"next quarter"`: "next quarter", `"this month to date"`: "this month to date",
		`{"last":1,"unit":"day"}`: "today", `{"last":1,"unit":"week"}`: "this week to date", `{"last":1,"unit":"week","complete":true}`: "last week", `{"last":1,"unit":"day","complete":true}`: "yesterday",
		`{"last":7,"unit":"day"}`: "in the last 7 days", `{"last":3,"unit":"month","complete":true}`: "in the last 3 complete months", `{"since":"2026-03-01"}`: "since 1 Mar 2026", `{"from":"2026-03-01","to":"2026-03-01"}`: "on 1 Mar 2026",
	} {
		var r Relative
		require.NoError(t, json.Unmarshal([]byte(doc), &r), doc)
		assert.Equal(t, words, r.Words(nil), doc)
	}
	at := in(t, time.UTC, "2026-03-31T10:00")
	for a, b := range map[string]string{"this day": "today", "last day": "yesterday", "this day to date": "today"} {
		assert.Equal(t, Relative{Named: b}.Resolve(at, ISO(time.UTC)), Relative{Named: a}.Resolve(at, ISO(time.UTC)), a)
	}
}

func TestRelativeRefuses(t *testing.T) {
	for rel, words := range map[string]string{
		`"someday"`:                               "“someday” is not a range of dates",
		`{"last":0,"unit":"month"}`:               "A range of dates is one of",
		`{"last":-1,"unit":"month"}`:              "from 1 to 1000",
		`{"last":3}`:                              "days, weeks, months",
		`{"last":3,"unit":"hour"}`:                "days, weeks, months",
		`{"from":"2026-02-01","to":"2026-01-31"}`: "before it starts",
		`{"since":"2025-02-29"}`:                  "not a date like",
		`{"since":"2026-01-01","last":3}`:         "A range of dates is one of",
		`{"until":"2026-01-01"}`:                  `no key "until"`,
	} {
		var r Relative
		assert.ErrorContains(t, json.Unmarshal([]byte(rel), &r), words, rel)
	}
}

func TestDaylightSaving(t *testing.T) {
	for _, c := range []struct {
		name, zone, from, to string
		grain                Grain
		steps                int
	}{
		{"a spring day has 23 hours", "Europe/London", "2026-03-29T00:00", "2026-03-30T00:00", Hour, 23},
		{"an autumn day has 25 hours", "Europe/London", "2026-10-25T00:00", "2026-10-26T00:00", Hour, 25},
		{"a day that starts at one, for want of midnight", "America/Santiago", "2026-09-06T01:00", "2026-09-07T00:00", Hour, 23},
		{"half-hour shifts cut an hour in two", "Australia/Lord_Howe", "2026-04-05T00:00", "2026-04-06T00:00", Hour, 25},
		{"days over spring", "Europe/London", "2026-03-28T00:00", "2026-03-31T00:00", Day, 3},
		{"a date that a zone skipped", "Pacific/Apia", "2011-12-29T00:00", "2011-12-31T00:00", Day, 1},
	} {
		z := zone(t, c.zone)
		borders, _ := ISO(z).Steps(Range{in(t, z, c.from), in(t, z, c.to)}, c.grain, 100)
		assert.Len(t, borders, c.steps+1, c.name)
	}
	santiago := ISO(zone(t, "America/Santiago"))
	assert.Equal(t, "01:00", santiago.Midnight(in(t, santiago.Zone, "2026-09-06T12:00"), 0).Format("15:04"), "the day begins when the clock first shows it")
}

// Every grain, in zones with hard transitions: borders rise, each is its own floor,
// and every instant's floor is the border at or before it.
func TestStepsCoverTime(t *testing.T) {
	zones := []string{"UTC", "Europe/London", "America/St_Johns", "America/Santiago", "Australia/Lord_Howe", "Asia/Kathmandu", "Africa/Cairo"}
	rapid.Check(t, func(t *rapid.T) {
		c := ISO(zone(t, rapid.SampledFrom(zones).Draw(t, "zone")))
		c.FiscalStart = time.Month(rapid.IntRange(1, 12).Draw(t, "fiscal"))
		c.FirstDay = time.Weekday(rapid.IntRange(0, 6).Draw(t, "first day"))
		g := rapid.SampledFrom(Grains()).Draw(t, "grain")
		from := time.Unix(rapid.Int64Range(1.5e9, 1.9e9).Draw(t, "from"), 0)
		r := Range{from, c.Add(c.Floor(from, g), g, rapid.IntRange(1, 30).Draw(t, "steps"))}
		borders, complete := c.Steps(r, g, 100)
		require.True(t, complete)
		require.False(t, borders[0].After(r.From))
		require.False(t, borders[len(borders)-1].Before(r.To))
		for i, b := range borders {
			assert.True(t, c.Floor(b, g).Equal(b), "%s is the start of its %s", b, g)
			if i > 0 {
				require.True(t, borders[i-1].Before(b))
				inside := borders[i-1].Add(time.Duration(rapid.Int64Range(0, int64(b.Sub(borders[i-1])-1)).Draw(t, "inside")))
				assert.True(t, c.Floor(inside, g).Equal(borders[i-1]), "%s lies in the %s of %s", inside, g, borders[i-1])
			}
		}
	})
}

func TestWeekNumbersAgreeWithISO(t *testing.T) {
	c := ISO(time.UTC)
	rapid.Check(t, func(t *rapid.T) {
		at := time.Unix(rapid.Int64Range(0, 4e9).Draw(t, "at"), 0).UTC()
		year, week := at.ISOWeek()
		y, w := c.WeekNumber(at)
		assert.Equal(t, []int{year, week}, []int{y, w}, at.String())
	})
	american := Calendar{Zone: time.UTC, FirstDay: time.Sunday, MinDays: 1, FiscalStart: time.January}
	y, w := american.WeekNumber(in(t, time.UTC, "2025-12-29T00:00"))
	assert.Equal(t, []int{2026, 1}, []int{y, w}, "with one day enough, the week of 1 January is the first")
}

func TestFittingGrain(t *testing.T) {
	c := ISO(time.UTC)
	for _, g := range []struct {
		from, to string
		dayOnly  bool
		want     Grain
	}{
		{"2026-01-01T00:00", "2026-01-01T01:00", false, Minute},
		{"2026-01-01T00:00", "2026-01-02T00:00", false, Hour},
		{"2026-01-01T00:00", "2026-01-02T00:00", true, Day},
		{"2026-01-01T00:00", "2026-02-28T00:00", false, Day},
		{"2025-01-01T00:00", "2026-01-01T00:00", false, Week},
		{"2022-01-01T00:00", "2026-01-01T00:00", false, Month},
		{"1950-01-01T00:00", "2026-01-01T00:00", false, Year},
	} {
		assert.Equal(t, g.want, c.Fitting(Range{in(t, time.UTC, g.from), in(t, time.UTC, g.to)}, g.dayOnly), g.from+" to "+g.to)
	}
}

func TestFiscalQuarters(t *testing.T) {
	c := ISO(time.UTC)
	c.FiscalStart = time.April
	assert.Equal(t, "2026-01-01", c.Floor(in(t, time.UTC, "2026-03-31T00:00"), Quarter).Format(time.DateOnly))
	assert.Equal(t, "2025-04-01", c.Floor(in(t, time.UTC, "2026-03-31T00:00"), Year).Format(time.DateOnly))
	assert.Equal(t, "2025-10-01", c.Floor(in(t, time.UTC, "2026-03-31T00:00"), HalfYear).Format(time.DateOnly))
}

// The ticks of a calendar: which larger unit begins with a step, or since the one before.
func TestRank(t *testing.T) {
	c := ISO(zone(t, "Europe/London"))
	at := func(s string) time.Time {
		out, err := time.ParseInLocation("2006-01-02 15:04", s, c.Zone)
		require.NoError(t, err)
		return out
	}
	for _, x := range []struct {
		start string
		grain Grain
		want  int
	}{
		{"2026-01-01 00:00", Month, 2}, {"2026-04-01 00:00", Month, 1}, {"2026-05-01 00:00", Month, 0},
		{"2026-03-02 00:00", Week, 1}, {"2026-03-09 00:00", Week, 0}, {"2026-04-06 00:00", Week, 2}, {"2026-01-05 00:00", Week, 3},
		{"2026-03-02 00:00", Day, 1}, {"2026-03-01 00:00", Day, 2}, {"2026-03-03 00:00", Day, 0}, {"2026-07-01 00:00", Day, 3}, {"2026-01-01 00:00", Day, 4},
		{"2026-03-29 00:00", Hour, 1}, {"2026-03-29 02:00", Hour, 0}, {"2026-03-02 00:00", Hour, 2},
		{"2025-01-01 00:00", Year, 1}, {"2030-01-01 00:00", Year, 2}, {"2026-01-01 00:00", Year, 0},
		{"2026-01-01 00:00", Quarter, 1}, {"2026-07-01 00:00", HalfYear, 0}, {"2026-07-01 00:00", Accounting, 0},
	} {
		assert.Equal(t, x.want, c.Rank(at(x.start), x.grain), "%s by %s", x.start, x.grain)
	}
}
