package data

import (
	"encoding/json"
	"html/template"
	"net/url"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/locale"
	"eskadel/web/page"
)

// functions are what the templates of the area ask.
var functions = template.FuncMap{
	"bare":        func(table string) string { return strings.TrimPrefix(table, "public.") },
	"tidy":        func(name string) string { return locale.Lower(dataset.Tidy(name)) },
	"links":       linkChoices,
	"jsonColumns": jsonColumns,
	"names":       func(ds *dataset.Dataset) string { return page.FormulaNames(ds, ds.Order()) },
	"fieldLabel":  func(ds *dataset.Dataset, name string) string { return ds.Label(name) },
	"offered":     page.Offered,
	"columns": func(known, chosen []string) []page.Tick {
		out := page.Offered(known, chosen)
		for i := range out {
			out[i].Words = dataset.Tidy(out[i].Value)
		}
		return out
	},
	"formValue": func(form url.Values, name string) string {
		if form == nil {
			return ""
		}
		return form.Get(name)
	},
	"conditionJSON": func(c *filter.Condition) string {
		if c == nil {
			return ""
		}
		b, _ := json.Marshal(c)
		return string(b)
	},
	// Words of a condition over a dataset's fields.
	"conditionWords": func(ds *dataset.Dataset) func(filter.Condition) string { return ds.Words },
}

// A linkChoice is the columns of a linked table that may be brought in.
type linkChoice struct {
	Label  string
	Fields [][2]string // path, label
}

// linkChoices lists what is one and two links away.
func linkChoices(ds *dataset.Dataset) (out []linkChoice) {
	var walk func(t *dataset.Table, path, label string, deep int)
	walk = func(t *dataset.Table, path, label string, deep int) {
		for i := range t.Links {
			l := &t.Links[i]
			to := ds.Linked(l.Table)
			if to == nil {
				continue
			}
			c := linkChoice{Label: label + l.Label()}
			for _, col := range to.Columns {
				c.Fields = append(c.Fields, [2]string{path + l.Name() + "." + col.Name, l.Label() + " → " + dataset.Tidy(col.Name)})
			}
			out = append(out, c)
			if deep > 1 {
				walk(to, path+l.Name()+".", c.Label+" → ", deep-1)
			}
		}
	}
	walk(ds.Table, "", "", 3)
	return out
}

func jsonColumns(ds *dataset.Dataset) (out []string) {
	for _, c := range ds.Table.Columns {
		if c.JSON {
			out = append(out, c.Name)
		}
	}
	return out
}
