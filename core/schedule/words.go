package schedule

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// listed writes texts with commas and “and”.
func listed(all []string) string {
	if len(all) < 2 {
		return strings.Join(all, "")
	}
	return strings.Join(all[:len(all)-1], ", ") + " and " + all[len(all)-1]
}

// counted says which of several: “second”, “12th”.
func counted(n int) string {
	few := []string{"", "first", "second", "third", "fourth", "fifth"}
	if n < len(few) {
		return few[n]
	}
	end := "th"
	if n/10%10 != 1 {
		switch n % 10 {
		case 1:
			end = "st"
		case 2:
			end = "nd"
		case 3:
			end = "rd"
		}
	}
	return fmt.Sprint(n, end)
}

func capital(day string) string { return strings.ToUpper(day[:1]) + day[1:] }

// Words says a schedule: “every Monday and Thursday at 07:00, not on holidays”.
func (s Schedule) Words() string {
	out := "every " + s.Every
	switch {
	case s.Every == "week":
		var days []string
		for _, d := range Weekdays { // in their order, whatever that of the schedule is
			for _, has := range s.Weekdays {
				if has == d {
					days = append(days, capital(d))
					break
				}
			}
		}
		out = "every " + listed(days)
		if len(days) == len(Weekdays) {
			out = "every day"
		}
	case s.On != nil:
		of := s.On.Of
		if of != "day" && of != "working day" {
			of = capital(of)
		}
		which := counted(max(s.On.Nth, -s.On.Nth)) + " "
		switch {
		case s.On.Nth == -1:
			which = "last "
		case s.On.Nth < 0:
			which += "to last "
		}
		out = "on the " + which + of + " of each " + s.Every
	}
	out += " at " + listed(slices.Sorted(slices.Values(s.At)))
	out += map[string]string{"skip": ", not on holidays", "before": ", on the working day before if that is a holiday", "after": ", on the working day after if that is a holiday"}[s.Holidays]
	if s.Zone != "" {
		out += ", by the clock of " + place(s.Zone)
	}
	return out
}

// place is the town that a zone is named after.
func place(zone string) string {
	if zone == time.UTC.String() {
		return zone
	}
	return strings.ReplaceAll(zone[strings.LastIndexByte(zone, '/')+1:], "_", " ")
}
