// Package dashboard holds dashboard documents: pages of widgets, filters, and which
// filter and which click reaches which widget. It decides conditions; it draws and
// asks nothing.
package dashboard

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/theme"
	"eskadel/core/upgrade"
)

// A Document is a dashboard as it is written down.
type Document struct {
	Version    int      `json:"version"`
	Name       string   `json:"name"`
	Title      string   `json:"title"`
	Answers    string   `json:"answers,omitempty"` // what it answers, in a line
	About      string   `json:"about,omitempty"`   // what readers are told on request, in Markdown
	Filters    []Filter `json:"filters,omitempty"`
	Pages      []Page   `json:"pages"`
	ViewersMay []string `json:"viewers_may,omitempty"`
	// Colours are those of values on every chart: field → value → colour. Publishing gives
	// one to each value that has none, so that a value keeps its colour from then on.
	Colours map[string]map[string]string `json:"colours,omitempty"`
	Through []Through                    `json:"drill_through,omitempty"`
	Theme   theme.Theme                  `json:"theme,omitzero"`
}

// MostAbout is how many letters may be told of a dashboard.
const MostAbout = 4000

// What viewers may do besides reading, as viewers_may names it.
const (
	MaySeeTips    = "tips"
	MayNarrow     = "filters"
	MaySeeRecords = "records"
	MayDownload   = "download"
	MayAsk        = "ask"
	MayChange     = "change"
	MaySubscribe  = "subscribe"
)

// An Allowance is something that the author may let viewers do.
type Allowance struct {
	Name  string
	Words string // after “Readers may”
	Means string // for who ticks it
}

// Allowances are all that there is, as they are ticked.
func Allowances() []Allowance {
	return []Allowance{
		{MaySeeTips, "point at marks for more", "a mark that is pointed at says its value, its share, what it is compared with"},
		{MayNarrow, "set filters of their own", "the phrases of the reading line and the values of formulas; without it they see the dashboard as you begin it"},
		{MaySeeRecords, "list the records behind marks", "each record by its name, with the fields that the chart uses, and the way to it in the application"},
		{MayDownload, "take it away", "pictures and figures of charts, pages on paper, and the records behind a mark as a file; each time is noted"},
		{MayAsk, "ask questions of their own", "in words, of the datasets that stand here: any field that row rules let them see"},
		{MayChange, "change records where a table lets them", "the fields that a table of yours lets their role change, and no other"},
		{MaySubscribe, "get it by mail", "they sign themselves up for deliveries that are open to it, and for alerts; each gets what their own rules let them see"},
	}
}

// Usually is what a new dashboard lets viewers do.
func Usually() []string { return []string{MaySeeTips, MayNarrow, MaySeeRecords} }

// A Page is a part of a dashboard, chosen by a tab.
type Page struct {
	Title   string   `json:"title"`
	Widgets []Widget `json:"widgets"`
	// Phone is the order of widgets, by their ids, in the one column of a narrow screen; those
	// that are not named follow as they are read.
	Phone []string `json:"phone,omitempty"`
}

// A Widget is anything on a page. At is its column (0 to 11), row, width and height on
// a ground of 12 columns.
type Widget struct {
	ID        string            `json:"id"`
	At        [4]int            `json:"at"`
	Chart     *Chart            `json:"chart,omitempty"`
	Text      string            `json:"text,omitempty"`       // in Markdown: words, pictures, web links
	AnswersTo map[string]string `json:"answers_to,omitempty"` // filter → field; "" for none
	Click     *Click            `json:"click,omitempty"`
	// Drill are the fields through which a drill leads down from the chart's first group, instead of
	// by its dataset's paths; an empty list leads nowhere.
	Drill    *[]string `json:"drill,omitempty"`
	Waits    bool      `json:"waits,omitempty"`     // shows nothing until a click on another reaches it
	WideOnly bool      `json:"wide_only,omitempty"` // a narrow screen does not show it
	// Scale is a name: widgets of a page with the same one share the scale of their values,
	// and the order of the first.
	Scale string `json:"scale,omitempty"`
}

// A Click is what a click on a mark of a widget does to the others, where that is not to narrow
// each by every field that both have.
type Click struct {
	// Selects are the fields of the chart by which a click chooses, all of them when there are none.
	Selects []string `json:"selects,omitempty"`
	// Does says of other widgets, by their ids, what a click does there: Nothing or Highlights; it
	// narrows those that are not named.
	Does map[string]string `json:"does,omitempty"`
	// Fields say by which field of a dataset one of the chart's answers, where it is not the one
	// of its name: dataset → field of the chart → field there, "" for none.
	Fields map[string]map[string]string `json:"fields,omitempty"`
}

