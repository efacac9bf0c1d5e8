package view

import (
	"sort"
	"strings"
	"time"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/profile"
	"eskadel/core/sentence"
)

// called is what a filter is called: as its author says it, or as its field is called within
// a sentence.
func (v *View) called(f *dashboard.Filter) (string, error) {
	if f.Label != "" {
		return f.Label, nil
	}
	_, ds, name, err := v.governed(f)
	if err != nil || ds == nil {
		return f.Called(), err
	}
	return locale.Lower(ds.Label(name)), nil
}

// phrase says what a filter is set to.
func (v *View) phrase(f *dashboard.Filter) (string, error) {
	label, err := v.called(f)
	if err != nil {
		return "", err
	}
	set := f.Setting(v.State)
	if set != nil && set.Range != nil {
		return label + " " + set.Range.Words(v.Engine.MannerOf(v.Viewer)), nil
	}
	if set != nil && set.Span != nil {
		return label + " " + v.span(f, set.Span), nil
	}
	chosen := v.chosen(set)
	if f.Kind == dashboard.YesNo && len(chosen) > 0 {
		var words []string
		for _, k := range chosen {
			words = append(words, map[bool]string{true: "yes", false: "no"}[k.Is != nil && *k.Is == "true"])
		}
		return label + " " + strings.Join(words, " or "), nil
	}
	if len(chosen) == 0 {
		if f.IsDate() {
			return label + " at any time", nil
		}
		_, ds, name, err := v.governed(f)
		if err != nil || ds == nil {
			return label + " any", err
		}
		if any := locale.Lower(ds.Label(name)); !strings.EqualFold(any, label) {
			return label + " any " + any, nil
		}
		return "any " + label, nil
	}
	values, err := v.Values(f.Name, "")
	if err != nil {
		return "", err
	}
	var names []string
	for _, value := range values {
		if value.Chosen {
			names = append(names, value.Label)
		}
	}
	sort.Strings(names)
	return label + " " + strings.Join(names, " or "), nil
}

// span says numbers from one to another, as the field that the filter governs writes them.
func (v *View) span(f *dashboard.Filter, s *dashboard.Span) string {
	number := format.Plain(v.Engine.MannerOf(v.Viewer))
	if _, ds, name, err := v.governed(f); err == nil && ds != nil {
		number = format.OfField(ds.Manner, ds.Find(name))
	}
	written := func(n string) string {
		value, _ := field.Parse(field.Number, n)
		return number.Value(value)
	}
	switch {
	case s.AtMost == "":
		return "at least " + written(s.AtLeast.String())
	case s.AtLeast == "":
		return "at most " + written(s.AtMost.String())
	}
	return "from " + written(s.AtLeast.String()) + " to " + written(s.AtMost.String())
}

// chosen returns the keys that a setting chooses, with the viewer's attributes put in.
func (v *View) chosen(set *dashboard.Setting) []marks.Key {
	if set == nil {
		return nil
	}
	if set.Viewer == "" {
		return set.Values
	}
	var out []marks.Key
	for _, value := range v.Viewer.Attributes.Values(set.Viewer) {
		out = append(out, marks.Key{Is: &value})
	}
	return out
}

// governed finds the first widget that a filter reaches.
func (v *View) governed(f *dashboard.Filter) (*dashboard.Widget, *dataset.Dataset, string, error) {
	for p := range v.Doc.Pages {
		if !f.On(v.Doc.Pages[p].Title) {
			continue
		}
		for i := range v.Doc.Pages[p].Widgets {
			w := &v.Doc.Pages[p].Widgets[i]
			_, ds, err := v.sound(w)
			if err != nil {
				return nil, nil, "", err
			}
			if ds == nil {
				continue
			}
			if name := f.FieldOf(w, ds); name != "" {
				return w, ds, name, nil
			}
		}
	}
	return nil, nil, "", nil
}

// Range reads the dates that somebody has typed for a filter.
func (v *View) Range(name, typed string) (*period.Relative, error) {
	f := v.Doc.Filter(name)
	if f == nil || !f.IsDate() || f.Shown == dashboard.Hidden && v.Version > 0 {
		return nil, problem.New(problem.NotFound, "filter", "The dashboard has no such dates.")
	}
	_, ds, _, err := v.governed(f)
	if err != nil {
		return nil, err
	}
	if ds == nil {
		return nil, problem.New(problem.NotFound, "filter", "Nothing here has such dates.")
	}
	now := v.Engine.Setting(ds, v.Viewer, filter.Condition{}, time.Time{}).Now
	if len(typed) > 200 {
		typed = typed[:200]
	}
	r, ok := sentence.NewVocabulary(ds, nil).Range(typed, now)
	if !ok || f.Fits(&dashboard.Setting{Range: &r}) != nil {
		return nil, problem.New(problem.Invalid, "typed", "“%s” is no range of dates. Write such as “last 3 weeks”, “March 2026”, “since 1 May” or “1 Mar to 15 Apr 2026”.", typed)
	}
	return &r, nil
}

// Picture is what is in the field of a filter of numbers, of all that the viewer may see; nil where
// nothing here has it.
func (v *View) Picture(f *dashboard.Filter) (ds *dataset.Dataset, name string, p *profile.Profile, err error) {
	_, ds, name, err = v.governed(f)
	if err != nil || ds == nil {
		return nil, "", nil, err
	}
	p, err = v.Engine.Profile(v.ctx, ds, v.Viewer, name)
	return ds, name, p, err
}
