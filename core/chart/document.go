// Package chart holds chart documents and turns computed tables into drawing models:
// series, axes, formatted labels and colours. Whoever draws adds nothing to them.
package chart

import (
	"encoding/json"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A Document is a chart as it is written down: a definition and its form.
type Document struct {
	query.Definition
	Title string   `json:"title,omitempty"` // as written by hand; else it follows the sentence
	Form  Form     `json:"form"`
	Show  []string `json:"show,omitempty"` // for records: the fields, in order
}

// A Form is how a chart is drawn. In JSON a name, or {"columns": "stacked"}.
type Form struct {
	Kind  string
	Style string
}

// The forms there are.
var (
	Columns        = Form{"columns", "side by side"}
	StackedColumns = Form{"columns", "stacked"}
	Bars           = Form{"bars", "side by side"}
	StackedBars    = Form{"bars", "stacked"}
	Line           = Form{"line", ""}
	KeyFigures     = Form{"key figures", ""}
	Table          = Form{"table", ""}
	Records        = Form{"records", ""}
)

// Forms lists all forms, in the order menus offer them.
func Forms() []Form {
	return []Form{Columns, StackedColumns, Bars, StackedBars, Line, KeyFigures, Table, Records}
}

// Words names the form in a sentence: "stacked columns".
func (f Form) Words() string {
	switch {
	case f.Style == "stacked":
		return "stacked " + f.Kind
	case f == Line:
		return "a line"
	case f == Table:
		return "a table"
	case f == Records:
		return "a list of records"
	}
	return f.Kind
}

func (f Form) MarshalJSON() ([]byte, error) {
	if f.Style == "" || f == Columns || f == Bars {
		return json.Marshal(f.Kind)
	}
	return json.Marshal(map[string]string{f.Kind: f.Style})
}

func (f *Form) UnmarshalJSON(b []byte) error {
	var kind string
	var styled map[string]string
	if json.Unmarshal(b, &kind) != nil {
		if err := json.Unmarshal(b, &styled); err != nil || len(styled) != 1 {
			return problem.New(problem.Invalid, "", "A form is a name such as \"line\", or {\"columns\": \"stacked\"}.")
		}
	}
	for k, style := range styled {
		kind, f.Style = k, style
	}
	for _, known := range Forms() {
		if known.Kind == kind && (known.Style == f.Style || styled == nil) {
			*f = known
			return nil
		}
	}
	return problem.New(problem.Invalid, "", "There is no form “%s”.", strings.TrimSpace(f.Style+" "+kind))
}

// Read reads a chart document, without looking at its dataset.
func Read(data []byte) (*Document, error) {
	var d Document
	if err := problem.Decode(data, &d); err != nil {
		return nil, err
	}
	return &d, nil
}

// JSON writes the document as files and the API carry it.
func (d *Document) JSON() []byte {
	b, _ := json.MarshalIndent(d, "", "  ")
	return b
}

// Check tells in words what is wrong with the chart, or still missing.
func (d *Document) Check(ds *dataset.Dataset) error {
	if err := d.Definition.Check(ds); err != nil {
		return err
	}
	for _, name := range d.Show {
		if f, err := ds.Field(name); err != nil || f.Hidden {
			return problem.New(problem.NotFound, "show", "%s has no field “%s”.", ds.Title, name)
		}
	}
	return problem.At("form", d.Fits(d.Form))
}

// Fits tells in words why the chart cannot be drawn in a form.
func (d *Document) Fits(f Form) error {
	switch {
	case f == KeyFigures && len(d.Dimensions()) > 0:
		return problem.New(problem.Invalid, "", "Key figures are of all records together: take away the groups first.")
	case f == Records && (len(d.Dimensions()) > 0 || len(d.Measures) > 1):
		return problem.New(problem.Invalid, "", "A list shows single records: take away the groups and all measures but one first.")
	case f == KeyFigures || f == Table || f == Records:
		return nil
	case len(d.By) == 0:
		return problem.New(problem.Missing, "", "Choose what to divide by, so that there is something to draw.")
	case len(d.By) > 1:
		return problem.New(problem.Invalid, "", "%s show one group; a table shows several.", strings.ToUpper(f.Kind[:1])+f.Kind[1:])
	case d.Split != nil && len(d.Measures) > 1:
		return problem.New(problem.Invalid, "", "A chart that is split shows one measure; a table shows several.")
	case f.Style == "stacked" && d.Split == nil && len(d.Measures) == 1:
		return problem.New(problem.Invalid, "", "There is nothing to stack: split by another field first.")
	case f.Style == "stacked":
		for _, m := range d.Measures {
			if !m.Aggregate.Additive() {
				return problem.New(problem.Invalid, "", "Stacked parts must add up, and parts of a %s do not.", strings.ToLower(m.Aggregate.Words()))
			}
		}
	}
	return nil
}
