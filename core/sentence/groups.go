package sentence

import (
	"fmt"
	"slices"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/query"
)

// mostPlaced is how many values are put in order one by one; more are typed.
const mostPlaced = 15

// groupRows are the controls of what the groups and the split have: values without
// records, and an order of one's own.
func groupRows(d *chart.Document, ds *dataset.Dataset) (out []Control) {
	for i, dim := range d.Dimensions() {
		f := ds.Find(dim.Field)
		if f == nil || dim.OnAxis(ds) {
			continue
		}
		path := "split"
		if i < len(d.By) {
			path = fmt.Sprintf("by.%d", i)
		} else if i > len(d.By) {
			path = fmt.Sprintf("across.%d", i-len(d.By)-1)
		}
		if f.IsLink() || len(f.List) > 0 {
			out = append(out, Control{Path: path + ".empty", Kind: "yes", Label: "Also " + f.Label + " without records", Value: yes(dim.Empty)})
		}
		if dim.Part == 0 {
			out = append(out, orderRows(path+".sort", dim, f)...)
		}
	}
	return out
}

// orderRows are the controls of the order of a field's values.
func orderRows(path string, dim query.Dimension, f *dataset.Field) (out []Control) {
	label := "Own order of " + f.Label
	own := dim.Sort != nil && dim.Sort.By == "hand"
	var order []string
	if own {
		order = dim.Sort.Order
	}
	if len(f.List) == 0 || len(f.List) > mostPlaced {
		return []Control{{Path: path + ".order", Kind: "list", Label: label, Value: strings.Join(order, ", "), Hint: "by commas, first to last; the others follow by name"}}
	}
	by := func(order []string) query.Sort { return query.Sort{By: "hand", Order: order} }
	if !own {
		return []Control{adding("put "+f.Label+" in an order of your own", path, by(f.List))}
	}
	order = slices.Clone(order)
	for _, v := range f.List {
		if !slices.Contains(order, v) {
			order = append(order, v)
		}
	}
	for i, v := range order {
		r := Control{Kind: "row", Label: fmt.Sprintf("%d. %s", i+1, v)}
		move := func(text string, to int) {
			if to < 0 || to == len(order) {
				return
			}
			moved := slices.Clone(order)
			moved[i], moved[to] = moved[to], moved[i]
			r.Row = append(r.Row, Control{Path: path, ID: fmt.Sprintf("%s-%s-%d", path, text, slices.Index(f.List, v)), Kind: "button", Label: "put " + v + " " + text, Text: text, Value: asJSON(by(moved))})
		}
		move("earlier", i-1)
		move("later", i+1)
		out = append(out, r)
	}
	return append(out, Control{Path: path, Kind: "button", Label: f.Label + " as usual again", Text: "as usual again"})
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
		out = append(out, Control{Kind: "row", Label: "dates", Row: []Control{{Path: "compare.range.from", Kind: "text", Label: "from", Value: r.From}, {Path: "compare.range.to", Kind: "text", Label: "to", Value: r.To}}})
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
