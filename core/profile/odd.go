package profile

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/reading"
)

// An Oddity is something in a field that a builder should know before a chart is made,
// said in a sentence, with what can be done about it.
type Oddity struct {
	Field string
	Words string
	// Records leads to the records meant; nil where they cannot be listed.
	Records *filter.Condition
	Offers  []Offer
}

// An Offer is a changed dataset document that does something about an oddity.
type Offer struct {
	Label    string
	Document *dataset.Document
}

func (p *Plan) oddities(profile *Profile) []Oddity {
	var out []Oddity
	for _, f := range profile.Fields {
		if f.Of.Hidden {
			continue // among them what a repair has put aside
		}
		for _, look := range []func(*Profile, *Field) *Oddity{p.nothing, p.unreadable, p.foreign, p.dates, p.swamped, p.alike, p.spaces, p.cases} {
			if o := look(profile, f); o != nil {
				o.Field = f.Of.Name
				out = append(out, *o)
			}
		}
	}
	return out
}

// change copies the document and changes the field.
func (p *Plan) change(name string, f func(*dataset.Document, *dataset.FieldDocument)) *dataset.Document {
	d, err := dataset.Read(p.dataset.Document.JSON())
	if err != nil {
		return nil
	}
	for i := range d.Fields {
		if d.Fields[i].Name == name {
			f(d, &d.Fields[i])
			break
		}
	}
	return d
}

func (p *Plan) records(n int64) string { return format.Records(p.dataset, n) }

func (p *Plan) nothing(all *Profile, f *Field) *Oddity {
	if f.Filled+f.Unreadable > 0 || all.Records == 0 || f.Of.Hidden {
		return nil
	}
	return &Oddity{Words: fmt.Sprintf("“%s” is empty in every one of %s.", f.Of.Label, p.records(all.Records)),
		Offers: []Offer{{"hide it", p.change(f.Of.Name, func(_ *dataset.Document, d *dataset.FieldDocument) { d.Hidden = true })}}}
}

func (p *Plan) unreadable(_ *Profile, f *Field) *Oddity {
	if f.Unreadable == 0 {
		return nil
	}
	kind := "a number"
	if f.Of.ReadAs != nil {
		kind = f.Of.Type.Words() + " like " + f.Of.ReadAs.Like
	}
	c := filter.Compare(f.Of.Name, filter.Unreadable)
	return &Oddity{Words: fmt.Sprintf("“%s” of %s cannot be read as %s; it is left out and counted.", f.Of.Label, p.records(f.Unreadable), kind), Records: &c}
}

func (p *Plan) foreign(_ *Profile, f *Field) *Oddity {
	t := p.dataset.Foreign(f.Of)
	if t == nil || f.Of.Hidden {
		return nil
	}
	show := t.DisplayColumn()
	return &Oddity{Words: fmt.Sprintf("“%s” shows the key of a %s, where its %s could stand.", f.Of.Label, strings.ToLower(dataset.Tidy(t.Name)), strings.ToLower(dataset.Tidy(show))),
		Offers: []Offer{{"show the " + strings.ToLower(dataset.Tidy(show)), p.change(f.Of.Name, func(_ *dataset.Document, d *dataset.FieldDocument) {
			d.Link, d.Column, d.Show = []string{d.Column}, "", show
		})}}}
}

// dates finds dates far from the others: years off, more than three quartile distances.
func (p *Plan) dates(all *Profile, f *Field) *Oddity {
	if !f.Of.Type.Temporal() || f.Largest.IsEmpty() || f.Quartiles[0].IsEmpty() {
		return nil
	}
	low, high, ok := f.fences()
	if !ok {
		return nil
	}
	const year = 366 * 24 * 3600
	_, now := p.clock(f.Of)
	// Whole years, so that the sentence is easy to say; what lies around now is never odd.
	from := time.Date(time.Unix(int64(min(low, float64(now.Unix())-year)), 0).UTC().Year(), 1, 1, 0, 0, 0, 0, time.UTC)
	to := time.Date(time.Unix(int64(max(high, float64(now.Unix())+3*year)), 0).UTC().Year()+1, 1, 1, 0, 0, 0, 0, time.UTC)
	var words []string
	var any []filter.Condition
	if f.Smallest.Time().Before(from) {
		words = append(words, "before "+from.Format("2006"))
		any = append(any, filter.Compare(f.Of.Name, filter.Below, from.Format(time.DateOnly)))
	}
	if !f.Largest.Time().Before(to) {
		words = append(words, "after "+to.AddDate(0, 0, -1).Format("2006"))
		any = append(any, filter.Compare(f.Of.Name, filter.AtLeast, to.Format(time.DateOnly)))
	}
	if len(any) == 0 {
		return nil
	}
	c := filter.Condition{Any: any}
	if len(any) == 1 {
		c = any[0]
	}
	return &Oddity{Words: fmt.Sprintf("Some %s have “%s” %s, as far as %s.", p.dataset.Record[1], f.Of.Label, strings.Join(words, " or "), p.farthest(f, from, to)),
		Records: &c, Offers: []Offer{p.leaveOut(c)}}
}

