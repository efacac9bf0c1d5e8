package dashboard

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// Down returns the fields through which a drill leads down from a widget, the one that its chart
// is grouped by first; none where it leads nowhere. A widget's own path goes before those of its
// dataset, of which the first that holds one of the chart's groups is taken.
func (w *Widget) Down(definition query.Definition, ds *dataset.Dataset) []string {
	var groups []string
	for _, dim := range definition.By {
		groups = append(groups, dim.Field)
	}
	if len(groups) == 0 || definition.Listed {
		return nil
	}
	if w.Drill != nil {
		return known(slices.Concat(groups[:1], *w.Drill), ds)
	}
	for _, path := range ds.DrillPaths {
		for i, name := range path {
			if slices.Contains(groups, name) {
				return known(path[i:], ds)
			}
		}
	}
	return nil
}

// known are the steps of a path that a dataset has, none where none is left to drill to.
func known(path []string, ds *dataset.Dataset) (out []string) {
	for _, name := range path {
		if f := ds.Find(name); f != nil && f.Divides() && !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	if len(out) < 2 {
		return nil
	}
	return out
}

// DrillDown says through which fields a drill leads down from a widget: as its dataset says where
// usual is set, nowhere when there are none.
func (d *Document) DrillDown(id string, path []string, usual bool) error {
	w, err := d.Widget(id)
	if err != nil {
		return err
	}
	w.Drill = nil
	if usual {
		return nil
	}
	if len(path) >= dataset.MostSteps {
		return problem.New(problem.TooMany, "path", "A drill path leads through at most %d fields.", dataset.MostSteps)
	}
	own := slices.Clone(path)
	if own == nil {
		own = []string{}
	}
	w.Drill = &own
	return nil
}

// A Through is a way from marks to another place, which carries their condition there.
type Through struct {
	Name string `json:"name"`
	// From are the widgets whose marks lead there; Of is a dataset, of which every widget's do.
	From []string `json:"from,omitempty"`
	Of   string   `json:"of,omitempty"`
	// Fill says which field of a mark fills what there: a filter, or a part of the address.
	Fill map[string]string `json:"fill,omitempty"`
	To   Target            `json:"to"`
}

// A Target is where a drill-through leads: a page of the dashboard, another dashboard or a page of
// that, or an address of the host app such as "/jobs?yard={yard}".
type Target struct {
	Page      string `json:"page,omitempty"`
	Dashboard string `json:"dashboard,omitempty"`
	Host      string `json:"host,omitempty"`
}

// Within tells whether the target is a page of the same dashboard.
func (t Target) Within() bool { return t.Dashboard == "" && t.Host == "" }

var part = regexp.MustCompile(`\{([^{}]*)\}`)

// Parts are the names that the target's address is filled by.
func (t Target) Parts() (out []string) {
	for _, m := range part.FindAllStringSubmatch(t.Host, -1) {
		if !slices.Contains(out, m[1]) {
			out = append(out, m[1])
		}
	}
	return out
}

// MostThroughs is how many drill-throughs a dashboard may have.
const MostThroughs = 30

func (t Through) check() error {
	to := t.To
	switch {
	case !idForm.MatchString(t.Name):
		return problem.New(problem.Invalid, "name", "A drill-through has a name of small letters and digits.")
	case (len(t.From) == 0) == (t.Of == ""):
		return problem.New(problem.Missing, "from", "From which widgets does it lead: chosen ones, or all of a dataset?")
	case to.Host != "" && (to.Page != "" || to.Dashboard != "") || to == (Target{}):
		return problem.New(problem.Missing, "to", "Where does it lead: to a page, another dashboard or an address of the host app?")
	case len(to.Host) > 500:
		return problem.New(problem.TooMany, "to.host", "An address has at most 500 letters.")
	}
	if to.Host != "" {
		return problem.At("to.host", dataset.CheckAddress(to.Host))
	}
	return nil
}

// ThroughOf finds a drill-through by its name.
func (d *Document) ThroughOf(name string) (*Through, error) {
	for i := range d.Through {
		if d.Through[i].Name == name {
			return &d.Through[i], nil
		}
	}
	return nil, problem.New(problem.NotFound, "through", "Somebody has taken this way away meanwhile.")
}

// AddThrough puts one more drill-through into the document, and returns its name.
func (d *Document) AddThrough(t Through) (string, error) {
	if len(d.Through) >= MostThroughs {
		return "", problem.New(problem.TooMany, "through", "A dashboard has at most %d ways to other places.", MostThroughs)
	}
	for n := 1; ; n++ {
		t.Name = fmt.Sprintf("way-%d", n)
		if _, err := d.ThroughOf(t.Name); err != nil {
			break
		}
	}
	d.Through = append(d.Through, t)
	return t.Name, t.check()
}

// ChangeThrough puts a drill-through in the place of the one of its name.
func (d *Document) ChangeThrough(to Through) error {
	t, err := d.ThroughOf(to.Name)
	if err != nil {
		return err
	}
	*t = to
	return t.check()
}

// RemoveThrough takes a drill-through away.
func (d *Document) RemoveThrough(name string) error {
	if _, err := d.ThroughOf(name); err != nil {
		return err
	}
	d.Through = slices.DeleteFunc(d.Through, func(t Through) bool { return t.Name == name })
	return nil
}

// Leads tells whether marks of a widget, which shows a dataset, lead through.
func (t Through) Leads(w *Widget, ds *dataset.Dataset) bool {
	return t.Of != "" && ds != nil && ds.Name == t.Of || slices.Contains(t.From, w.ID)
}

// fills tells whether a filter of another place can be filled by a field.
func (f Filter) fills(x *dataset.Field) bool { return f.Kind != Numbers && f.suits(x) }

// Fillable are the filters of a page that a field of a dataset can fill, by their names; the
// first of them is the one that is meant where names agree, and agreed tells whether they do.
func (d *Document) Fillable(page string, ds *dataset.Dataset, name string) (out []Choice, agreed bool) {
	x := ds.Find(name)
	if x == nil {
		return nil, false
	}
	for _, f := range d.Filters {
		if !f.On(page) || f.Shown == Hidden || !f.fills(x) {
			continue
		}
		c := Choice{Name: f.Name, Label: f.Called()}
		if f.answering(ds) == name && !agreed {
			out, agreed = slices.Insert(out, 0, c), true
		} else {
			out = append(out, c)
		}
	}
	return out, agreed
}

// A Carried is what a drill-through brings to its target.
type Carried struct {
	Filters map[string]*Setting // by the names of the target's filters
	Address string              // of the host app
	Lost    []string            // labels of fields whose value could not be carried
}

// At is a mark with the definition that it was drawn by.
type At struct {
	Mark       marks.Reference
	Definition query.Definition
}

// Carry brings the condition of a mark, and of those above it that were drilled into, to a
// drill-through's target: to filters of a dashboard, or into an address of the host app. Fields that
// fill nothing stay behind.
func (t Through) Carry(from []At, ds *dataset.Dataset, target *Document) (Carried, error) {
	out := Carried{Filters: map[string]*Setting{}}
	texts := map[string]string{}
	for _, at := range from {
		dims := at.Definition.Dimensions()
		if len(at.Mark.Keys) > len(dims) {
			return out, problem.New(problem.Conflict, "mark", "The chart has changed since this mark was drawn; load it again.")
		}
		for i, key := range at.Mark.Keys {
			dim := dims[i]
			to := t.Fill[dim.Field]
			if to == "" || key.IsAny() {
				continue
			}
			lost := true
			if t.To.Host != "" {
				text, ok := written(key)
				if lost = !ok || dim.Part != 0; !lost {
					texts[to] = text
				}
			} else if f := target.Filter(to); f != nil && dim.Part == 0 {
				if set := f.settingOf(key, ds.Find(dim.Field)); set != nil && f.Fits(set) == nil {
					out.Filters[to], lost = set, false
				}
			}
			if lost {
				out.Lost = append(out.Lost, ds.Label(dim.Field))
			}
		}
	}
	if t.To.Host == "" {
		return out, nil
	}
	for _, name := range t.To.Parts() {
		if texts[name] == "" {
			return out, problem.New(problem.Missing, "fill", "Nothing of this mark fills “%s” of the address: choose which field does.", name)
		}
	}
	out.Address = part.ReplaceAllStringFunc(t.To.Host, func(s string) string { return dataset.Escape(texts[strings.Trim(s, "{}")]) })
	return out, nil
}

// written is a key as an address carries it, a step by the day that it begins on; ok is false for
// what is not one value or step.
func written(k marks.Key) (text string, ok bool) {
	switch {
	case k.Is != nil:
		return *k.Is, true
	case k.From != nil && k.To != nil:
		return k.From.Format(time.DateOnly), true
	}
	return "", false
}

// settingOf is what a filter is set to by a key of a field, nil where that is not one value or
// span.
func (f Filter) settingOf(k marks.Key, x *dataset.Field) *Setting {
	if x == nil || !f.fills(x) {
		return nil
	}
	switch {
	case f.IsDate() && k.From != nil && k.To != nil:
		return &Setting{Range: &period.Relative{From: k.From.Format(time.DateOnly), To: k.To.AddDate(0, 0, -1).Format(time.DateOnly)}}
	case f.IsDate() || k.Others || k.Unreadable || k.Outside || len(k.Run) > 0 || k.From != nil || k.To != nil:
		return nil
	case k.Is != nil || k.None || k.NotShown:
		return &Setting{Values: []marks.Key{{Is: k.Is, None: k.None, NotShown: k.NotShown}}}
	}
	return nil
}

// Marked are the widgets of all pages that have marks to choose, as they are seen; of those that
// cannot be read, and those whose chart has no groups, there is none.
func (d *Document) Marked(charts Charts) (out []*Seen) {
	for p := range d.Pages {
		for w := range d.Pages[p].Widgets {
			if s := see(&d.Pages[p].Widgets[w], charts); s != nil && len(s.groups) > 0 {
				out = append(out, s)
			}
		}
	}
	return out
}

// Sources are those of them whose marks a way leads from.
func (d *Document) Sources(t Through, charts Charts) []*Seen {
	return slices.DeleteFunc(d.Marked(charts), func(s *Seen) bool { return !t.Leads(s.Widget, s.Dataset) })
}

// page is the page that the target opens of a dashboard.
func (t Target) page(of *Document) string {
	if t.Page == "" && len(of.Pages) > 0 {
		return of.Pages[0].Title
	}
	return t.Page
}

// A Filling is a field of marks with what it may fill at a target.
type Filling struct {
	Choice
	Fills []Choice
}

// Fillings are the fields of the marks that a way leads from, with what each may fill at its
// target, of which target is the document where that is a dashboard.
func (t Through) Fillings(from []*Seen, target *Document) (out []Filling) {
	for _, s := range from {
		for _, name := range s.groups {
			if slices.ContainsFunc(out, func(f Filling) bool { return f.Name == name }) {
				continue
			}
			f := Filling{Choice: Choice{Name: name, Label: s.Dataset.Label(name)}}
			if t.To.Host != "" {
				for _, p := range t.To.Parts() {
					f.Fills = append(f.Fills, Choice{Name: p, Label: p})
				}
			} else if target != nil {
				f.Fills, _ = target.Fillable(t.To.page(target), s.Dataset, name)
			}
			for i := range f.Fills {
				f.Fills[i].Chosen = f.Fills[i].Name == t.Fill[name]
				f.Chosen = f.Chosen || f.Fills[i].Chosen
			}
			out = append(out, f)
		}
	}
	return out
}

// Guess fills what agrees in name, for the fields of which nothing is said yet; what is said of
// fields that no mark has is dropped.
func (t *Through) Guess(from []*Seen, target *Document) {
	for name := range t.Fill {
		if !slices.ContainsFunc(from, func(s *Seen) bool { return slices.Contains(s.groups, name) }) {
			delete(t.Fill, name)
		}
	}
	for _, s := range from {
		for _, name := range s.groups {
			if _, said := t.Fill[name]; said {
				continue
			}
			to := ""
			if slices.Contains(t.To.Parts(), name) {
				to = name
			} else if target != nil && t.To.Host == "" {
				if fills, agreed := target.Fillable(t.To.page(target), s.Dataset, name); agreed {
					to = fills[0].Name
				}
			}
			if to == "" {
				continue
			}
			if t.Fill == nil {
				t.Fill = map[string]string{}
			}
			t.Fill[name] = to
		}
	}
}

// Trouble tells in words what keeps a way from leading anywhere, "" for nothing; target is the
// document that it leads to, nil for an address of the host app and for a dashboard that is gone.
func (t Through) Trouble(from []*Seen, target *Document) string {
	switch {
	case len(from) == 0:
		return "It leads from nothing that has marks any more: choose from which widgets, or take it away."
	case t.To.Host == "" && target == nil:
		return "The dashboard that it leads to is gone: choose another place, or take it away."
	case t.To.Host == "" && t.To.Page != "":
		if _, err := target.at(t.To.Page); err != nil {
			return "The page “" + t.To.Page + "” is gone: choose another place, or take it away."
		}
	}
	for _, f := range t.Fillings(from, target) {
		if t.Fill[f.Name] != "" && !f.Chosen {
			return f.Label + " fills something that is no longer there: choose what it fills."
		}
	}
	for _, part := range t.To.Parts() {
		filled := false
		for _, to := range t.Fill {
			filled = filled || to == part
		}
		if !filled {
			return "Nothing fills “" + part + "” of the address: choose which field does."
		}
	}
	return ""
}
