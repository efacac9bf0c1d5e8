package view

import (
	"maps"
	"slices"
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
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/profile"
	"eskadel/core/rule"
	"eskadel/core/sentence"
)

// A Line is the reading line.
type Line struct {
	Counted []Counted // the dataset of most widgets first
	Filters []LineFilter
	Offered []LineFilter // those that the viewer may add, by what they are called
	Rules   string       // the row rule in words, "" when all records may be seen
	Narrow  []LineNarrow
	Only    []LineOnly
	Changed bool // the state differs from the standard view
}

// A LineNarrow is a phrase that a choice of marks makes: number At of those that are chosen or, of a
// widget that was drilled into, the step with that number.
type LineNarrow struct {
	Words  string
	At     int
	Widget string
}

// A LineOnly is a phrase that a filter makes which is set in one chart alone.
type LineOnly struct {
	Widget, Filter string
	Words          string
	set            string // what it is set to, without where
}

// A LineFilter is a phrase of the reading line that a filter makes.
type LineFilter struct {
	Name  string
	Text  string
	Added bool // by the viewer, who can take it off again
}

// A Counted tells how many records of a dataset a page's filters and clicks leave.
type Counted struct {
	Record    string // what is counted: "jobs"
	Some, All string
}

// shown is a dataset on a page with the widgets that show it.
type shown struct {
	ds      *dataset.Dataset
	widgets []*dashboard.Widget
}

// datasets lists those on a page, that of most widgets first.
func (v *View) datasets(page *dashboard.Page) (out []shown, err error) {
	for i := range page.Widgets {
		w := &page.Widgets[i]
		_, ds, err := v.sound(w)
		if err != nil {
			return nil, err
		}
		if ds == nil {
			continue
		}
		at := slices.IndexFunc(out, func(s shown) bool { return s.ds.Name == ds.Name })
		if at < 0 {
			at, out = len(out), append(out, shown{ds: ds})
		}
		out[at].widgets = append(out[at].widgets, w)
	}
	slices.SortStableFunc(out, func(a, b shown) int { return len(b.widgets) - len(a.widgets) })
	return out, nil
}

// narrowed returns what filters and clicks leave of a dataset: as much as the first of its
// widgets that anything reaches. A click narrows the other widgets, so it counts for all.
func (v *View) narrowed(page *dashboard.Page, s shown) (filter.Condition, error) {
	for _, w := range s.widgets {
		reach, err := v.Doc.ReachAll(page, w, s.ds, v.State, v.Viewer.Attributes, v)
		if err != nil || !reach.Condition.IsZero() {
			return reach.Condition, err
		}
	}
	return filter.Condition{}, nil
}

// Line makes the reading line of a page: what is shown, and of how many records, for the
// dataset of most widgets and for every other that is narrowed.
func (v *View) Line(page string) (*Line, error) {
	l := &Line{Changed: len(v.State.Filters)+len(v.State.Narrow)+len(v.State.Settings)+len(v.State.Looks)+len(v.State.Drills)+len(v.State.Sorts)+len(v.State.Hidden)+len(v.State.Only) > 0}
	p, err := v.Doc.Page(page)
	if err != nil {
		return nil, err
	}
	sets, err := v.datasets(p)
	if err != nil || len(sets) == 0 {
		return l, err
	}
	l.Rules = rule.Words(sets[0].ds, v.Viewer)
	for i := range v.Doc.Filters {
		f := &v.Doc.Filters[i]
		offered := f.Shown == dashboard.Offered
		switch {
		case f.Shown == dashboard.Hidden || !f.On(p.Title):
			continue
		case offered && f.Setting(v.State) == nil:
			called, err := v.called(f)
			if err != nil {
				return nil, err
			}
			l.Offered = append(l.Offered, LineFilter{Name: f.Name, Text: called})
			continue
		}
		text, err := v.phrase(f)
		if err != nil {
			return nil, err
		}
		l.Filters = append(l.Filters, LineFilter{f.Name, text, offered})
	}
	settings, err := v.Settings()
	if err != nil {
		return nil, err
	}
	for _, set := range settings {
		l.Filters = append(l.Filters, LineFilter{Name: "=" + set.Name, Text: set.Label + " " + set.Now})
	}
	for i := range p.Widgets {
		for depth, step := range v.State.Drills[p.Widgets[i].ID] {
			l.Narrow = append(l.Narrow, LineNarrow{step.Words, depth, p.Widgets[i].ID})
		}
	}
	for i, n := range v.State.Narrow {
		words := n.Words
		if n.Without {
			words = "without " + words
		}
		l.Narrow = append(l.Narrow, LineNarrow{words, i, ""})
	}
	if l.Only, err = v.only(p.Widgets); err != nil {
		return nil, err
	}
	for i, s := range sets {
		c, err := v.narrowed(p, s)
		if err != nil {
			return nil, err
		}
		if i > 0 && c.IsZero() {
			continue
		}
		some, all, err := v.Engine.Count(v.ctx, s.ds, v.Viewer, c)
		if err != nil {
			return nil, err
		}
		l.Counted = append(l.Counted, Counted{format.Called(s.ds, all), s.ds.Manner.Count(some), s.ds.Manner.Count(all)})
	}
	return l, nil
}

// only says what the viewer has set in single charts.
func (v *View) only(widgets []dashboard.Widget) (out []LineOnly, err error) {
	for i := range widgets {
		w := &widgets[i]
		for _, name := range slices.Sorted(maps.Keys(v.State.Only[w.ID])) {
			doc, ds, err := v.sound(w)
			f := v.Doc.Filter(name)
			if err != nil {
				return nil, err
			}
			if doc == nil || f == nil {
				continue
			}
			words, err := v.phraseOf(f, v.State.Only[w.ID][name])
			if err != nil {
				return nil, err
			}
			out = append(out, LineOnly{w.ID, name, "in “" + sentence.Title(doc, ds) + "”: " + words, words})
		}
	}
	return out, nil
}