func (p *Plan) farthest(f *Field, from, to time.Time) string {
	var out []string
	if f.Smallest.Time().Before(from) {
		out = append(out, p.dataset.Manner.Day(f.Smallest.Time()))
	}
	if !f.Largest.Time().Before(to) {
		out = append(out, p.dataset.Manner.Day(f.Largest.Time()))
	}
	return strings.Join(out, " and ")
}

// leaveOut adds the negation of a condition to the base filter.
func (p *Plan) leaveOut(c filter.Condition) Offer {
	d := p.change("", nil)
	var base filter.Condition
	if d.BaseFilter != nil {
		base = *d.BaseFilter
	}
	all := filter.And(base, filter.Negate(c))
	d.BaseFilter = &all
	return Offer{"leave them out", d}
}

// swamped finds one number that outweighs all others, and texts that are nearly all one.
func (p *Plan) swamped(_ *Profile, f *Field) *Oddity {
	n := len(f.values)
	if n < 20 {
		return nil
	}
	if f.Of.Type.Numeric() {
		total := 0.0
		for _, v := range f.values {
			total += max(place(v), -place(v))
		}
		top := f.Largest
		if place(f.Smallest) < -place(top) {
			top = f.Smallest
		}
		size := max(place(top), -place(top))
		if total == 0 || size < total/2 && size < 1000*total/float64(n) || size < 20*total/float64(n) {
			return nil
		}
		c := filter.Compare(f.Of.Name, filter.Is, top.Exact())
		return &Oddity{Words: fmt.Sprintf("One value of “%s”, %s, swamps the rest.", f.Of.Label, format.Plain(p.dataset.Manner).Value(top)), Records: &c, Offers: []Offer{p.leaveOut(c)}}
	}
	if f.Of.Type == field.Text && f.Distinct > 1 && f.Top[0].N*100 >= n*97 {
		where := "in nearly every " + p.dataset.Record[0]
		if f.Top[0].N*100 < f.looked*97 {
			where = "nearly everywhere that it is filled"
		}
		return &Oddity{Words: fmt.Sprintf("“%s” is “%s” %s, so that a chart by it says little.", f.Of.Label, f.Top[0].Value.Exact(), where)}
	}
	return nil
}

// alike finds text that looks like numbers, dates or yes and no.
func (p *Plan) alike(_ *Profile, f *Field) *Oddity {
	if f.Of.Type != field.Text || f.Of.IsLink() || f.Of.Formula != "" || f.Of.ReadAs != nil || f.Of.Column == "" || len(f.Of.List) > 0 || f.Distinct < 2 {
		return nil
	}
	found := reading.Detect(f.different(2000))
	if found == nil || found.Of == 0 {
		return nil
	}
	words := fmt.Sprintf("“%s” is text that looks like %s, written like %s", f.Of.Label, found.Format.Type.Words(), found.Format.Like)
	if found.Read < found.Of {
		words += fmt.Sprintf("; %d of %d different values could be read", found.Read, found.Of)
	}
	as := func(label string, format *reading.Format) Offer {
		return Offer{label, p.change(f.Of.Name, func(_ *dataset.Document, d *dataset.FieldDocument) {
			d.ReadAs = format
			switch {
			case format.Type.Temporal():
				d.Time = dataset.Happened
			case format.Type.Numeric():
				if d.Usual = "sum"; d.Unit == "" {
					d.Unit = format.Unit()
				}
			}
		})}
	}
	read := "read it as " + found.Format.Type.Words()
	if found.Other == nil {
		return &Oddity{Words: words + ".", Offers: []Offer{as(read, found.Format)}}
	}
	// Nothing in the column tells the day from the month.
	example := f.different(1)[0]
	first, _ := found.Format.Read(example)
	second, _ := found.Other.Read(example)
	say := format.Plain(p.dataset.Manner)
	return &Oddity{Words: fmt.Sprintf("%s. No value tells the day from the month: “%s” is %s or %s.", words, example, say.Value(first), say.Value(second)),
		Offers: []Offer{as(read+", the "+order(found.Format)+" first", found.Format), as("the "+order(found.Other)+" first", found.Other)}}
}

