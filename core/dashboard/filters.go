package dashboard

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/problem"
)

// Kinds of filters besides those of values.
const (
	Dates   = "date"
	Numbers = "number"
	YesNo   = "yes or no"
)

// How viewers meet a filter that does not stand in the reading line from the beginning.
const (
	Offered = "offered" // they add it themselves
	Hidden  = "hidden"  // they neither see nor change it
)

// A Filter is a phrase of the reading line. A date filter governs each widget by the
// date its dataset or the widget names; a filter on a field governs the datasets that
// have a field of that name.
type Filter struct {
	Name    string   `json:"name"`
	Kind    string   `json:"kind,omitempty"`  // date, number or yes or no; values when left out
	Field   string   `json:"field,omitempty"` // of dates: the date of each dataset when left out
	Label   string   `json:"label,omitempty"` // as the reading line says it: "opened", "at"
	Default *Setting `json:"default,omitempty"`
	// Pages are the titles of those that it stands on and governs, all when there are none.
	Pages []string `json:"pages,omitempty"`
	One   bool     `json:"one,omitempty"`   // one value at a time may be chosen
	Shown string   `json:"shown,omitempty"` // offered or hidden; in the reading line when left out
	// Fields say by which field a dataset answers, where it is not the one of that name; ""
	// for none.
	Fields map[string]string `json:"fields,omitempty"`
}

// IsDate tells whether the filter sets a range of dates.
func (f Filter) IsDate() bool { return f.Kind == Dates }

// IsValues tells whether the filter sets chosen values.
func (f Filter) IsValues() bool { return f.Kind == "" || f.Kind == "values" }

// Called is what a filter is called where no dataset is known: as its author says it, or by its
// name.
func (f Filter) Called() string {
	if f.Label != "" {
		return f.Label
	}
	return strings.ReplaceAll(f.Name, "_", " ")
}

// suits tells whether the filter narrows by a field.
func (f Filter) suits(x *dataset.Field) bool {
	switch f.Kind {
	case Dates:
		return x.Type.Temporal()
	case Numbers:
		return x.Type.Numeric() && !x.IsLink()
	case YesNo:
		return x.Type == field.Boolean
	}
	return !x.Type.Temporal()
}

// On tells whether the filter stands on a page and governs it.
func (f Filter) On(page string) bool { return len(f.Pages) == 0 || slices.Contains(f.Pages, page) }

// check tells in words what is wrong with a filter of a dashboard.
func (f Filter) check(d *Document) error {
	switch {
	case !idForm.MatchString(f.Name) || !slices.Contains([]string{"", "values", Dates, Numbers, YesNo}, f.Kind) || !f.IsDate() && f.Field == "":
		return problem.New(problem.Invalid, "", "A filter has a name, and is of dates or names a field.")
	case !slices.Contains([]string{"", Offered, Hidden}, f.Shown):
		return problem.New(problem.Invalid, "shown", "A filter is offered, hidden, or stands in the reading line.")
	case len([]rune(f.Label)) > longestTitle:
		return problem.New(problem.Invalid, "label", "A filter's label has at most %d letters.", longestTitle)
	case f.Shown == Offered && f.Default != nil:
		return problem.New(problem.Invalid, "default", "A filter that viewers add themselves begins with nothing.")
	}
	for _, title := range f.Pages {
		if _, err := d.at(title); err != nil {
			return problem.At("pages", err)
		}
	}
	return problem.At("default", f.Fits(f.Default))
}

// A Setting is what a filter is set to: a range of dates, chosen values, numbers from and to,
// or an attribute of the viewer. In JSON a range, a list of values, {"at_least": "5",
// "at_most": "10"} with one of them or both, or {"viewer": "yard"}.
type Setting struct {
	Range  *period.Relative
	Values []marks.Key
	Span   *Span
	Viewer string
}

// A Span is numbers from one to another, both included; one may be left out.
type Span struct {
	AtLeast json.Number `json:"at_least,omitempty"`
	AtMost  json.Number `json:"at_most,omitempty"`
}

