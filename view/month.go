package view

import (
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A Month is a month as a filter of dates offers it, with how many records each day has.
type Month struct {
	Title         string
	Name          string // "2026-11"
	Before, After string // the months beside it, by name
	From, To      string // its first and its last day
	Weekdays      []string
	Weeks         []MonthWeek
}

// A MonthWeek is a week of a month.
type MonthWeek struct {
	Number   int
	From, To string
	Days     []MonthDay
}

// A MonthDay is a day with its number of records.
type MonthDay struct {
	Date   string
	Number int
	Says   string // "3 November 2026, 12 jobs"
	Size   int    // of its records among those of the month, from 0 for none to 4
	Beside bool   // of another month
	Today  bool
	Chosen bool
}

// Month shows a month for a filter of dates, with the records that the other filters leave; without a
// name that in which what is set ends, or now lies; nil where nothing here has such dates.
func (v *View) Month(name, month string) (*Month, error) {
	f := v.Doc.Filter(name)
	if f == nil || !f.IsDate() {
		return nil, problem.New(problem.NotFound, "filter", "The dashboard has no such dates.")
	}
	w, ds, field, err := v.governed(f)
	if err != nil || ds == nil {
		return nil, err
	}
	cal := v.Engine.Calendar()
	if ds.Zone != nil {
		cal.Zone = ds.Zone
	}
	civil, today := cal.Civil(), cal.Wall(v.Engine.Setting(ds, v.Viewer, filter.Condition{}, time.Time{}).Now)
	var chosen period.Range
	at := today
	if set := f.Setting(v.State); set != nil && set.Range != nil {
		chosen = set.Range.Resolve(today, civil)
		if end := chosen.To.AddDate(0, 0, -1); !chosen.To.IsZero() && end.Before(today) {
			at = end
		}
	}
	if month != "" {
		if at, err = time.Parse("2006-01", month); err != nil || at.Year() < 1000 || at.Year() > 9998 {
			return nil, problem.New(problem.Invalid, "month", "“%s” is no month.", month)
		}
	}
	sheet := civil.Sheet(at)
	reach, err := v.Doc.Reach(w, ds, v.State, v.Viewer.Attributes, v, name)
	if err != nil {
		return nil, err
	}
	counts, most, err := v.days(ds, field, reach.Condition, sheet)
	if err != nil {
		return nil, err
	}
	manner := v.Engine.MannerOf(v.Viewer)
	out := &Month{
		Title: manner.Date(sheet.First, "January 2006"), Name: sheet.First.Format("2006-01"), From: sheet.First.Format(time.DateOnly), To: sheet.Last().Format(time.DateOnly),
		Before: sheet.First.AddDate(0, -1, 0).Format("2006-01"), After: sheet.Next().Format("2006-01"),
	}
	for _, row := range sheet.Weeks {
		week := MonthWeek{Number: row.Number, From: row.Days[0].Format(time.DateOnly), To: row.Days[6].Format(time.DateOnly)}
		for _, day := range row.Days {
			one := MonthDay{Date: day.Format(time.DateOnly), Number: day.Day(), Says: manner.Date(day, "2 January 2006"), Beside: !sheet.Has(day), Today: day.Format(time.DateOnly) == today.Format(time.DateOnly)}
			one.Chosen = chosen.Contains(day) && !(chosen.From.IsZero() && chosen.To.IsZero())
			if n := counts[one.Date]; !one.Beside {
				one.Says += ", " + format.Records(ds, n)
				one.Size = int((4*n + most - 1) / max(most, 1))
			}
			week.Days = append(week.Days, one)
		}
		out.Weeks = append(out.Weeks, week)
	}
	for _, day := range sheet.Weeks[0].Days {
		out.Weekdays = append(out.Weekdays, manner.Date(day, "Mon"))
	}
	return out, nil
}

// days counts the records of each day of a month that meet a condition, and those of the fullest.
func (v *View) days(ds *dataset.Dataset, name string, of filter.Condition, month period.MonthSheet) (counts map[string]int64, most int64, err error) {
	within := filter.During(name, period.Relative{From: month.First.Format(time.DateOnly), To: month.Last().Format(time.DateOnly)})
	setting, err := v.setting(ds, filter.And(of, within), time.Time{})
	if err != nil {
		return nil, 0, err
	}
	d := query.Definition{Version: query.Version, Dataset: ds.Name, Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}, By: []query.Dimension{{Field: name, Grain: period.Day}}}
	t, _, err := v.Engine.Table(v.ctx, d, ds, v.Viewer, setting)
	if err != nil {
		return nil, 0, err
	}
	counts = map[string]int64{}
	for g, keys := range t.Groups {
		if k, some := keys[0], t.GroupTotal(g)[0]; k.Kind == calc.Step && !some.IsEmpty() {
			n, _ := some.Decimal().Int64()
			counts[k.From.In(t.Plan.Dims[0].Axis.Calendar.Zone).Format(time.DateOnly)] = n
			most = max(most, n)
		}
	}
	return counts, most, nil
}
