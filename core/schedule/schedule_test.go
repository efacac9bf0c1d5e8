package schedule

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/problem"
)

func zone(t require.TestingT, name string) *time.Location {
	l, err := time.LoadLocation(name)
	require.NoError(t, err)
	return l
}

// all are some holidays of a made-up yard.
var all = Holidays{{2026, 1, 1}: true, {2026, 4, 3}: true, {2026, 4, 6}: true, {2026, 5, 4}: true, {2026, 12, 25}: true, {2026, 12, 26}: true, {2026, 12, 28}: true, {2026, 12, 31}: true, {2027, 1, 1}: true}

// What each schedule says, and when it is due after a moment.
func TestNext(t *testing.T) {
	london := zone(t, "Europe/London")
	for _, c := range []struct {
		s            Schedule
		words, after string
		next         []string
	}{
		{Schedule{Every: "week", Weekdays: []string{"monday"}, At: []string{"07:00"}}, "every Monday at 07:00", "2026-11-29 21:00", []string{"2026-11-30 07:00", "2026-12-07 07:00"}},
		{Schedule{Every: "week", Weekdays: []string{"thursday", "monday"}, At: []string{"13:00", "07:00"}}, "every Monday and Thursday at 07:00 and 13:00", "2026-11-30 07:00", []string{"2026-11-30 13:00", "2026-12-03 07:00"}},
		{Schedule{Every: "month", On: &On{-1, "working day"}, At: []string{"17:00"}}, "on the last working day of each month at 17:00", "2026-11-30 16:59", []string{"2026-11-30 17:00", "2026-12-30 17:00", "2027-01-29 17:00"}},
		{Schedule{Every: "month", On: &On{31, "day"}, At: []string{"06:30"}}, "on the 31st day of each month at 06:30", "2028-01-31 06:30", []string{"2028-02-29 06:30", "2028-03-31 06:30", "2028-04-30 06:30"}},
		{Schedule{Every: "month", On: &On{-2, "day"}, At: []string{"06:30"}}, "on the second to last day of each month at 06:30", "2026-02-01 00:00", []string{"2026-02-27 06:30", "2026-03-30 06:30"}},
		{Schedule{Every: "month", On: &On{2, "friday"}, At: []string{"08:00"}}, "on the second Friday of each month at 08:00", "2026-11-29 00:00", []string{"2026-12-11 08:00", "2027-01-08 08:00"}},
		{Schedule{Every: "quarter", On: &On{1, "working day"}, At: []string{"09:00"}}, "on the first working day of each quarter at 09:00", "2026-11-29 00:00", []string{"2027-01-04 09:00", "2027-04-01 09:00"}},
		{Schedule{Every: "quarter", On: &On{-1, "day"}, At: []string{"09:00"}, Holidays: "before"}, "on the last day of each quarter at 09:00, on the working day before if that is a holiday", "2026-11-29 00:00", []string{"2026-12-30 09:00", "2027-03-31 09:00"}},
		{Schedule{Every: "working day", At: []string{"07:00"}}, "every working day at 07:00", "2026-12-24 07:00", []string{"2026-12-29 07:00", "2026-12-30 07:00", "2027-01-04 07:00"}},
		{Schedule{Every: "day", At: []string{"07:00"}, Holidays: "skip"}, "every day at 07:00, not on holidays", "2026-12-24 07:00", []string{"2026-12-27 07:00", "2026-12-29 07:00"}},
		{Schedule{Every: "day", At: []string{"07:00"}, Holidays: "after"}, "every day at 07:00, on the working day after if that is a holiday", "2026-12-24 07:00", []string{"2026-12-27 07:00", "2026-12-29 07:00", "2026-12-30 07:00"}},
		{Schedule{Every: "week", Weekdays: Weekdays, At: []string{"12:00"}, Zone: "America/New_York"}, "every day at 12:00, by the clock of New York", "2026-11-29 16:59", []string{"2026-11-29 17:00"}},
		// The clock is put forward at 1:00 on 29 March, and back from 2:00 on 25 October.
		{Schedule{Every: "day", At: []string{"01:30"}}, "every day at 01:30", "2026-03-28 01:30", []string{"2026-03-29 02:00", "2026-03-30 01:30"}},
		{Schedule{Every: "day", At: []string{"01:30"}}, "every day at 01:30", "2026-10-24 12:00", []string{"2026-10-25 01:30", "2026-10-26 01:30"}},
	} {
		require.NoError(t, c.s.Check(), c.words)
		assert.Equal(t, c.words, c.s.Words())
		at, err := time.ParseInLocation("2006-01-02 15:04", c.after, london)
		require.NoError(t, err)
		for _, want := range c.next {
			at = c.s.Next(at, london, all)
			assert.Equal(t, want, at.In(london).Format("2006-01-02 15:04"), c.words)
		}
	}
	once := Schedule{Every: "day", At: []string{"01:30"}}.Between(time.Date(2026, 10, 24, 12, 0, 0, 0, time.UTC), time.Date(2026, 10, 25, 12, 0, 0, 0, time.UTC), london, nil)
	require.Len(t, once, 1, "of two that are called the same, the first")
	assert.Equal(t, "00:30", once[0].UTC().Format("15:04"))
	never := Holidays{}
	for d := (Date{2026, 1, 1}); d.Year < 2040; d = d.Plus(1) {
		never[d] = true
	}
	assert.True(t, Schedule{Every: "working day", At: []string{"07:00"}}.Next(time.Date(2026, 2, 1, 0, 0, 0, 0, time.UTC), london, never).IsZero())
}

