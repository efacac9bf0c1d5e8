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

// Counted says which of several: “second”, “12th”, and below zero from the end: “last”, “second to last”.
func Counted(n int) string {
	switch {
	case n == -1:
		return "last"
	case n < 0:
		return Counted(-n) + " to last"
	}
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
		out = "on the " + Counted(s.On.Nth) + " " + of + " of each " + s.Every
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

// Zones are those that are offered; others can be written in documents.
var Zones = []string{
	"UTC", "Africa/Cairo", "Africa/Casablanca", "Africa/Johannesburg", "Africa/Lagos", "Africa/Nairobi", "America/Anchorage", "America/Argentina/Buenos_Aires", "America/Bogota",
	"America/Caracas", "America/Chicago", "America/Denver", "America/Halifax", "America/Lima", "America/Los_Angeles", "America/Mexico_City", "America/New_York", "America/Phoenix",
	"America/Santiago", "America/Sao_Paulo", "America/St_Johns", "America/Toronto", "America/Vancouver", "Asia/Almaty", "Asia/Bangkok", "Asia/Colombo", "Asia/Dhaka", "Asia/Dubai",
	"Asia/Ho_Chi_Minh", "Asia/Hong_Kong", "Asia/Jakarta", "Asia/Jerusalem", "Asia/Kabul", "Asia/Karachi", "Asia/Kathmandu", "Asia/Kolkata", "Asia/Manila", "Asia/Riyadh",
	"Asia/Seoul", "Asia/Shanghai", "Asia/Singapore", "Asia/Taipei", "Asia/Tashkent", "Asia/Tehran", "Asia/Tokyo", "Atlantic/Azores", "Atlantic/Reykjavik", "Australia/Adelaide",
	"Australia/Brisbane", "Australia/Darwin", "Australia/Lord_Howe", "Australia/Melbourne", "Australia/Perth", "Australia/Sydney", "Europe/Amsterdam", "Europe/Athens", "Europe/Berlin",
	"Europe/Brussels", "Europe/Bucharest", "Europe/Budapest", "Europe/Copenhagen", "Europe/Dublin", "Europe/Helsinki", "Europe/Istanbul", "Europe/Kyiv", "Europe/Lisbon",
	"Europe/London", "Europe/Madrid", "Europe/Moscow", "Europe/Oslo", "Europe/Paris", "Europe/Prague", "Europe/Rome", "Europe/Sofia", "Europe/Stockholm", "Europe/Vienna",
	"Europe/Warsaw", "Europe/Zurich", "Pacific/Auckland", "Pacific/Fiji", "Pacific/Honolulu", "Pacific/Port_Moresby", "Pacific/Tongatapu",
}