// What a click does to a widget besides narrowing it: it leaves it as it is, or draws what is chosen
// within the whole.
const (
	Nothing    = "nothing"
	Highlights = "highlights"
)

// A Chart is a chart of the widget's own, or one of the library by name.
type Chart struct {
	Own     *chart.Document
	Library string
	// Version is which version of the library's chart stands here, 0 for its newest. What is
	// published always says which.
	Version int
}

// A libraryChart is how a chart of the library is written down on a widget.
type libraryChart struct {
	Library string `json:"library"`
	Version int    `json:"version,omitempty"`
}

func (c Chart) MarshalJSON() ([]byte, error) {
	if c.Library != "" {
		return json.Marshal(libraryChart{c.Library, c.Version})
	}
	return json.Marshal(c.Own)
}

func (c *Chart) UnmarshalJSON(b []byte) error {
	var keys map[string]json.RawMessage
	if err := json.Unmarshal(b, &keys); err != nil {
		return problem.New(problem.Invalid, "", "A chart is an object.")
	}
	if _, ok := keys["library"]; ok {
		var of libraryChart
		err := problem.Decode(b, &of)
		if err == nil && (of.Library == "" || of.Version < 0) {
			err = problem.New(problem.Invalid, "library", "Which chart of the library, and which version of it?")
		}
		c.Library, c.Version = of.Library, of.Version
		return err
	}
	d, err := chart.Read(b)
	c.Own = d
	return err
}

var upgrades = upgrade.Chain{Kind: "dashboard", Steps: []upgrade.Step{tipsAndFilters}}

// tipsAndFilters lets viewers do what all could before authors said so: see tips and set filters.
func tipsAndFilters(d map[string]any) {
	may, ok := d["viewers_may"].([]any)
	if !ok && d["viewers_may"] != nil {
		return
	}
	d["viewers_may"] = append([]any{MaySeeTips, MayNarrow}, may...)
}

// Version is the version of dashboards that is written.
var Version = upgrades.Version()

// Read reads a dashboard document, without looking at datasets.
func Read(data []byte) (*Document, error) {
	data, err := upgrades.Read(data)
	if err != nil {
		return nil, err
	}
	var d Document
	if err := problem.Decode(data, &d); err != nil {
		return nil, err
	}
	for i := range d.Pages {
		if d.Pages[i].Widgets == nil {
			d.Pages[i].Widgets = []Widget{} // written as an empty list, never as null
		}
	}
	return &d, d.check()
}

// JSON writes the document as files and the API carry it.
func (d *Document) JSON() []byte {
	b, _ := json.MarshalIndent(d, "", "  ")
	return b
}

var idForm = regexp.MustCompile(`^[a-z0-9][a-z0-9_-]{0,62}$`)

func (d *Document) check() error {
	if err := dataset.CheckName(d.Name); err != nil {
		return err
	}
	if d.Title == "" {
		return problem.New(problem.Missing, "title", "Give the dashboard a title.")
	}
	if len(d.Pages) == 0 {
		return problem.New(problem.Missing, "pages", "A dashboard has at least one page.")
	}
	for i, f := range d.Filters {
		place := fmt.Sprintf("filters[%d]", i)
		if err := f.check(d); err != nil {
			return problem.At(place, err)
		}
		if d.Filter(f.Name) != &d.Filters[i] {
			return problem.New(problem.Conflict, place+".name", "Two filters are called “%s”.", f.Name)
		}
	}
	if len([]rune(d.About)) > MostAbout {
		return problem.New(problem.TooMany, "about", "What is told of a dashboard has at most %d letters.", MostAbout)
	}
	if err := d.Theme.Check(); err != nil {
		return problem.At("theme", err)
	}
	for i, t := range d.Through {
		place := fmt.Sprintf("drill_through[%d]", i)
		if err := t.check(); err != nil {
			return problem.At(place, err)
		}
		if first, _ := d.ThroughOf(t.Name); first != &d.Through[i] {
			return problem.New(problem.Conflict, place+".name", "Two ways are called “%s”.", t.Name)
		}
	}
	seen := map[string]bool{}
	for p, page := range d.Pages {
		for w, widget := range page.Widgets {
			place := fmt.Sprintf("pages[%d].widgets[%d]", p, w)
			if !idForm.MatchString(widget.ID) || seen[widget.ID] {
				return problem.New(problem.Invalid, place+".id", "Each widget has an id of its own of small letters and digits; “%s” is not one.", widget.ID)
			}
			seen[widget.ID] = true
			if a := widget.At; a[0] < 0 || a[1] < 0 || a[2] < 1 || a[3] < 1 || a[0]+a[2] > 12 || a[1] > 1000 || a[3] > 100 {
				return problem.New(problem.Invalid, place+".at", "A widget lies within 12 columns: column, row, width, height.")
			}
			if k := widget.Click; k != nil {
				for id, does := range k.Does {
					if does != Nothing && does != Highlights {
						return problem.New(problem.Invalid, place+".click.does."+id, "A click narrows another widget, highlights in it, or does nothing there.")
					}
				}
			}
			if (widget.Chart == nil) == (widget.Text == "") {
				return problem.New(problem.Invalid, place, "A widget is a chart or a text.")
			}
		}
	}
	return nil
}

