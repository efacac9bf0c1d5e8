package period

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"eskadel/core/locale"
	"eskadel/core/problem"
)

// A Relative is a range in words: "today", "this month", the last 12 months, since a
// date, or from date to date. It resolves against a clock and a calendar once per
// request. In JSON it is one of
//
//	"today" "yesterday" "this UNIT" "last UNIT" "next UNIT" "this UNIT to date"
//	{"last": 12, "unit": "month"}  {"last": 3, "unit": "week", "complete": true}
//	{"since": "2026-01-01"}  {"from": "2026-01-01", "to": "2026-03-31"}
type Relative struct {
	Named    string `json:"-"`
	Last     int    `json:"last,omitempty"`
	Unit     Grain  `json:"unit,omitempty"`
	Complete bool   `json:"complete,omitempty"`
	Since    string `json:"since,omitempty"`
	From     string `json:"from,omitempty"`
	To       string `json:"to,omitempty"`
}

// Units are the grains that relative ranges count in.
func Units() []Grain { return []Grain{Day, Week, Month, Quarter, Year} }

// Names lists every range that has a name, in the order menus offer them.
func Names() []string {
	names := []string{"today", "yesterday"}
	for _, u := range Units()[1:] {
		names = append(names, "this "+u.String(), "this "+u.String()+" to date", "last "+u.String(), "next "+u.String())
	}
	return append(names, "next day")
}

// Check tells in words what is wrong with the range.
func (r Relative) Check() error {
	ways := 0
	for _, used := range []bool{r.Named != "", r.Last != 0, r.Since != "", r.From != "" || r.To != ""} {
		if used {
			ways++
		}
	}
	if ways != 1 {
		return problem.New(problem.Invalid, "", "A range of dates is one of: a name such as “this month”, the last so many units, since a date, or from date to date.")
	}
	switch {
	case r.Named != "":
		if r.named() {
			return nil
		}
		return problem.New(problem.Invalid, "", "“%s” is not a range of dates. Ranges with a name are: %s.", r.Named, strings.Join(Names(), ", "))
	case r.Last != 0:
		if r.Last < 1 || r.Last > 1000 {
			return problem.New(problem.Invalid, "last", "The last so many units are from 1 to 1000, not %d.", r.Last)
		}
		for _, u := range Units() {
			if u == r.Unit {
				return nil
			}
		}
		return problem.New(problem.Invalid, "unit", "A range counts days, weeks, months, quarters or years.")
	case r.Since != "":
		_, err := civil("since", r.Since)
		return err
	}
	from, err := civil("from", r.From)
	if err != nil {
		return err
	}
	to, err := civil("to", r.To)
	if err != nil {
		return err
	}
	if to.Before(from) {
		return problem.New(problem.Invalid, "to", "The range ends (%s) before it starts (%s).", r.To, r.From)
	}
	return nil
}

// named tells whether the range's name is one. Those of a day are not offered beside “today”
// and “yesterday”, which are the same.
func (r Relative) named() bool {
	return slices.Contains(Names(), r.Named) || slices.Contains([]string{"this day", "last day", "this day to date"}, r.Named)
}

// ReadNow reads a time that is to be taken for now: by RFC 3339, or without a zone as a
// clock in zone shows it.
func ReadNow(s string, zone *time.Location) (time.Time, error) {
	if t, err := time.Parse(time.RFC3339, s); err == nil {
		return t, nil
	}
	for _, layout := range []string{"2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04:05", "2006-01-02 15:04", time.DateOnly} {
		if t, err := time.ParseInLocation(layout, s, zone); err == nil {
			return t, nil
		}
	}
	return time.Time{}, problem.New(problem.Invalid, "now", "“%s” is not a time such as 2026-11-27T09:00:00Z or 2026-11-27 09:00.", s)
}

func civil(place, s string) (time.Time, error) {
	t, err := time.Parse(time.DateOnly, s)
	if err != nil || t.Year() < 1 {
		return t, problem.New(problem.Invalid, place, "“%s” is not a date like 2026-03-31.", s)
	}
	return t, nil
}

