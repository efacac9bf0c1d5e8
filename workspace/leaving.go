package workspace

import (
	"cmp"
	"context"
	"slices"
	"time"

	"eskadel/core/field"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
	"eskadel/view"
)

// took notes in the audit log who takes away what; what cannot be noted is not taken away.
func (w *Workspace) took(ctx context.Context, who *identity.Caller, what, of string) error {
	if who.Sending { // what is sent to whom is noted as a whole
		return nil
	}
	return w.store.Change(ctx, cmp.Or(who.Name, who.ID), func(tx *store.Tx) error { return tx.Audit(ctx, "took away "+what, of) })
}

// leaving answers a widget for those who may take it away.
func (l *Look) leaving(id string, parts view.Parts) (*view.Leaving, error) {
	if err := rights.May(l.who, rights.TakeAway, l.thing()); err != nil {
		return nil, err
	}
	return l.view.Leaving(id, parts)
}

// Pictured is what a widget draws, for a picture of it of a kind.
func (l *Look) Pictured(id, kind string) (*view.Leaving, error) {
	out, err := l.leaving(id, view.Drawing)
	if err == nil {
		err = drawn(out)
	}
	if err != nil {
		return nil, err
	}
	return out, l.w.took(l.ctx, l.who, "a picture ("+kind+")", l.Doc.Title+": "+out.Title)
}

// drawn tells in words why there is no picture of something.
func drawn(l *view.Leaving) error {
	switch {
	case l.Drawing != nil:
		return nil
	case l.Nothing != "":
		return problem.New(problem.Invalid, "", "There is nothing to make a picture of. %s", l.Nothing)
	}
	return problem.New(problem.Invalid, "", "“%s” is not drawn: its figures can be taken away as a file.", l.Title)
}

// Figures are the figures of a widget as they may be taken away, with totals or without, as a file
// of a kind.
func (l *Look) Figures(id string, totals bool, kind string) (*view.Leaving, error) {
	out, err := l.leaving(id, view.Figures)
	if err != nil {
		return nil, err
	}
	if out.Grid == nil {
		return nil, problem.New(problem.NotFound, "widget", "This widget has no table of figures.")
	}
	if !totals {
		out.Grid = out.Grid.WithoutTotals()
	}
	return out, l.w.took(l.ctx, l.who, "figures ("+kind+")", l.Doc.Title+": "+out.Title)
}

// Figured are the widgets of a page that have figures to take away.
func (l *Look) Figured(title string) ([]view.Called, error) {
	page, err := l.Doc.Page(title)
	if err != nil {
		return nil, err
	}
	return l.view.Figured(page)
}

// Charts are the charts, figures and lists of a page by their titles, in reading order.
func (l *Look) Charts(title string) ([]view.Called, error) {
	page, err := l.Doc.Page(title)
	if err != nil {
		return nil, err
	}
	return l.view.Charts(page)
}

// PageFigures are the figures of the widgets of a page that have any, of those that are named if any
// is, as a file of a kind.
func (l *Look) PageFigures(title string, only []string, totals bool, kind string) (out []*view.Leaving, err error) {
	all, err := l.Figured(title)
	if err != nil {
		return nil, err
	}
	for _, w := range all {
		if len(only) > 0 && !slices.Contains(only, w.ID) {
			continue
		}
		one, err := l.Figures(w.ID, totals, kind)
		if problem.Is(err, problem.NotFound) {
			continue // it shows nothing just now
		}
		if err != nil {
			return nil, err
		}
		out = append(out, one)
	}
	if len(out) == 0 {
		return nil, problem.New(problem.NotFound, "", "There are no figures on this page to take away.")
	}
	return out, nil
}

// RecordsFile hands on the records behind a mark as they may be taken away, for a file of a kind:
// what they are, then each.
func (l *Look) RecordsFile(id string, mark marks.Reference, p Paging, kind string, begin func(*view.Filed) error, each func([]field.Value) error) error {
	for _, what := range []rights.What{rights.TakeAway, rights.Records} {
		if err := rights.May(l.who, what, l.thing()); err != nil {
			return err
		}
	}
	from, err := l.drawn(mark)
	if err != nil {
		return err
	}
	return from.File(id, mark, p, func(f *view.Filed) error {
		if err := l.w.took(l.ctx, l.who, "records ("+kind+")", l.Doc.Title+": "+f.Heading); err != nil {
			return err
		}
		return begin(f)
	}, each)
}

// Pictured is what the chart draws, for a picture of it of a kind.
func (s *Sketch) Pictured(kind string) (*view.Leaving, error) {
	if err := s.Complete(); err != nil {
		return nil, err
	}
	out, err := s.w.reader.Leaving(s.within(), s.Doc, s.Dataset, s.who.Viewer, s.setting(time.Time{}), view.Drawing)
	if err == nil {
		err = drawn(out)
	}
	if err != nil {
		return nil, err
	}
	return out, s.w.took(s.ctx, s.who, "a picture ("+kind+")", out.Title)
}
