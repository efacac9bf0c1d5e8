package sentence

import (
	"fmt"
	"slices"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/query"
)

// groupRows are the controls of what the groups and the split have: values without
// records, and an order of one's own.
func groupRows(w *finisher) (out []Control) {
	for i, dim := range w.d.Dimensions() {
		f := w.ds.Find(dim.Field)
		if f == nil || dim.OnAxis(w.ds) {
			continue
		}
		path := "split"
		if i < len(w.d.By) {
			path = fmt.Sprintf("by.%d", i)
		} else if i > len(w.d.By) {
			path = fmt.Sprintf("across.%d", i-len(w.d.By)-1)
		}
		if f.IsLink() || len(f.List) > 0 {
			out = append(out, Control{Path: path + ".empty", Kind: "yes", Label: "Also " + f.Label + " without records", Value: yes(dim.Empty)})
		}
		out = append(out, Control{Kind: "row", Label: "Only some of " + f.Label, Row: []Control{numeral(path+".largest", "the largest", whole(dim.Largest), ""), numeral(path+".smallest", "or the smallest", whole(dim.Smallest), ""), tick(path+".others", "the others together", dim.Others)}})
		if dim.Part == 0 {
			out = append(out, orderRows(path+".sort", dim, f, w.values(f))...)
		}
	}
	return out
}

// values are those of a field that are known: its pick list, and what the chart shows.
func (w *finisher) values(f *dataset.Field) []string {
	out := slices.Clone(f.List)
	for _, v := range w.seen.Values {
		if v.Field == f.Name && !slices.Contains(out, v.Name) {
			out = append(out, v.Name)
		}
	}
	return out
}

// orderRows are the controls of the order of a field's values.
func orderRows(path string, dim query.Dimension, f *dataset.Field, values []string) []Control {
	by := func(order []string) any { return query.Sort{By: "hand", Order: order} }
	if dim.Sort == nil || dim.Sort.By != "hand" {
		if len(values) == 0 {
			return nil
		}
		return []Control{adding("put "+f.Label+" in an order of your own", path, by(values[:min(len(values), mostValues)]))}
	}
	return append(arranged(path, "Another "+f.Label+", the rest by name", dim.Sort.Order, named(values...), by), Control{Path: path, Kind: "button", Label: f.Label + " as usual again", Text: "as usual again"})
}

// fixed lists the ranges that a comparison is offered with by name.
var fixed = []string{"last month", "last quarter", "last year", "this year to date"}

// A comparing is a comparison as a choice.
type comparing struct {
	Label string
	to    *query.Comparison
}

// comparisons lists what a chart can be compared with.
func comparisons(d *chart.Document) (out []comparing) {
	now := d.Compare
	add := func(label string, c query.Comparison) {
		if now != nil {
			c.On = now.On
		}
		out = append(out, comparing{label, &c})
	}
	for _, with := range []string{query.YearBefore, query.PeriodBefore} {
		add(find(earlier, equal(with)).say(), query.Comparison{With: with})
	}
	for _, name := range fixed {
		add(name, query.Comparison{Range: &period.Relative{Named: name}})
	}
	year := d.Now.Year() - 1
	own := period.Relative{From: fmt.Sprintf("%d-01-01", year), To: fmt.Sprintf("%d-12-31", year)}
	if now != nil && now.Range != nil && now.Range.From != "" {
		own = *now.Range
	}
	add("dates of your own", query.Comparison{Range: &own})
	return out
}

// comparedRows are the controls of what a chart is compared with.
func comparedRows(d *chart.Document, ds *dataset.Dataset) (out []Control) {
	var kinds []Option
	for _, c := range comparisons(d) {
		kinds = append(kinds, Option{asJSON(c.to), c.Label})
	}
	now := asJSON(d.Compare)
	if !slices.ContainsFunc(kinds, func(o Option) bool { return o.Value == now }) {
		kinds = append(kinds, Option{now, d.Compare.Words(ds.Manner)})
	}
	out = append(out, choose("compare", "json", "Compared with", now, kinds...))
	if r := d.Compare.Range; r != nil && r.From != "" {
		out = append(out, Control{Kind: "row", Label: "dates", Row: []Control{{Path: "compare.range.from", Kind: "date", Label: "from", Value: r.From}, {Path: "compare.range.to", Kind: "date", Label: "to", Value: r.To}}})
	}
	// Without a time axis it has to be said which date is shifted, where there are several.
	for _, dim := range d.Dimensions() {
		if dim.OnAxis(ds) {
			return out
		}
	}
	by := *d.Compare
	by.On = ""
	on := []Option{{asJSON(by), "as usual"}}
	for _, f := range ds.Visible() {
		if f.Type.Temporal() {
			by.On = f.Name
			on = append(on, Option{asJSON(by), f.Label})
		}
	}
	if len(on) > 2 {
		c := choose("compare", "json", "by the date", now, on...)
		c.ID = "compare-on"
		out = append(out, c)
	}
	return out
}