func TestCheck(t *testing.T) {
	at := []string{"07:00"}
	for place, s := range map[string]Schedule{
		"every": {Every: "hour", At: at}, "weekdays": {Every: "week", At: at}, "weekdays[1]": {Every: "week", Weekdays: []string{"monday", "mon"}, At: at},
		"on": {Every: "month", At: at}, "on.of": {Every: "month", On: &On{1, "week"}, At: at}, "on.nth": {Every: "month", On: &On{32, "day"}, At: at},
		"at": {Every: "day"}, "at[0]": {Every: "day", At: []string{"7:00"}}, "zone": {Every: "day", At: at, Zone: "Nowhere/There"}, "holidays": {Every: "day", At: at, Holidays: "maybe"},
	} {
		assert.Equal(t, place, problem.Of(s.Check()).Place, "%+v", s)
	}
	for _, s := range []Schedule{
		{Every: "day", Weekdays: []string{"monday"}, At: at}, {Every: "week", Weekdays: []string{"monday"}, On: &On{1, "day"}, At: at}, {Every: "month", On: &On{0, "day"}, At: at},
		{Every: "month", On: &On{-5, "friday"}, At: at}, {Every: "quarter", On: &On{61, "working day"}, At: at}, {Every: "day", At: make([]string, 13)}, {Every: "day", At: []string{"24:00"}}, {Every: "day", At: at, Zone: "Local"},
	} {
		assert.Error(t, s.Check(), "%+v", s)
	}
}

// drawn is any schedule that is in order.
func drawn(t *rapid.T) Schedule {
	s := Schedule{Every: rapid.SampledFrom(Everies).Draw(t, "every"), Holidays: rapid.SampledFrom(Policies).Draw(t, "holidays")}
	if s.Every == "week" {
		s.Weekdays = rapid.SliceOfNDistinct(rapid.SampledFrom(Weekdays), 1, 3, rapid.ID).Draw(t, "weekdays")
	}
	if s.length() > 0 {
		s.On = &On{rapid.SampledFrom([]int{1, 2, 3, 4, -1, -2, -4}).Draw(t, "nth"), rapid.SampledFrom(append([]string{"day", "working day"}, Weekdays...)).Draw(t, "of")}
		if s.On.Of == "day" && rapid.Bool().Draw(t, "late") {
			s.On.Nth = rapid.IntRange(27, 31).Draw(t, "day")
		}
	}
	for range rapid.IntRange(1, 3).Draw(t, "times") {
		if at := fmt.Sprintf("%02d:%02d", rapid.IntRange(0, 4).Draw(t, "hour"), rapid.SampledFrom([]int{0, 1, 30, 59}).Draw(t, "minute")); !slices.Contains(s.At, at) {
			s.At = append(s.At, at)
		}
	}
	return s
}

