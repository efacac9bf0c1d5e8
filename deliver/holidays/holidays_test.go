package holidays_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/deliver/holidays"
)

func calendar(events ...string) string {
	out := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y//EN\r\n"
	for _, e := range events {
		out += "BEGIN:VEVENT\r\nUID:" + e[:4] + "\r\nSUMMARY:Day\r\n" + strings.ReplaceAll(e, "|", "\r\n") + "\r\nEND:VEVENT\r\n"
	}
	return out + "END:VCALENDAR\r\n"
}

func TestDays(t *testing.T) {
	for name, of := range map[string]struct {
		events []string
		want   []string
	}{
		"one":                        {[]string{"DTSTART;VALUE=DATE:20261225"}, []string{"2026-12-25"}},
		"several, the end excluded":  {[]string{"DTSTART;VALUE=DATE:20261225|DTEND;VALUE=DATE:20261227"}, []string{"2026-12-25", "2026-12-26"}},
		"twice":                      {[]string{"DTSTART;VALUE=DATE:20261225", "DTSTART;VALUE=DATE:20261224|DTEND;VALUE=DATE:20261226"}, []string{"2026-12-24", "2026-12-25"}},
		"each year":                  {[]string{"DTSTART;VALUE=DATE:20200101|RRULE:FREQ=YEARLY"}, []string{"2026-01-01", "2027-01-01"}},
		"each year, until":           {[]string{"DTSTART;VALUE=DATE:20200101|RRULE:FREQ=YEARLY;UNTIL=20260601"}, []string{"2026-01-01"}},
		"each year but one":          {[]string{"DTSTART;VALUE=DATE:20200101|RRULE:FREQ=YEARLY|EXDATE;VALUE=DATE:20260101"}, []string{"2027-01-01"}},
		"the first Monday of May":    {[]string{"DTSTART;VALUE=DATE:20200504|RRULE:FREQ=YEARLY;BYMONTH=5;BYDAY=1MO"}, []string{"2026-05-04", "2027-05-03"}},
		"over the turn of the year":  {[]string{"DTSTART;VALUE=DATE:20251231|DTEND;VALUE=DATE:20260103"}, []string{"2026-01-01", "2026-01-02"}},
		"with an appointment beside": {[]string{"DTSTART:20261224T100000Z|DTEND:20261224T110000Z", "DTSTART;VALUE=DATE:20261225"}, []string{"2026-12-25"}},
	} {
		got, err := holidays.Read(strings.NewReader(calendar(of.events...)), 2026, 2027)
		require.NoError(t, err, name)
		assert.Equal(t, of.want, got, name)
	}
}

func TestWhatIsNoCalendarOfHolidays(t *testing.T) {
	for name, text := range map[string]string{
		"nothing": "", "a page": "<html>", "cut short": "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nDTSTART", "appointments only": calendar("DTSTART:20261224T100000Z"), "of other years": calendar("DTSTART;VALUE=DATE:19990101"),
		"a rule that is none": calendar("DTSTART;VALUE=DATE:20260101|RRULE:FREQ=SOMETIMES"), "every second": calendar("DTSTART;VALUE=DATE:20260101|RRULE:FREQ=SECONDLY"),
		"too long": calendar("DTSTART;VALUE=DATE:20260101|DESCRIPTION:" + strings.Repeat("x", holidays.MostBytes)), "too many": calendar(strings.Split(strings.Repeat("DTSTART;VALUE=DATE:20260101\n", 5001), "\n")[:5001]...),
	} {
		_, err := holidays.Read(strings.NewReader(text), 2026, 2027)
		assert.Error(t, err, name)
	}
}

// Whatever a file says, it is read within bounds, or not at all.
func FuzzRead(f *testing.F) {
	f.Add(calendar("DTSTART;VALUE=DATE:20200101|RRULE:FREQ=DAILY"))
	f.Add(calendar("DTSTART;VALUE=DATE:20200101|RRULE:FREQ=MONTHLY;BYDAY=-1FR;COUNT=3|EXDATE:20200101"))
	f.Fuzz(func(t *testing.T, text string) {
		days, err := holidays.Read(strings.NewReader(text), 2026, 2027)
		if err == nil {
			assert.NotEmpty(t, days)
			for _, d := range days {
				assert.True(t, d >= "2026-01-01" && d <= "2027-12-31", d)
			}
		}
	})
}
