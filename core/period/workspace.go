package period

import (
	"encoding/json"
	"slices"
	"strings"
	"time"

	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/upgrade"
)

// A Workspace is a calendar as it is written down.
type Workspace struct {
	Version     int         `json:"version"`
	Zone        string      `json:"zone"`                   // an IANA zone
	FirstDay    string      `json:"first_day,omitempty"`    // of a week: Monday when left out
	MinDays     int         `json:"min_days,omitempty"`     // a week belongs to the year with so many of its days: 4 when left out
	FiscalStart string      `json:"fiscal_start,omitempty"` // the first month of the fiscal year: January when left out
	Numbers     string      `json:"numbers,omitempty"`      // the locale in whose manner they are written: en-GB when left out
	Periods     *OwnPeriods `json:"periods,omitempty"`
}

// OwnPeriods names the dataset of the host app's accounting periods, and its fields: the
// first day of a period and its name. The last record only ends the one before it.
type OwnPeriods struct {
	Dataset string `json:"dataset"`
	Start   string `json:"start"`
	Name    string `json:"name"`
}

var workspaceUpgrades = upgrade.Chain{Kind: "document of settings"}

// WorkspaceVersion is the version of a workspace's settings that is written.
var WorkspaceVersion = workspaceUpgrades.Version()

// ReadWorkspace reads the document.
func ReadWorkspace(data []byte) (*Workspace, error) {
	data, err := workspaceUpgrades.Read(data)
	if err != nil {
		return nil, err
	}
	var w Workspace
	if err := problem.Decode(data, &w); err != nil {
		return nil, err
	}
	_, err = w.Calendar()
	return &w, err
}

// Calendar returns the calendar, without accounting periods, which have yet to be read.
func (w *Workspace) Calendar() (Calendar, error) {
	zone, err := time.LoadLocation(w.Zone)
	if err != nil || w.Zone == "" || w.Zone == "Local" {
		return Calendar{}, problem.New(problem.Invalid, "zone", "“%s” is not an IANA time zone such as Europe/London.", w.Zone)
	}
	c := ISO(zone)
	if w.Numbers != "" && !slices.Contains(locale.Names(), w.Numbers) {
		return Calendar{}, problem.New(problem.Invalid, "numbers", "Numbers and dates are written as in %s, not as in “%s”.", strings.Join(locale.Names(), ", "), w.Numbers)
	}
	c.Manner = locale.Of(w.Numbers)
	if w.FirstDay != "" {
		found := false
		for d := time.Sunday; d <= time.Saturday; d++ {
			if d.String() == w.FirstDay {
				c.FirstDay, found = d, true
			}
		}
		if !found {
			return c, problem.New(problem.Invalid, "first_day", "“%s” is not a day of the week.", w.FirstDay)
		}
	}
	if w.MinDays != 0 {
		if w.MinDays < 1 || w.MinDays > 7 {
			return c, problem.New(problem.Invalid, "min_days", "A week has from 1 to 7 days.")
		}
		c.MinDays = w.MinDays
	}
	if w.FiscalStart != "" {
		found := false
		for m := time.January; m <= time.December; m++ {
			if m.String() == w.FiscalStart {
				c.FiscalStart, found = m, true
			}
		}
		if !found {
			return c, problem.New(problem.Invalid, "fiscal_start", "“%s” is not a month.", w.FiscalStart)
		}
	}
	return c, nil
}

// JSON writes the settings as they are kept.
func (w *Workspace) JSON() []byte {
	b, _ := json.Marshal(w)
	return b
}