// plain are the days of years on which something is due, made from lists of days instead of by
// looking at each.
func plain(s Schedule, from, to int, h Holidays) map[Date]bool {
	works := func(t time.Time) bool {
		return t.Weekday() != time.Saturday && t.Weekday() != time.Sunday && !h[DateOf(t)]
	}
	var due []time.Time
	for month := time.Date(from-1, 10, 1, 12, 0, 0, 0, time.UTC); month.Year() <= to+1; {
		length := 1
		if s.Every == "quarter" {
			length = 3
		}
		end := month.AddDate(0, length, 0)
		var days []time.Time
		for d := month; d.Before(end); d = d.AddDate(0, 0, 1) {
			days = append(days, d)
		}
		switch s.Every {
		case "day":
			due = append(due, days...)
		case "working day":
			due = append(due, slices.DeleteFunc(days, func(d time.Time) bool { return !works(d) })...)
		case "week":
			due = append(due, slices.DeleteFunc(days, func(d time.Time) bool { return !slices.Contains(s.Weekdays, DateOf(d).Weekday()) })...)
		default:
			n, whole := s.On.Nth, len(days)
			if s.On.Of == "day" && s.Every == "month" {
				n = max(-whole, min(n, whole))
			}
			days = slices.DeleteFunc(days, func(d time.Time) bool {
				return s.On.Of == "working day" && !works(d) || s.On.Of != "day" && s.On.Of != "working day" && DateOf(d).Weekday() != s.On.Of
			})
			if n > 0 && n <= len(days) {
				due = append(due, days[n-1])
			} else if n < 0 && -n <= len(days) {
				due = append(due, days[len(days)+n])
			}
		}
		month = end
	}
	out := map[Date]bool{}
	for _, d := range due {
		step := map[string]int{"before": -1, "after": 1}[s.Holidays]
		if h[DateOf(d)] && s.Holidays == "skip" {
			continue
		}
		if h[DateOf(d)] && step != 0 {
			for d = d.AddDate(0, 0, step); !works(d); d = d.AddDate(0, 0, step) {
			}
		}
		out[DateOf(d)] = true
	}
	return out
}

// Over a year with a leap day, in three zones that put their clocks forward and back at different
// times, what is due is what a plain walk through every minute finds; each moment comes once, one after
// another, whenever it is asked for anew.
func TestAYear(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawn(t)
		require.NoError(t, s.Check())
		in := zone(t, rapid.SampledFrom([]string{"Europe/London", "America/New_York", "Australia/Lord_Howe"}).Draw(t, "zone"))
		h := Holidays{}
		for range rapid.IntRange(0, 30).Draw(t, "holidays of the year") {
			h[Date{2028, 1, 1}.Plus(rapid.IntRange(0, 365).Draw(t, "holiday"))] = true
		}
		from, until := time.Date(2028, 1, 1, 0, 0, 0, 0, in).Add(-time.Minute), time.Date(2028, 12, 31, 23, 59, 0, 0, in)
		days := plain(s, 2028, 2028, h)
		var at []int // minutes of the day
		for _, text := range s.At {
			of, _ := time.Parse("15:04", text)
			at = append(at, of.Hour()*60+of.Minute())
		}
		var want []string
		seen := map[[4]int]bool{}
		day, last := 0, 0
		for now := from.Add(time.Minute); !now.After(until); now = now.Add(time.Minute) {
			local := now.In(in)
			hour, minute, _ := local.Clock()
			clock := hour*60 + minute
			for _, time := range at {
				// Where the clock is put forward over it, it is due at that moment.
				if clock != time && !(local.YearDay() == day && last < time && time < clock) {
					continue
				}
				d := DateOf(local)
				key := [4]int{d.Year, int(d.Month), d.Day, time}
				if !days[d] || seen[key] {
					continue
				}
				seen[key] = true
				if moment := now.UTC().Format("2006-01-02 15:04"); len(want) == 0 || want[len(want)-1] != moment {
					want = append(want, moment)
				}
			}
			day, last = local.YearDay(), clock
		}
		var got []string
		for _, at := range s.Between(from, until, in, h) {
			got = append(got, at.UTC().Format("2006-01-02 15:04"))
		}
		if !assert.Equal(t, want, got, s.Words()) {
			return
		}
		restarted := []string{}
		for next := s.Next(from, in, h); !next.IsZero() && !next.After(until); next = s.Next(next, in, h) {
			restarted = append(restarted, next.UTC().Format("2006-01-02 15:04"))
		}
		assert.Equal(t, append([]string{}, want...), restarted, s.Words())
	})
}

func TestZonesAreThere(t *testing.T) {
	for _, z := range Zones {
		assert.NoError(t, Schedule{Every: "day", At: []string{"07:00"}, Zone: z}.Check(), z)
	}
	assert.True(t, slices.IsSorted(Zones[1:]))
}

func TestWhichOfSeveral(t *testing.T) {
	for n, want := range map[int]string{1: "first", 5: "fifth", 6: "6th", 11: "11th", 21: "21st", 22: "22nd", 23: "23rd", 31: "31st", -1: "last", -2: "second to last"} {
		assert.Equal(t, want, Counted(n))
	}
}
