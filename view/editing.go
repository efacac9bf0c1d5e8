package view

import (
	"slices"
	"strings"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/locale"
)

// An EditedFilter is a filter as its author sees it.
type EditedFilter struct {
	dashboard.Filter
	Text    string // as a phrase: "opened in the last 12 months"
	Begins  string // what it is set to at first, alone: "in the last 12 months"
	Trouble string // why it does nothing here, and how that is mended
	Answers []Answering
}

// An Answering is a dataset that a filter may govern, with the field by which it answers.
type Answering struct {
	Dataset, Title string
	Now            string // "" for none
	Fields         []FieldOption
}

// A FieldOption is a field that may be chosen.
type FieldOption struct{ Name, Label string }

// Editing are the filters of a page as their author sees them, under whose rules lists and
// numbers stand.
func (v *View) Editing(page *dashboard.Page) (out []EditedFilter, err error) {
	for i := range v.Doc.Filters {
		if f := &v.Doc.Filters[i]; f.On(page.Title) {
			e, err := v.edited(f)
			if err != nil {
				return nil, err
			}
			out = append(out, e)
		}
	}
	return out, nil
}

func (v *View) edited(f *dashboard.Filter) (e EditedFilter, err error) {
	e = EditedFilter{Filter: *f}
	called, err := v.called(f)
	if err != nil {
		return e, err
	}
	if set := f.Default; f.Shown == dashboard.Offered {
		e.Text = called
	} else if set != nil && set.Viewer != "" {
		e.Begins = "the viewer's " + set.Viewer
		e.Text = called + " " + e.Begins
	} else if e.Text, err = v.phrase(f); err != nil {
		return e, err
	} else {
		e.Begins = strings.TrimPrefix(e.Text, called+" ")
	}
	if e.Answers, err = v.answering(f); err != nil {
		return e, err
	}
	e.Trouble, err = v.trouble(f, called, e.Answers)
	return e, err
}

// answering are the datasets of a filter's pages that could answer to it.
func (v *View) answering(f *dashboard.Filter) (out []Answering, err error) {
	var sets []*dataset.Dataset
	for _, p := range v.Doc.Pages {
		if !f.On(p.Title) {
			continue
		}
		on, err := v.datasets(&p)
		if err != nil {
			return nil, err
		}
		for _, s := range on {
			if !slices.ContainsFunc(sets, func(ds *dataset.Dataset) bool { return ds.Name == s.ds.Name }) {
				sets = append(sets, s.ds)
			}
		}
	}
	var like *dataset.Field
	for _, ds := range sets {
		if x := ds.Find(f.Field); x != nil && like == nil {
			like = x
		}
	}
	for _, ds := range sets {
		a := Answering{Dataset: ds.Name, Title: ds.Title, Now: f.FieldOf(&dashboard.Widget{}, ds)}
		for _, x := range f.Could(ds, like) {
			a.Fields = append(a.Fields, FieldOption{x.Name, x.Label})
		}
		if len(a.Fields) > 0 {
			out = append(out, a)
		}
	}
	return out, nil
}

// trouble tells what keeps a filter from doing what it says.
func (v *View) trouble(f *dashboard.Filter, called string, answers []Answering) (string, error) {
	_, ds, name, err := v.governed(f)
	if err != nil {
		return "", err
	}
	switch {
	case ds == nil && len(answers) == 0:
		return "Nothing on its pages has such a field any more: take this filter off.", nil
	case ds == nil:
		return "Nothing on its pages answers to it: choose by which field, or take it off.", nil
	case f.Default == nil || len(f.Default.Values) == 0 || f.Kind == dashboard.YesNo:
		return "", nil
	}
	values, err := v.Values(f.Name, "")
	if err != nil {
		return "", err
	}
	var gone []string
	for _, k := range f.Default.Values {
		if k.Is != nil && !slices.ContainsFunc(values, func(l ListedValue) bool { return l.Key == *k.Is }) {
			gone = append(gone, *k.Is)
		}
	}
	if len(gone) == 0 {
		return "", nil
	}
	return "It begins with “" + strings.Join(gone, "”, “") + "”, which no " + ds.Record[0] + " has as its " + locale.Lower(ds.Label(name)) + " any more: choose again what it begins with.", nil
}
