package workspace

import (
	"context"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/profile"
	"eskadel/identity"
	"eskadel/live"
	"eskadel/rights"
	"eskadel/view"
)

// A Look is somebody's look at a dashboard in a state of its filters and narrowings.
type Look struct {
	*Opened
	w     *Workspace
	ctx   context.Context
	who   *identity.Caller
	state dashboard.State
	view  *view.View
}

// Look opens a dashboard in a state.
func (w *Workspace) Look(ctx context.Context, who *identity.Caller, name string, draft bool, state dashboard.State) (*Look, error) {
	if who.Sending {
		ctx = live.Patient(ctx)
	}
	o, err := w.Dashboard(ctx, who, name, draft)
	if err != nil {
		return nil, err
	}
	if draft && who.Looking == nil {
		ctx = w.using(ctx, who)
	}
	return w.look(ctx, who, o, state)
}

// LookAtVersion opens a published version of a dashboard, whichever it is, for those who may
// change it.
func (w *Workspace) LookAtVersion(ctx context.Context, who *identity.Caller, name string, number int, state dashboard.State) (*Look, error) {
	kept, err := w.mine(ctx, who, Dashboard, name)
	if err != nil {
		return nil, err
	}
	doc, err := w.published(ctx, kept, number)
	if err != nil {
		return nil, err
	}
	return w.look(ctx, who, &Opened{standing(who, kept), doc, number, kept}, state)
}

func (w *Workspace) look(ctx context.Context, who *identity.Caller, o *Opened, state dashboard.State) (*Look, error) {
	l := &Look{Opened: o, w: w, ctx: ctx, who: who, state: state}
	on := l.thing()
	may := func(what rights.What) bool { return rights.May(who, what, on) == nil }
	fixed := !may(rights.OwnFilters)
	if fixed { // whatever is asked for, it is seen as its author begins it
		l.state.Filters, l.state.Only, l.state.Settings = nil, nil, nil
	}
	v, err := w.reader.NewView(ctx, o.Doc, o.Version, who.Viewer, l.state)
	if err != nil {
		return nil, err
	}
	v.Long, v.Free, v.Changes, v.Whole, v.Fixed, v.Silent = who.Printing && who.Whole, may(rights.Ask), may(rights.Change), may(rights.Records), fixed, !may(rights.Tips)
	l.view = v
	return l, nil
}

// thing is the dashboard as the table of rights asks of it: what is published now decides,
// whichever version is looked at.
func (l *Look) thing() rights.Thing {
	t := thing(l.kept)
	t.ViewersMay = l.Doc.ViewersMay
	if doc, err := l.w.published(l.ctx, l.kept, l.kept.Published); err == nil && l.Version != 0 {
		t.ViewersMay = doc.ViewersMay
	}
	return t
}

// MayRecords and MayTakeAway tell what somebody may do here.
func (l *Look) MayRecords() bool  { return rights.May(l.who, rights.Records, l.thing()) == nil }
func (l *Look) MayTakeAway() bool { return rights.May(l.who, rights.TakeAway, l.thing()) == nil }

// MaySubscribe tells whether somebody may sign up for what is delivered of it.
func (l *Look) MaySubscribe() bool {
	return l.Version != 0 && rights.May(l.who, rights.Subscribe, l.thing()) == nil
}

// MayFreeze tells whether somebody may keep what is seen as a snapshot.
func (l *Look) MayFreeze() bool {
	return l.Version != 0 && l.who.PersonID != 0 && rights.Ever(l.who, rights.Deliver) == nil
}

// MayNarrow tells whether somebody may set filters here.
func (l *Look) MayNarrow() bool { return !l.view.Fixed }

// Line is the reading line of a page.
func (l *Look) Line(page string) (*view.Line, error) { return l.view.Line(page) }

// Widget answers a widget.
func (l *Look) Widget(id string, parts view.Parts) (*view.Answer, error) {
	return l.view.Widget(id, parts)
}

// A Paging says which page of records is wanted, of which fields and in which order.
type Paging = view.Paging

// Records lists the records behind a mark, by the version of the dashboard that it was
// drawn from.
func (l *Look) Records(id string, mark marks.Reference, p Paging) (*view.Page, error) {
	if err := rights.May(l.who, rights.Records, l.thing()); err != nil {
		return nil, err
	}
	from, err := l.drawn(mark)
	if err != nil {
		return nil, err
	}
	return from.Records(id, mark, p)
}

// drawn is the view by the version of the dashboard that a mark was drawn from.
func (l *Look) drawn(mark marks.Reference) (*view.View, error) {
	if l.Version == 0 || mark.Version == 0 || mark.Version == l.Version {
		return l.view, nil
	}
	o, err := l.w.version(l.ctx, l.who, l.Opened, mark.Version)
	if err != nil {
		return nil, err
	}
	then, err := l.w.look(l.ctx, l.who, o, l.state)
	if err != nil {
		return nil, err
	}
	return then.view, nil
}

// Settings are the values that somebody may set for the dashboard's formulas.
func (l *Look) Settings() ([]view.ViewSetting, error) { return l.view.Settings() }

// Values lists the values of a filter.
func (l *Look) Values(filter, find string) ([]view.ListedValue, error) {
	if err := rights.May(l.who, rights.OwnFilters, l.thing()); err != nil {
		return nil, err
	}
	return l.view.Values(filter, find)
}

// OfferedIn are the filters that somebody may set in one chart alone.
func (l *Look) OfferedIn(widget string) ([]view.LineFilter, error) {
	if err := rights.May(l.who, rights.OwnFilters, l.thing()); err != nil {
		return nil, err
	}
	return l.view.OfferedIn(widget)
}

// Month shows a month for a filter of dates.
func (l *Look) Month(filter, month string) (*view.Month, error) {
	if err := rights.May(l.who, rights.OwnFilters, l.thing()); err != nil {
		return nil, err
	}
	return l.view.Month(filter, month)
}

// Range reads the dates that somebody has typed for a filter.
func (l *Look) Range(filter, typed string) (*period.Relative, error) {
	if err := rights.May(l.who, rights.OwnFilters, l.thing()); err != nil {
		return nil, err
	}
	return l.view.Range(filter, typed)
}

// Picture is what is in the field of a filter of numbers.
func (l *Look) Picture(f *dashboard.Filter) (*dataset.Dataset, string, *profile.Profile, error) {
	if err := rights.May(l.who, rights.OwnFilters, l.thing()); err != nil {
		return nil, "", nil, err
	}
	return l.view.Picture(f)
}

// State is what is set.
func (l *Look) State() dashboard.State { return l.state }

// Listen begins to listen for changes of what the dashboard shows.
func (l *Look) Listen() (*view.Listening, error) { return l.view.Listen(l.Doc.Widgets()) }