// check tells in words what is wrong with the span.
func (s *Span) check() error {
	if s.AtLeast == "" && s.AtMost == "" {
		return problem.New(problem.Missing, "at_least", "At least, or at most, which number?")
	}
	ends := map[string]field.Value{}
	for place, n := range map[string]json.Number{"at_least": s.AtLeast, "at_most": s.AtMost} {
		v, err := field.Parse(field.Number, n.String())
		if n != "" && (err != nil || len(n) > 40) {
			return problem.New(problem.Invalid, place, "“%s” is not a number.", n)
		}
		ends[place] = v
	}
	if low, high := ends["at_least"], ends["at_most"]; !low.IsEmpty() && !high.IsEmpty() && field.Compare(low, high) > 0 {
		return problem.New(problem.Invalid, "at_most", "The numbers end (%s) before they begin (%s).", s.AtMost, s.AtLeast)
	}
	return nil
}

func (s Setting) MarshalJSON() ([]byte, error) {
	switch {
	case s.Range != nil:
		return json.Marshal(s.Range)
	case s.Span != nil:
		return json.Marshal(s.Span)
	case s.Viewer != "":
		return json.Marshal(map[string]string{"viewer": s.Viewer})
	}
	out := []any{}
	for _, v := range s.Values {
		if v.Is != nil {
			out = append(out, *v.Is)
		} else {
			out = append(out, v)
		}
	}
	return json.Marshal(out)
}

func (s *Setting) UnmarshalJSON(b []byte) error {
	*s = Setting{}
	if b[0] == '[' {
		var raws []json.RawMessage
		if err := json.Unmarshal(b, &raws); err != nil {
			return err
		}
		for _, raw := range raws {
			var v marks.Key
			var o filter.Operand
			if raw[0] == '{' {
				if err := problem.Decode(raw, &v); err != nil {
					return err
				}
			} else if err := json.Unmarshal(raw, &o); err != nil {
				return err
			} else {
				v.Is = &o.Literal
			}
			s.Values = append(s.Values, v)
		}
		return nil
	}
	var viewer struct{ Viewer string }
	if b[0] == '{' && json.Unmarshal(b, &viewer) == nil && viewer.Viewer != "" {
		s.Viewer = viewer.Viewer
		return nil
	}
	var keys map[string]json.RawMessage
	if b[0] == '{' && json.Unmarshal(b, &keys) == nil && (keys["at_least"] != nil || keys["at_most"] != nil) {
		s.Span = &Span{}
		if err := problem.Decode(b, s.Span); err != nil {
			return err
		}
		return s.Span.check()
	}
	s.Range = &period.Relative{}
	return json.Unmarshal(b, s.Range)
}

// Fits tells in words whether the filter can be set so.
func (f Filter) Fits(s *Setting) error {
	switch {
	case s == nil || s.Viewer != "":
	case f.One && len(s.Values) > 1:
		return problem.New(problem.TooMany, "", "This filter takes one value at a time.")
	case f.IsDate() != (s.Range != nil):
		return problem.New(problem.Invalid, "", "A date filter is set to a range of dates, and no other is.")
	case (f.Kind == Numbers) != (s.Span != nil):
		return problem.New(problem.Invalid, "", "A number filter is set to numbers from and to, and no other is.")
	case f.Kind == YesNo && slices.ContainsFunc(s.Values, func(k marks.Key) bool { return k.Is == nil || *k.Is != "true" && *k.Is != "false" }):
		return problem.New(problem.Invalid, "", "A filter of yes or no is set to true or to false.")
	}
	return nil
}

// Setting returns what a filter is set to in a state, nil for any.
func (f Filter) Setting(s State) *Setting {
	if set, ok := s.Filters[f.Name]; ok {
		return set
	}
	return f.Default
}

