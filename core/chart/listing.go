package chart

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/period"
	"eskadel/core/planner"
)

// MostListed is how many records a board, a calendar and the like may carry.
const MostListed = 500

// MostPoints is how many records a plan may carry.
const MostPoints = 2000

// A Listing is records shown by more than a table: a board, cards, a calendar, a
// timeline, the latest changes or points on a plan.
type Listing struct {
	Form    string       `json:"form"`
	Columns []ListColumn `json:"columns"`
	Weeks   [][]ListDay  `json:"weeks,omitempty"` // of a calendar
	Month   string       `json:"month,omitempty"`
	Ticks   []Tick       `json:"ticks,omitempty"`   // of a timeline, in percent of its width
	Today   float64      `json:"today,omitempty"`   // of a timeline, in percent; 0 where it is not shown
	Picture string       `json:"picture,omitempty"` // of a plan
	Host    string       `json:"-"`                 // what comes before the paths of pictures
	Outline []string     `json:"outline,omitempty"` // of a map: paths on a ground of 100 by High
	High    float64      `json:"high,omitempty"`
	Days    []string     `json:"days,omitempty"`    // of a calendar, the weekdays' names
	More    int          `json:"more,omitempty"`    // records that are not shown
	Missing int          `json:"missing,omitempty"` // records without a place
	Outside int          `json:"outside,omitempty"` // records whose place is not on the plan or map
	// Pictures tells that records may have pictures; one that has none keeps its room.
	Pictures bool `json:"pictures,omitempty"`
}

// Open puts what comes before the addresses of records before them. Where nothing does,
// whoever shows the list opens the records itself.
func (l *Listing) Open(before string) {
	l.Each(func(c *ListCard) {
		if c.Address != "" {
			c.Href = before + c.Address
		}
	})
}

// Each does something with every card.
func (l *Listing) Each(do func(*ListCard)) {
	each := func(cards []ListCard) {
		for i := range cards {
			do(&cards[i])
		}
	}
	for i := range l.Columns {
		each(l.Columns[i].Cards)
	}
	for _, week := range l.Weeks {
		for i := range week {
			each(week[i].Cards)
		}
	}
}

// A ListColumn is a column of a board, a day of the latest changes, or all cards.
type ListColumn struct {
	Name  string     `json:"name"`
	Count int        `json:"count"`
	Tone  string     `json:"tone,omitempty"`
	Cards []ListCard `json:"cards"`
}

// A ListDay is a day of a calendar.
type ListDay struct {
	Label string     `json:"label"`
	Other bool       `json:"other,omitempty"` // of another month
	Today bool       `json:"today,omitempty"`
	Cards []ListCard `json:"cards,omitempty"`
}

// A ListCard is one record.
type ListCard struct {
	Title   string   `json:"title"`
	Address string   `json:"address,omitempty"` // in the host app
	Href    string   `json:"-"`                 // the same with what comes before it, see Open
	Lines   []string `json:"lines,omitempty"`
	Picture string   `json:"picture,omitempty"`
	When    string   `json:"when,omitempty"`
	From    float64  `json:"from,omitempty"` // of a timeline, in percent
	Width   float64  `json:"width,omitempty"`
	X       float64  `json:"x,omitempty"` // of a plan
	Y       float64  `json:"y,omitempty"`
	Colour  string   `json:"colour,omitempty"`
	// Choosable is what the record is chosen by; nil where it cannot be.
	*Choosable
}

// Roles are the fields that a form which lists records takes: for its heading, its dates,
// its columns, its pictures and places.
type Roles struct {
	Heading, From, To, Stage, Picture, Position *dataset.Field
	Lines                                       []*dataset.Field
}