// order is what a date begins with.
func order(f *reading.Format) string {
	if strings.HasPrefix(f.Like, "12") || strings.HasPrefix(f.Like, "Dec") {
		return "month"
	}
	return "day"
}

// plainText tells whether a field is a text of the table's own that may be wrapped.
func plainText(f *dataset.Field) bool {
	return f.Type == field.Text && !f.IsLink() && f.Formula == "" && f.Groups == nil && f.Linked == nil
}

func (p *Plan) spaces(_ *Profile, f *Field) *Oddity {
	if !plainText(f.Of) {
		return nil
	}
	n := 0
	example := ""
	for text, count := range f.texts {
		if !trimmed(text) {
			n += count
			if example == "" || text < example {
				example = text
			}
		}
	}
	if n == 0 {
		return nil
	}
	return &Oddity{Words: fmt.Sprintf("“%s” begins or ends with spaces in some %s, for example “%s”, so that equal values stand apart.", f.Of.Label, p.dataset.Record[1], example),
		Offers: []Offer{{"cut the spaces off", p.wrap(f.Of.Name, "trim")}}}
}

// wrap hides a field under another name and puts a formula in its place.
func (p *Plan) wrap(name, function string) *dataset.Document {
	return p.change(name, func(d *dataset.Document, f *dataset.FieldDocument) {
		raw := aside(d, name)
		kept := *f
		kept.Name, kept.Hidden, kept.Label = raw, true, f.Label+", as kept"
		*f = dataset.FieldDocument{Name: name, Formula: function + "(" + quoted(raw) + ")", Label: f.Label, Description: f.Description, Synonyms: f.Synonyms, List: f.List, Colours: f.Colours}
		d.Fields = append(d.Fields, kept)
	})
}

// aside is a name that no field has yet for what was kept under another.
func aside(d *dataset.Document, name string) string {
	for n := 1; ; n++ {
		end := "_as_kept"
		if n > 1 {
			end += fmt.Sprintf("_%d", n)
		}
		out := name[:min(len(name), 63-len(end))] + end
		if !slices.ContainsFunc(d.Fields, func(f dataset.FieldDocument) bool { return f.Name == out }) {
			return out
		}
	}
}

func quoted(name string) string {
	if strings.Contains(name, "-") {
		return `"` + name + `"`
	}
	return name
}

// cases finds the same value in different case.
func (p *Plan) cases(_ *Profile, f *Field) *Oddity {
	if !plainText(f.Of) || f.Distinct > 500 {
		return nil
	}
	spellings := map[string][]string{}
	for _, text := range f.different(len(f.texts)) { // the most frequent spelling first
		low := filter.Lower(text)
		spellings[low] = append(spellings[low], text)
	}
	var groups []dataset.Group
	var example []string
	for _, text := range f.different(len(f.texts)) {
		s := spellings[filter.Lower(text)]
		if len(s) > 1 && s[0] == text {
			groups = append(groups, dataset.Group{Name: text, Values: s})
			if example == nil {
				example = s
			}
		}
	}
	if len(groups) == 0 {
		return nil
	}
	return &Oddity{Words: fmt.Sprintf("“%s” has the same value in different case, such as “%s”.", f.Of.Label, strings.Join(example, "” and “")),
		Offers: []Offer{{"count them together", p.change(f.Of.Name, func(d *dataset.Document, doc *dataset.FieldDocument) {
			kept := *doc
			kept.Name, kept.Hidden, kept.Label = aside(d, doc.Name), true, f.Of.Label+", as kept"
			*doc = dataset.FieldDocument{Name: doc.Name, Groups: &dataset.Groups{Of: kept.Name, Groups: groups}, Label: f.Of.Label, Description: doc.Description, Synonyms: doc.Synonyms}
			d.Fields = append(d.Fields, kept)
		})}}}
}