// FieldOf returns the field by which a widget answers to a filter, "" for none.
func (f Filter) FieldOf(w *Widget, ds *dataset.Dataset) string {
	name, own := w.AnswersTo[f.Name]
	if !own {
		name = f.answering(ds)
	}
	if field, err := ds.Field(name); err != nil || field.Hidden || !f.suits(field) {
		return ""
	}
	return name
}

// answering is the field by which a dataset answers, unless a widget says otherwise.
func (f Filter) answering(ds *dataset.Dataset) string {
	if name, own := f.Fields[ds.Name]; own {
		return name
	}
	if f.IsDate() && f.Field == "" {
		return ds.Date
	}
	return f.Field
}

// Answer says by which field a dataset answers, "" for none.
func (f *Filter) Answer(ds *dataset.Dataset, name string) {
	delete(f.Fields, ds.Name)
	if f.answering(ds) == name || ds.Find(f.answering(ds)) == nil && name == "" {
		return // so it is by itself
	}
	if f.Fields == nil {
		f.Fields = map[string]string{}
	}
	f.Fields[ds.Name] = name
}

// Could returns the fields of a dataset by which it could answer: of the kind that the filter
// is of and, for values, of the same values as the field that it names.
func (f Filter) Could(ds *dataset.Dataset, like *dataset.Field) (out []*dataset.Field) {
	for _, x := range ds.Visible() {
		if f.suits(x) && (!f.IsValues() || like == nil || alike(x, like)) {
			out = append(out, x)
		}
	}
	return out
}

// alike tells whether two fields hold the same kind of values: for linked records, of one table;
// days and moments are of one kind.
func alike(a, b *dataset.Field) bool {
	if a.Type.Temporal() && b.Type.Temporal() {
		return true
	}
	return a.Type == b.Type && a.KeyType() == b.KeyType() && a.Links() == b.Links()
}

// MostFilters is how many filters a dashboard may be given by hand.
const MostFilters = 30

// AddFilter puts a filter at the end of the reading line, by a name of its own, and returns
// that.
func (d *Document) AddFilter(f Filter) (string, error) {
	if len(d.Filters) >= MostFilters {
		return "", problem.New(problem.TooMany, "filter", "A dashboard has at most %d filters.", MostFilters)
	}
	if f.Name = strings.Trim(strings.ToLower(f.Field), "_-"); f.Name == "" {
		f.Name = "when"
	}
	f.Name = f.Name[:min(len(f.Name), 50)]
	for n, name := 2, f.Name; d.Filter(f.Name) != nil; n++ {
		f.Name = fmt.Sprintf("%s-%d", name, n)
	}
	d.Filters = append(d.Filters, f)
	return f.Name, f.check(d)
}

// ChangeFilter puts a filter in the place of the one of its name.
func (d *Document) ChangeFilter(to Filter) error {
	f, err := d.named(to.Name)
	if err != nil {
		return err
	}
	to.Label = strings.TrimSpace(to.Label)
	if len(to.Pages) == len(d.Pages) {
		to.Pages = nil // on all of them, those that are yet to come too
	}
	*f = to
	return f.check(d)
}

// MoveFilter puts a filter some places later in the reading line, or earlier.
func (d *Document) MoveFilter(name string, by int) error {
	if _, err := d.named(name); err != nil {
		return err
	}
	d.Filters = moved(d.Filters, slices.IndexFunc(d.Filters, func(f Filter) bool { return f.Name == name }), by)
	return nil
}

// RemoveFilter takes a filter off, with what widgets say of it.
func (d *Document) RemoveFilter(name string) error {
	if _, err := d.named(name); err != nil {
		return err
	}
	d.Filters = slices.DeleteFunc(d.Filters, func(f Filter) bool { return f.Name == name })
	for p := range d.Pages {
		for w := range d.Pages[p].Widgets {
			delete(d.Pages[p].Widgets[w].AnswersTo, name)
		}
	}
	return nil
}

