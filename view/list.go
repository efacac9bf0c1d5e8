package view

import (
	"context"
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
)

// mostLong is how many records a table of them has on paper at most.
const mostLong = 2000

// list answers a chart that shows single records: as a table, a board, a calendar …
func (e *Reader) list(ctx context.Context, a *Answer, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting, version int, long bool) error {
	size, laid := doc.Most, doc.Form.Laid()
	roles := chart.RolesOf(doc, ds)
	show, order := doc.Show, doc.Order
	if !laid.Own {
		show = nil
		for _, f := range roles.Fields() {
			show = append(show, f.Name)
		}
		if f := roles.From; order == nil && f != nil {
			order = &chart.Order{Field: f.Name, Descending: !laid.Forward}
		}
		if size == 0 {
			size = laid.Most
		}
	}
	if size == 0 {
		size = planner.PageSize
	}
	if long && doc.Most == 0 && laid.Own {
		size = mostLong
	}
	cal := e.Calendar()
	if ds.Zone != nil {
		cal.Zone = ds.Zone
	}
	listed := chart.Listed{Now: s.Now, Cal: cal}
	where := doc.Where
	switch {
	case laid.Monthly:
		month, err := e.month(ctx, doc, ds, v, s, roles.From, cal)
		if err != nil {
			return err
		}
		within := filter.During(roles.From.Name, period.Relative{From: month.Format(time.DateOnly), To: month.AddDate(0, 1, -1).Format(time.DateOnly)})
		if where != nil {
			within = filter.And(within, *where)
		}
		listed.Month, where = month, &within
	case laid.Counted:
		// Every record counts in its column's heading, also where not every card is shown.
		t, _, err := e.Table(ctx, query.Definition{Version: query.Version, Dataset: ds.Name, Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}, By: []query.Dimension{{Field: roles.Stage.Name}}, Where: doc.Where}, ds, v, s)
		if err != nil {
			return err
		}
		listed.Counts = chart.Counts(t)
	}
	p := planner.NewList(ds, s, size)
	if err := p.Choose(show, where); err != nil {
		return err
	}
	if order != nil {
		if err := p.By(0, order.Field, order.Descending); err != nil {
			return err
		}
	}
	edits := doc.Edits(ds, v.Roles)
	p.Told, p.Keyed = doc.ChosenBy(ds), len(edits) > 0
	l, err := e.Records(ctx, p, v)
	if err != nil {
		return err
	}
	a.Fresh, a.Live = e.fresh(ds, l.At)
	a.Whole = marks.Reference{Version: version, Now: s.Now}
	if laid.Own {
		a.Records = NewPage(l)
		for _, f := range edits {
			a.Records.Edits = append(a.Records.Edits, f.Name)
		}
		if doc.Finishing().Merge && len(edits) == 0 {
			a.Records.merge()
		}
		if int(l.Count) > len(l.Rows) {
			a.Notes = append(a.Notes, Note{Words: "The first " + ds.Manner.Count(int64(len(l.Rows))) + " of " + format.Records(ds, l.Count) + " are shown.", Mark: &a.Whole})
		}
		return nil
	}
	if len(l.Rows) == 0 {
		a.Nothing = "Nothing found: no " + ds.Record[1] + " meet what is set."
		return nil
	}
	listed.Plan, listed.Rows, listed.Count = p, l.Rows, l.Count
	a.Listed, err = chart.List(doc, ds, listed)
	if wrong := problem.Of(err); wrong != nil && (wrong.Code == problem.Invalid || wrong.Code == problem.TooMany) {
		a.Nothing = wrong.Words
		return nil
	}
	if err == nil && a.Listed.More > 0 {
		a.Notes = append(a.Notes, Note{Words: "The first " + ds.Manner.Count(int64(len(l.Rows))) + " of " + format.Records(ds, l.Count) + " are shown."})
	}
	if err == nil {
		where := "the plan"
		if len(a.Listed.Outline) > 0 {
			where = "the map"
		}
		for _, out := range []struct {
			n         int
			one, many string
		}{{a.Listed.Missing, "cannot be placed and is not shown", "cannot be placed and are not shown"}, {a.Listed.Outside, "lies outside " + where + " and is not shown", "lie outside " + where + " and are not shown"}} {
			does := out.many
			if out.n == 1 {
				does = out.one
			}
			if out.n > 0 {
				a.Notes = append(a.Notes, Note{Words: format.Records(ds, int64(out.n)) + " " + does + "."})
			}
		}
	}
	return err
}

// month is the first day of the month that a calendar shows.
func (e *Reader) month(ctx context.Context, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting, from *dataset.Field, cal period.Calendar) (time.Time, error) {
	today := cal.Wall(s.Now)
	end := time.Date(today.Year(), today.Month()+1, 1, 0, 0, 0, 0, time.UTC)
	until := filter.Compare(from.Name, filter.Below, end.Format(time.DateOnly))
	if doc.Where != nil {
		until = filter.And(until, *doc.Where)
	}
	t, _, err := e.Table(ctx, query.Definition{Version: query.Version, Dataset: ds.Name, Measures: []query.Measure{{Aggregate: aggregate.Largest, Field: from.Name}}, Where: &until}, ds, v, s)
	if err != nil {
		return today, err
	}
	latest := t.Total()[0].Time()
	if t.Total()[0].Type() == field.Timestamp && from.Zoned {
		latest = cal.Wall(latest)
	}
	return chart.Month(today, latest), nil
}