// Widget finds a widget by its id.
func (d *Document) Widget(id string) (*Widget, error) {
	for p := range d.Pages {
		for w := range d.Pages[p].Widgets {
			if d.Pages[p].Widgets[w].ID == id {
				return &d.Pages[p].Widgets[w], nil
			}
		}
	}
	return nil, problem.New(problem.NotFound, "widget", "The dashboard has no widget “%s”.", id)
}

// PageOf finds the page that a widget stands on; nil where it stands on none.
func (d *Document) PageOf(id string) *Page {
	for p := range d.Pages {
		if slices.ContainsFunc(d.Pages[p].Widgets, func(w Widget) bool { return w.ID == id }) {
			return &d.Pages[p]
		}
	}
	return nil
}

// Inherit takes over the colours of values that have none yet.
func (d *Document) Inherit(colours map[string]map[string]string) {
	for field, of := range colours {
		for value, colour := range of {
			if _, own := d.Colours[field][value]; own {
				continue
			}
			if d.Colours == nil {
				d.Colours = map[string]map[string]string{}
			}
			if d.Colours[field] == nil {
				d.Colours[field] = map[string]string{}
			}
			d.Colours[field][value] = colour
		}
	}
}

// Pin says of each chart of the library which version of it stands on the dashboard, where
// that is not said yet.
func (d *Document) Pin(newest func(library string) (version int, err error)) error {
	for p := range d.Pages {
		for w := range d.Pages[p].Widgets {
			c := d.Pages[p].Widgets[w].Chart
			if c == nil || c.Library == "" || c.Version != 0 {
				continue
			}
			version, err := newest(c.Library)
			if err != nil {
				return problem.At(d.Pages[p].Widgets[w].ID, err)
			}
			c.Version = version
		}
	}
	return nil
}

// Move puts another version of one of the library's charts in the place of every one that is
// named, and tells whether there was any.
func (d *Document) Move(library string, version int) (moved bool) {
	for p := range d.Pages {
		for w := range d.Pages[p].Widgets {
			if c := d.Pages[p].Widgets[w].Chart; c != nil && c.Library == library && c.Version != 0 && c.Version != version {
				c.Version, moved = version, true
			}
		}
	}
	return moved
}

// Widgets returns the widgets of all pages.
func (d *Document) Widgets() (out []Widget) {
	for _, p := range d.Pages {
		out = append(out, p.Widgets...)
	}
	return out
}

// Siblings returns the widgets that share their scale with one, itself among them, in the
// order of the page.
func (d *Document) Siblings(w *Widget) (out []Widget) {
	p := d.PageOf(w.ID)
	if p == nil || w.Scale == "" {
		return nil
	}
	for _, other := range p.Widgets {
		if other.Scale == w.Scale {
			out = append(out, other)
		}
	}
	return out
}

// Page finds a page by its title, the first when title is empty.
func (d *Document) Page(title string) (*Page, error) {
	for p := range d.Pages {
		if title == "" || d.Pages[p].Title == title {
			return &d.Pages[p], nil
		}
	}
	return nil, problem.New(problem.NotFound, "page", "The dashboard has no page “%s”.", title)
}

// Place returns where a new widget of the given size goes on a page: the first free
// place, from the top.
func (p *Page) Place(width, height int) [4]int {
	taken := func(x, y int) bool {
		for _, w := range p.Widgets {
			if x < w.At[0]+w.At[2] && x+width > w.At[0] && y < w.At[1]+w.At[3] && y+height > w.At[1] {
				return true
			}
		}
		return false
	}
	for y := 0; ; y++ {
		for x := 0; x+width <= 12; x++ {
			if !taken(x, y) {
				return [4]int{x, y, width, height}
			}
		}
	}
}

// NewID returns an id that no widget has yet.
func (d *Document) NewID() string {
	for n := 1; ; n++ {
		id := fmt.Sprintf("widget-%d", n)
		if _, err := d.Widget(id); err != nil {
			return id
		}
	}
}