// Unfiltered is the dashboard without its filters, and without what widgets say of them.
func (d *Document) Unfiltered() *Document {
	out := *d
	out.Filters, out.Pages = nil, slices.Clone(d.Pages)
	for p := range out.Pages {
		out.Pages[p].Widgets = slices.Clone(d.Pages[p].Widgets)
		for w := range out.Pages[p].Widgets {
			out.Pages[p].Widgets[w].AnswersTo = nil
		}
	}
	return &out
}

// Filter finds a filter by its name; nil where there is none.
func (d *Document) Filter(name string) *Filter {
	for i := range d.Filters {
		if d.Filters[i].Name == name {
			return &d.Filters[i]
		}
	}
	return nil
}

func (d *Document) named(name string) (*Filter, error) {
	if f := d.Filter(name); f != nil {
		return f, nil
	}
	return nil, problem.New(problem.NotFound, "filter", "The dashboard has no filter “%s”.", name)
}

// A Candidate is a filter that may be added.
type Candidate struct {
	Filter
	Dataset *dataset.Dataset // the first that would answer
	Means   string           // the field as people read it
	Of      []string         // the titles of the datasets that would answer
	Widgets int              // how many widgets of the page it would govern
	uses    int              // how many charts divide by it
	rank    int
}

// Answers is the field by which its first dataset would answer.
func (c Candidate) Answers() string { return c.answering(c.Dataset) }

// Candidates returns the filters that may be added to a page, the most likely first: the dates
// of its datasets, then what its charts divide by, then fields of few values, and last those of
// which a list would be long.
func (d *Document) Candidates(page *Page, charts Charts) ([]Candidate, error) {
	var out []Candidate
	var sets []*dataset.Dataset
	used, shows := map[string]int{}, map[string]int{}
	for i := range page.Widgets {
		definition, ds, err := charts.Chart(&page.Widgets[i])
		if err != nil || ds == nil {
			continue // what cannot be read says so in its place
		}
		if shows[ds.Name]++; shows[ds.Name] == 1 {
			sets = append(sets, ds)
		}
		for _, dim := range definition.Dimensions() {
			used[dim.Field]++
		}
	}
	add := func(c Candidate, ds *dataset.Dataset) {
		for _, f := range d.Filters {
			if f.On(page.Title) && (f.Kind == c.Kind || f.IsValues() && c.IsValues()) && f.answering(ds) == c.answering(ds) {
				return
			}
		}
		at := slices.IndexFunc(out, func(o Candidate) bool { return o.Kind == c.Kind && o.Field == c.Field })
		if at < 0 {
			c.Dataset, c.uses = ds, used[c.answering(ds)]
			at, out = len(out), append(out, c)
		}
		out[at].Of, out[at].Widgets = append(out[at].Of, ds.Title), out[at].Widgets+shows[ds.Name]
	}
	for _, ds := range sets {
		if x := ds.Find(ds.Date); x != nil && !x.Hidden {
			add(Candidate{Filter: Filter{Kind: Dates}, Means: x.Label, rank: 0}, ds)
		}
		for _, x := range ds.Visible() {
			c := Candidate{Filter: Filter{Field: x.Name}, Means: x.Label, rank: 1}
			switch {
			case x.Type.Temporal():
				c.Kind, c.rank = Dates, 3
				if x.Name == ds.Date {
					continue
				}
			case x.Type == field.Boolean:
				c.Kind, c.rank = YesNo, 2
			case x.Type.Numeric() && !x.IsLink() && !x.IsBin():
				c.Kind, c.rank = Numbers, 3
			case ds.Many(x, 200):
				c.rank = 4
			}
			add(c, ds)
		}
	}
	slices.SortStableFunc(out, func(a, b Candidate) int {
		divides := func(c Candidate) int { return min(c.uses, 1) * min(c.rank, 1) }
		return cmp.Or(min(a.rank, 1)-min(b.rank, 1), divides(b)-divides(a), a.rank-b.rank, b.uses-a.uses, b.Widgets-a.Widgets)
	})
	return out, nil
}
