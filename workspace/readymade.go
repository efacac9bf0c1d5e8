package workspace

import (
	"context"
	"slices"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/readymade"
	"eskadel/identity"
	"eskadel/rights"
)

// mostStates is how many values a field may have that says how far a record has come.
const mostStates = 40

// A Fitting is a dataset with what a kind of work would be made of it.
type Fitting struct {
	Dataset *dataset.Dataset
	Sure    int // the more, the surer; below zero where it lacks what is needed
}

// Fitting lists the datasets that somebody may use, those that a kind of work fits best first.
func (w *Workspace) Fitting(ctx context.Context, who *identity.Caller, kind string) (*readymade.Kind, []Fitting, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, nil, err
	}
	k, err := readymade.Find(kind)
	if err != nil {
		return nil, nil, err
	}
	sets, err := w.Datasets(ctx, who)
	if err != nil {
		return nil, nil, err
	}
	var out []Fitting
	for _, ds := range sets {
		_, sure := k.Guess(ds)
		out = append(out, Fitting{ds, sure})
	}
	slices.SortStableFunc(out, func(a, b Fitting) int { return b.Sure - a.Sure })
	return k, out, nil
}

// A Prepared is a ready-made dashboard before it is made: each guess as a sentence, what stands on it,
// and what is left out.
type Prepared struct {
	Kind    *readymade.Kind
	Dataset *dataset.Dataset
	Said    []readymade.Said
	Missing string // what has to be chosen before it can be made
	Doc     *dashboard.Document
	Shown   []Shown // as it would be read at first
	LeftOut []readymade.LeftOut
}

// A Shown is a widget of what would be made, with its chart as its filters would narrow it.
type Shown struct {
	dashboard.Widget
	Chart *chart.Document
}

// Prepare prepares a dashboard of a kind from a dataset, with what is guessed where nothing is chosen.
// With a choice that names another state than the guess, which values go on is guessed anew.
func (w *Workspace) Prepare(ctx context.Context, who *identity.Caller, kind, name string, chosen *readymade.Choice, title string) (*Prepared, error) {
	k, err := readymade.Find(kind)
	if err != nil {
		return nil, err
	}
	ds, err := w.Dataset(ctx, who, name)
	if err != nil {
		return nil, err
	}
	c, _ := k.Guess(ds)
	guessed := chosen == nil
	if !guessed {
		c = *chosen
	}
	states, err := w.states(ctx, who, ds, c)
	if err != nil {
		return nil, err
	}
	c.Open = slices.DeleteFunc(slices.Clone(c.Open), func(v string) bool { return !slices.Contains(states, v) })
	if len(c.Open) == 0 {
		c.Open = c.GoOn(ds, states)
	}
	out := &Prepared{Kind: k, Dataset: ds, Said: k.Said(ds, c, states)}
	if title == "" {
		title = k.Title + ": " + strings.ToLower(ds.Title)
	}
	out.Doc, out.LeftOut, err = k.Make(ds, c, Slug(title), title)
	if p := problem.Of(err); p != nil {
		out.Missing = p.Words
		return out, nil
	}
	if err != nil {
		return nil, err
	}
	v, err := w.reader.NewView(w.using(ctx, who), out.Doc, 0, who.Viewer, dashboard.State{})
	if err != nil {
		return nil, err
	}
	for _, x := range out.Doc.Widgets() {
		narrowed, err := v.Narrowed(x.ID)
		if err != nil {
			return nil, err
		}
		out.Shown = append(out.Shown, Shown{x, narrowed})
	}
	return out, nil
}

// states are the values of the field that says how far a record has come.
func (w *Workspace) states(ctx context.Context, who *identity.Caller, ds *dataset.Dataset, c readymade.Choice) ([]string, error) {
	if list := c.States(ds); len(list) > 0 {
		return list, nil
	}
	name := c.Fields["state"]
	if f := ds.Find(name); f == nil || ds.Many(f, mostStates) {
		return nil, nil
	}
	values, err := w.Values(ctx, who, ds, name, "")
	if err != nil {
		return nil, err
	}
	var out []string
	for _, v := range values[:min(len(values), mostStates)] {
		if v.Key != "" {
			out = append(out, v.Key)
		}
	}
	return out, nil
}

// MakeReady makes a dashboard of a kind from a dataset.
func (w *Workspace) MakeReady(ctx context.Context, who *identity.Caller, kind, name string, chosen *readymade.Choice, title string) (Standing, error) {
	if title = strings.TrimSpace(title); title == "" {
		return Standing{}, problem.New(problem.Missing, "title", "Give the dashboard a title.")
	}
	r, err := w.Prepare(ctx, who, kind, name, chosen, title)
	if err != nil {
		return Standing{}, err
	}
	if r.Missing != "" {
		return Standing{}, problem.New(problem.Missing, "", "%s", r.Missing)
	}
	return w.begin(ctx, who, r.Doc)
}
