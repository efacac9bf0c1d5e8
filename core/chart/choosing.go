package chart

import (
	"strings"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/marks"
	"eskadel/core/query"
)

// Choosing is the definition by which marks of the chart are chosen: what it computes or, of one that
// lists records, the fields that a record of it is chosen by.
func (d *Document) Choosing(ds *dataset.Dataset) query.Definition {
	if !d.Form.Lists() {
		return d.Computed(ds)
	}
	out := query.Definition{Version: d.Version, Dataset: d.Dataset, Own: d.Own, Instead: d.Instead, Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}}}
	for _, f := range d.ChosenBy(ds) {
		out.By, out.Listed = append(out.By, query.Dimension{Field: f.Name}), true
	}
	return out
}

// ChosenBy are the fields of a list that sort records into kinds, in the order in which they are seen.
func (d *Document) ChosenBy(ds *dataset.Dataset) (out []*dataset.Field) {
	fields := RolesOf(d, ds).Fields()
	if d.Form.Laid().Own {
		fields = nil
		for _, name := range d.Show {
			fields = append(fields, ds.Find(name))
		}
		if len(d.Show) == 0 {
			fields = ds.Visible()
		}
	}
	for _, f := range fields {
		if f != nil && f.Sorts() {
			out = append(out, f)
		}
	}
	return out
}

// A Choosable is what a record of a list is chosen by: its keys, as Choosing has them, and what each is
// called.
type Choosable struct {
	Keys  []marks.Key `json:"keys,omitempty"`
	Names []string    `json:"-"`
	Words string      `json:"words,omitempty"` // of those that a click chooses by
}

// Choose reads a record's keys, as they are told of its fields. What is told of none stands for any.
func Choose(told []field.Value, names []string) *Choosable {
	c := &Choosable{Keys: make([]marks.Key, len(told)), Names: names}
	for i, v := range told {
		text := v.Exact()
		switch {
		case strings.HasPrefix(text, dataset.KeyIs):
			text = text[len(dataset.KeyIs):]
			c.Keys[i].Is = &text
		case text == dataset.KeyNone:
			c.Keys[i].None, c.Names[i] = true, "none"
		case text == dataset.KeyNotShown:
			c.Keys[i].NotShown, c.Names[i] = true, "not shown"
		case text == dataset.KeyUnreadable:
			c.Keys[i].Unreadable, c.Names[i] = true, "not readable"
		}
	}
	return c
}

// Call says what is chosen, by those of the fields that a click chooses by; where nothing of the record
// says that, it cannot be chosen.
func (c *Choosable) Call(selects []bool) {
	if c == nil {
		return
	}
	var words []string
	for i, on := range selects {
		if i < len(c.Keys) && on && !c.Keys[i].IsAny() {
			words = append(words, c.Names[i])
		}
	}
	c.Words = strings.Join(words, ", ")
}