// Resolve returns the span of the range at now. An end date includes its whole day.
// The range must have passed Check.
func (r Relative) Resolve(now time.Time, c Calendar) Range {
	at := func(s string, days int) time.Time {
		t, _ := time.Parse(time.DateOnly, s)
		return c.instant(t.Year(), t.Month(), t.Day()+days, 0, 0)
	}
	tomorrow := c.Midnight(now, 1)
	step := func(g Grain, n, count int) Range {
		start := c.Add(c.Floor(now, g), g, n)
		return Range{start, c.Add(start, g, count)}
	}
	switch {
	case r.Last > 0 && r.Complete:
		return step(r.Unit, -r.Last, r.Last)
	case r.Last > 0:
		return Range{step(r.Unit, 1-r.Last, 1).From, tomorrow}
	case r.Since != "":
		return Range{From: at(r.Since, 0)}
	case r.From != "":
		return Range{at(r.From, 0), at(r.To, 1)}
	case r.Named == "today":
		return step(Day, 0, 1)
	case r.Named == "yesterday":
		return step(Day, -1, 1)
	}
	words := strings.Fields(r.Named)
	unit, _ := ParseGrain(words[1])
	switch {
	case len(words) > 2: // this … to date
		return Range{c.Floor(now, unit), tomorrow}
	case words[0] == "last":
		return step(unit, -1, 1)
	case words[0] == "next":
		return step(unit, 1, 1)
	}
	return step(unit, 0, 1)
}

// Counts returns the unit that the range counts and how many of it, 0 for none: "this
// month" is one month, also while it has not ended.
func (r Relative) Counts() (unit Grain, n int) {
	switch {
	case r.Last > 0:
		return r.Unit, r.Last
	case r.Named == "today" || r.Named == "yesterday":
		return Day, 1
	case r.Named != "":
		unit, _ = ParseGrain(strings.Fields(r.Named)[1])
		return unit, 1
	}
	return 0, 0
}

// Words returns the range as it stands in a sentence: "in the last 12 months". One unit is
// called by its name: "last week" is the one before this, and "in the last week" is not said,
// since it might be taken for the last seven days.
func (r Relative) Words(m *locale.Manner) string {
	day := func(s string) string {
		t, err := time.Parse(time.DateOnly, s)
		if err != nil {
			return s
		}
		return m.Day(t)
	}
	switch {
	case r.Last == 1 && r.Complete:
		return Relative{Named: "last " + r.Unit.String()}.Words(m)
	case r.Last == 1:
		return Relative{Named: "this " + r.Unit.String() + " to date"}.Words(m)
	case r.Last > 0:
		complete := ""
		if r.Complete {
			complete = "complete "
		}
		return fmt.Sprintf("in the last %d %s%ss", r.Last, complete, r.Unit)
	case r.Since != "":
		return "since " + day(r.Since)
	case r.From != "" && r.From == r.To:
		return "on " + day(r.From)
	case r.From != "":
		return "from " + day(r.From) + " to " + day(r.To)
	case r.Named == "this day" || r.Named == "this day to date":
		return "today"
	case r.Named == "last day":
		return "yesterday"
	case r.Named == "next day":
		return "tomorrow"
	}
	return r.Named
}

func (r Relative) MarshalJSON() ([]byte, error) {
	if r.Named != "" {
		return json.Marshal(r.Named)
	}
	type plain Relative
	return json.Marshal(plain(r))
}

func (r *Relative) UnmarshalJSON(b []byte) error {
	*r = Relative{}
	if len(b) > 0 && b[0] == '"' {
		if err := json.Unmarshal(b, &r.Named); err != nil {
			return err
		}
	} else {
		type plain Relative
		if err := problem.Decode(b, (*plain)(r)); err != nil {
			return err
		}
	}
	return r.Check()
}