// RolesOf finds the fields of a form: those that the finish names, or the first that suit.
func RolesOf(d *Document, ds *dataset.Dataset) Roles {
	f := d.finish()
	var r Roles
	r.Heading = Field(f.Heading, ds, func(x *dataset.Field) bool { return x.IsLink() || x.Type == field.Text && len(x.List) == 0 })
	if r.Heading == nil {
		r.Heading = ds.Visible()[0]
	}
	if of := d.Form.shape().roles; of != nil {
		of(&r, f, ds)
	}
	for _, name := range d.Show {
		if x := ds.Find(name); x != nil && x != r.Heading {
			r.Lines = append(r.Lines, x)
		}
	}
	return r
}

// Fields returns the fields to be asked for, each once.
func (r Roles) Fields() (out []*dataset.Field) {
	seen := map[string]bool{}
	for _, f := range append([]*dataset.Field{r.Heading, r.From, r.To, r.Stage, r.Picture, r.Position}, r.Lines...) {
		if f != nil && !seen[f.Name] {
			seen[f.Name] = true
			out = append(out, f)
		}
	}
	return out
}

// A Listed is what a form that lists records is made from.
type Listed struct {
	Plan  *planner.Records
	Rows  [][]field.Value // addresses' columns, then the plan's fields
	Count int64
	Now   time.Time
	Cal   period.Calendar
	// Counts is how many records there are in each column of a board, shown or not.
	Counts map[string]int64
	Month  time.Time // the first day of what a calendar shows, in UTC
}

// Counts reads the numbers of records of a board's columns from a chart of them.
func Counts(t *calc.Table) map[string]int64 {
	out := map[string]int64{}
	for g, keys := range t.Groups {
		_, name := format.Key(t.Manner(), keys[0], t.Plan.Dims[0])
		out[name], _ = t.GroupTotal(g)[0].Decimal().Int64()
	}
	return out
}

// Month is the month that a calendar shows: the one of now, or the last before it that has a
// record, given the latest date of those up to its end.
func Month(now, latest time.Time) (first time.Time) {
	if !latest.IsZero() && latest.Before(now) {
		now = latest
	}
	return time.Date(now.Year(), now.Month(), 1, 0, 0, 0, 0, time.UTC)
}

// List makes the listing of a form from records.
func List(d *Document, ds *dataset.Dataset, l Listed) (*Listing, error) {
	r := RolesOf(d, ds)
	w := lister{doc: d, ds: ds, l: l, roles: r, at: map[string]int{}}
	w.links = len(ds.LinkColumns())
	for i, f := range l.Plan.Fields {
		w.at[f.Name] = w.links + i
	}
	out := &Listing{Form: d.Form.Kind, More: int(l.Count) - len(l.Rows)}
	return out, d.Form.shape().list(&w, out)
}

// cards lists records one after another.
func (w *lister) cards(out *Listing) error {
	out.Pictures = w.roles.Picture != nil
	all := ListColumn{}
	for _, row := range w.l.Rows {
		all.Cards = append(all.Cards, w.card(row))
	}
	out.Columns = []ListColumn{all}
	return nil
}

type lister struct {
	doc   *Document
	ds    *dataset.Dataset
	l     Listed
	roles Roles
	at    map[string]int
	links int
}

func (w *lister) value(row []field.Value, f *dataset.Field) field.Value {
	if f == nil {
		return field.Value{}
	}
	return row[w.at[f.Name]]
}

func (w *lister) text(row []field.Value, f *dataset.Field) string {
	return format.OfField(w.ds.Manner, f).In(f, w.l.Plan.Zone()).Value(w.value(row, f))
}

// wall is a date of a record as the calendar's clock shows it, in UTC.
func (w *lister) wall(row []field.Value, f *dataset.Field) (time.Time, bool) {
	v := w.value(row, f)
	if f == nil || !v.Type().Temporal() {
		return time.Time{}, false
	}
	if f.Zoned {
		return w.l.Cal.Wall(v.Time()), true
	}
	return v.Time(), true
}

