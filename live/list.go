package live

import (
	"context"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
)

// list answers a chart that shows single records: as a table, a board, a calendar …
func (e *Engine) list(ctx context.Context, a *Answer, doc *chart.Document, ds *dataset.Dataset, v rule.Viewer, s query.Setting, version int) error {
	size := doc.Most
	roles := chart.RolesOf(doc, ds)
	show, order := doc.Show, doc.Order
	if doc.Form != chart.Records {
		show = nil
		for _, f := range roles.Fields() {
			show = append(show, f.Name)
		}
		if f := roles.From; order == nil && f != nil {
			order = &chart.Order{Field: f.Name, Descending: doc.Form != chart.Timeline}
		}
		if size == 0 {
			size = map[chart.Form]int{chart.Plan: chart.MostPoints, chart.Latest: 30, chart.Cards: 60, chart.Timeline: 60}[doc.Form]
		}
		if size == 0 {
			size = chart.MostListed
		}
	}
	if size == 0 {
		size = query.PageSize
	}
	p := query.NewList(ds, s, size)
	if err := p.Choose(show, doc.Where); err != nil {
		return err
	}
	if order != nil {
		if err := p.By(0, order.Field, order.Descending); err != nil {
			return err
		}
	}
	l, err := e.Records(ctx, p, v)
	if err != nil {
		return err
	}
	a.Fresh = e.fresh(ds, l.At)
	a.Whole = query.Reference{Version: version, Now: s.Now}
	if doc.Form == chart.Records {
		a.Records = NewPage(l)
		if doc.Finishing().Merge {
			a.Records.merge()
		}
		return nil
	}
	if len(l.Rows) == 0 {
		a.Nothing = "Nothing found: no " + ds.Record[1] + " meet what is set."
		return nil
	}
	cal := e.Calendar()
	if ds.Zone != nil {
		cal.Zone = ds.Zone
	}
	a.Listed, err = chart.List(doc, ds, chart.Listed{Plan: p, Rows: l.Rows, Count: l.Count, Now: s.Now, Cal: cal})
	if wrong := problem.Of(err); wrong != nil && (wrong.Code == problem.Invalid || wrong.Code == problem.TooMany) {
		a.Nothing = wrong.Words
		return nil
	}
	if err == nil && a.Listed.More > 0 {
		a.Notes = append(a.Notes, Note{Words: "The first " + count(len(l.Rows)) + " of " + count(int(l.Count)) + " " + ds.Record[1] + " are shown."})
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
			switch out.n {
			case 0:
			case 1:
				a.Notes = append(a.Notes, Note{Words: "1 " + ds.Record[0] + " " + out.one + "."})
			default:
				a.Notes = append(a.Notes, Note{Words: count(out.n) + " " + ds.Record[1] + " " + out.many + "."})
			}
		}
	}
	return err
}