// OfferedIn are the filters that may be set in one chart alone.
func (v *View) OfferedIn(id string) (out []LineFilter, err error) {
	w, err := v.Doc.Widget(id)
	if err != nil {
		return nil, err
	}
	_, ds, err := v.sound(w)
	if err != nil || ds == nil {
		return nil, err
	}
	for i := range v.Doc.Filters {
		f := &v.Doc.Filters[i]
		if f.Shown == dashboard.Hidden || f.FieldOf(w, ds) == "" {
			continue
		}
		words, err := v.phraseOf(f, v.State.Only[id][f.Name])
		if err != nil {
			return nil, err
		}
		out = append(out, LineFilter{Name: f.Name, Text: words})
	}
	return out, nil
}

// phraseOf says a filter as if all of the page were set so.
func (v *View) phraseOf(f *dashboard.Filter, set *dashboard.Setting) (string, error) {
	alone := *v
	alone.State.Filters = map[string]*dashboard.Setting{f.Name: set}
	return alone.phrase(f)
}

// A ViewSetting is a value that a viewer may set on a dashboard, with what it is now.
type ViewSetting struct {
	dataset.SettingDocument
	Now string
}

// Settings returns the values that the dashboard's charts depend on and a viewer may set.
func (v *View) Settings() (out []ViewSetting, err error) {
	seen := map[string]bool{}
	for _, w := range v.Doc.Widgets() {
		doc, ds, err := v.sound(&w)
		if err != nil {
			return nil, err
		}
		if ds == nil {
			continue
		}
		for _, name := range doc.Definition.Settings(ds) {
			if seen[name] {
				continue
			}
			seen[name] = true
			set := ViewSetting{*ds.Setting(name), ds.Setting(name).Default}
			if typed := v.State.Settings[name]; typed != "" {
				set.Now = typed
			}
			out = append(out, set)
		}
	}
	return out, nil
}

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
		return label + " " + set.Range.Words(v.Engine.Manner()), nil
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
	number := format.Plain(v.Engine.Manner())
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

// A ListedValue is one value in a filter's list.
type ListedValue struct {
	Key      string
	None     bool
	NotShown bool // a link to records that the viewer may not see
	Label    string
	Count    string
	Chosen   bool
}

func chosenNotShown(keys []marks.Key) bool {
	for _, k := range keys {
		if k.NotShown {
			return true
		}
	}
	return false
}

// Values lists the values of a filter: those that the other filters leave, under the
// viewer's rules, with their numbers of records. Values already chosen stay listed.
func (v *View) Values(name, search string) ([]ListedValue, error) {
	var f *dashboard.Filter
	for i := range v.Doc.Filters {
		if v.Doc.Filters[i].Name == name {
			f = &v.Doc.Filters[i]
		}
	}
	if f == nil || f.IsDate() {
		return nil, problem.New(problem.NotFound, "filter", "The dashboard has no such list of values.")
	}
	w, ds, fieldName, err := v.governed(f)
	if err != nil || ds == nil {
		return nil, err
	}
	chosen := v.chosen(f.Setting(v.State))
	is := func(key string, none bool) bool {
		for _, c := range chosen {
			if c.None == none && (none || c.Is != nil && *c.Is == key) {
				return true
			}
		}
		return false
	}
	ask := func(c filter.Condition) ([]ListedValue, error) {
		setting, err := v.setting(ds, c, time.Time{})
		if err != nil {
			return nil, err
		}
		p, err := planner.NewValues(ds, fieldName, setting, search)
		if err != nil {
			return nil, err
		}
		rows, err := v.Engine.Values(v.ctx, p, v.Viewer)
		if err != nil {
			return nil, err
		}
		var out, last []ListedValue
		plain := format.Plain(ds.Manner)
		for _, r := range rows {
			n, _ := r[2].Decimal().Int64()
			value := ListedValue{Key: r[0].Exact(), Label: plain.Value(r[1]), Count: ds.Manner.Count(n), Chosen: is(r[0].Exact(), r[0].IsEmpty())}
			switch {
			case r[3].Bool():
				value.NotShown, value.Chosen, value.Label = true, chosenNotShown(chosen), "(not shown)"
				last = append([]ListedValue{value}, last...)
				continue
			case r[0].IsEmpty():
				value.None, value.Label = true, "(none)"
				last = append(last, value)
				continue
			}
			if from, to, ok := ds.Find(fieldName).Bin(r[0]); ok {
				value.Label = plain.Value(from) + " to " + plain.Value(to)
			}
			out = append(out, value)
		}
		return append(out, last...), nil
	}
	reach, err := v.Doc.Reach(w, ds, v.State, v.Viewer.Attributes, v, name)
	if err != nil {
		return nil, err
	}
	out, err := ask(reach.Condition)
	if err != nil {
		return nil, err
	}
	listed := map[string]bool{}
	for _, value := range out {
		listed[value.Key] = true
	}
	var missing []string
	for _, c := range chosen {
		if c.Is != nil && !listed[*c.Is] {
			missing = append(missing, *c.Is)
		}
	}
	if len(missing) > 0 {
		more, err := ask(filter.Compare(fieldName, filter.OneOf, missing...))
		if err != nil {
			return nil, err
		}
		for _, value := range more {
			value.Count = "0"
			out = append(out, value)
		}
	}
	return out, nil
}