func (w *lister) card(row []field.Value) ListCard {
	c := ListCard{Title: w.text(row, w.roles.Heading)}
	if w.ds.OpenRecord != "" {
		var values []string
		for i := range w.ds.LinkColumns() {
			values = append(values, row[i].Exact())
		}
		c.Address = w.ds.Address(values)
	}
	if told := w.l.Plan.Told; len(told) > 0 {
		var names []string
		for _, f := range told {
			names = append(names, w.text(row, f))
		}
		at := w.links + len(w.l.Plan.Fields)
		c.Choosable = Choose(row[at:at+len(told)], names)
	}
	for _, f := range w.roles.Lines {
		if v := w.value(row, f); !v.IsEmpty() {
			c.Lines = append(c.Lines, f.Label+" "+w.text(row, f))
		}
	}
	if f := w.roles.Picture; f != nil {
		if v := w.value(row, f).Exact(); strings.HasPrefix(v, "/") && !strings.HasPrefix(v, "//") {
			c.Picture = v
		}
	}
	if f := w.roles.Stage; f != nil {
		v := w.value(row, f)
		c.Colour = "none"
		if !v.IsEmpty() {
			name := w.text(row, f)
			c.Colour = fmt.Sprintf("c%d", Colour(name, f.List)+1)
			if own := f.Colours[name]; own != "" {
				c.Colour = own
			}
		}
	}
	return c
}

// board puts cards in columns by stage: every value of the list, in its order.
func (w *lister) board(out *Listing) error {
	f := w.roles.Stage
	place := map[string]int{}
	for _, v := range f.List {
		place[v] = len(out.Columns)
		out.Columns = append(out.Columns, ListColumn{Name: v})
	}
	for _, row := range w.l.Rows {
		name := "(none)"
		if v := w.value(row, f); !v.IsEmpty() {
			name = w.text(row, f)
		}
		i, ok := place[name]
		if !ok {
			i = len(out.Columns)
			place[name] = i
			out.Columns = append(out.Columns, ListColumn{Name: name})
		}
		c := w.card(row)
		out.Columns[i].Tone = c.Colour
		out.Columns[i].Cards = append(out.Columns[i].Cards, c)
	}
	for i := range out.Columns {
		out.Columns[i].Count = int(w.l.Counts[out.Columns[i].Name])
	}
	return nil
}

// latest lists records by day, the last first.
func (w *lister) latest(out *Listing) error {
	for _, row := range w.l.Rows {
		at, ok := w.wall(row, w.roles.From)
		if !ok {
			continue
		}
		day := w.ds.Manner.Day(at)
		if n := len(out.Columns); n == 0 || out.Columns[n-1].Name != day {
			out.Columns = append(out.Columns, ListColumn{Name: day})
		}
		c := w.card(row)
		if w.roles.From.Type == field.Timestamp {
			c.When = at.Format("15:04")
		}
		last := &out.Columns[len(out.Columns)-1]
		last.Cards = append(last.Cards, c)
		last.Count++
	}
	if n := len(out.Columns); n > 0 && out.More > 0 {
		out.Columns[n-1].Count = 0 // the day goes on
	}
	return nil
}

// calendar shows the days of a month.
func (w *lister) calendar(out *Listing) error {
	today, month := w.l.Cal.Wall(w.l.Now), w.l.Month
	days := map[string][]ListCard{}
	for _, row := range w.l.Rows {
		if at, ok := w.wall(row, w.roles.From); ok {
			days[at.Format(time.DateOnly)] = append(days[at.Format(time.DateOnly)], w.card(row))
		}
	}
	out.Month = w.ds.Manner.Date(month, "January 2006")
	sheet := w.l.Cal.Sheet(month)
	for _, day := range sheet.Weeks[0].Days {
		out.Days = append(out.Days, day.Format("Mon"))
	}
	for _, row := range sheet.Weeks {
		var week []ListDay
		for _, day := range row.Days {
			d := ListDay{Label: strconv.Itoa(day.Day()), Other: !sheet.Has(day), Today: day.Format(time.DateOnly) == today.Format(time.DateOnly)}
			if !d.Other {
				d.Cards = days[day.Format(time.DateOnly)]
			}
			week = append(week, d)
		}
		out.Weeks = append(out.Weeks, week)
	}
	return nil
}
