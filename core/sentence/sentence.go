// Package sentence says a chart's definition in plain words. Each phrase is also the
// control that changes it: Choices lists what a phrase may become, each choice with
// the whole chart document that would result. It draws and asks nothing.
package sentence

import (
	"fmt"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// A Phrase is a part of the sentence.
type Phrase struct {
	Part    string // names the control: dataset, measure.0, by.0, grain.0, split, cut, where, form; "" for plain words
	Text    string
	Missing bool // it still has to be chosen
	Comma   bool // a comma stands before it
}

// Of returns the chart's sentence. ds is nil as long as no dataset is chosen.
func Of(d *chart.Document, ds *dataset.Dataset) []Phrase {
	if ds == nil {
		return []Phrase{{Text: "A chart of"}, {Part: "dataset", Text: "which records?", Missing: true}}
	}
	var out []Phrase
	plain := func(text string) { out = append(out, Phrase{Text: text}) }
	if d.Form == chart.Records {
		plain("The")
		out = append(out, Phrase{Part: "dataset", Text: ds.Title})
	} else {
		if len(d.Measures) == 0 {
			out = append(out, Phrase{Part: "measure.0", Text: "What to measure?", Missing: true})
		}
		for i, m := range d.Measures {
			if i > 0 {
				plain("and")
			}
			text := measure(m, ds, i == 0)
			out = append(out, Phrase{Part: fmt.Sprintf("measure.%d", i), Text: text, Missing: m.Field == "" && m.Name == "" && m.Formula == ""})
		}
		plain("of")
		out = append(out, Phrase{Part: "dataset", Text: ds.Title})
	}
	for i, dim := range d.By {
		f, err := ds.Field(dim.Field)
		switch {
		case err != nil:
			out = append(out, Phrase{Part: fmt.Sprintf("by.%d", i), Text: "by which field?", Missing: true})
		case f.Type.Temporal():
			grain := "per fitting step"
			if dim.Grain != 0 {
				grain = "per " + dim.Grain.String()
			} else if dim.Part != 0 {
				grain = "by " + dim.Part.String()
			}
			out = append(out, Phrase{Part: fmt.Sprintf("grain.%d", i), Text: grain}, Phrase{Text: "of"}, Phrase{Part: fmt.Sprintf("by.%d", i), Text: f.Label})
		default:
			plain("by")
			out = append(out, Phrase{Part: fmt.Sprintf("by.%d", i), Text: f.Label})
			if dim.Largest > 0 {
				out = append(out, Phrase{Part: fmt.Sprintf("cut.%d", i), Text: cut(dim)})
			}
		}
	}
	if d.Split != nil {
		plain("split by")
		text, missing := "which field?", true
		if f, err := ds.Field(d.Split.Field); err == nil {
			text, missing = f.Label, false
		}
		out = append(out, Phrase{Part: "split", Text: text, Missing: missing})
		if d.Split.Largest > 0 {
			out = append(out, Phrase{Part: "cut", Text: cut(*d.Split)})
		}
	}
	if d.Where != nil {
		plain("only where")
		out = append(out, Phrase{Part: "where", Text: ds.Words(*d.Where)})
	}
	plain("as")
	out = append(out, Phrase{Part: "form", Text: d.Form.Words()})
	for i := range out {
		part, _, _ := strings.Cut(out[i].Part, ".")
		out[i].Comma = part == "grain" || part == "cut" || out[i].Part == "" && (out[i].Text == "by" || out[i].Text == "split by" || out[i].Text == "only where" || out[i].Text == "as")
	}
	return out
}

func measure(m query.Measure, ds *dataset.Dataset, first bool) string {
	text := m.Aggregate.Words() + " of which field?"
	switch {
	case m.Name != "" || m.Formula != "":
		text = chart.MeasureLabel(query.Measure{Name: m.Name, Formula: m.Formula}, ds)
		first = true
	case m.Field != "":
		text = strings.ToUpper(m.Aggregate.Words()[:1]) + chart.MeasureLabel(query.Measure{Aggregate: m.Aggregate, Field: m.Field}, ds)[1:]
	}
	if !first {
		text = strings.ToLower(text[:1]) + text[1:]
	}
	if m.Where != nil {
		text += " where " + ds.Words(*m.Where)
	}
	return text
}

func cut(d query.Dimension) string {
	text := fmt.Sprintf("the largest %d", d.Largest)
	if d.Largest == 1 {
		text = "the largest"
	}
	if d.Others {
		text += " with others together"
	}
	return text
}

// Text returns the sentence as one line.
func Text(d *chart.Document, ds *dataset.Dataset) string {
	var b strings.Builder
	for i, p := range Of(d, ds) {
		if p.Comma {
			b.WriteByte(',')
		}
		if i > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(p.Text)
	}
	return b.String()
}

// Title is the chart's own title, or one that follows the sentence: "Yard cost per
// week, by kind".
func Title(d *chart.Document, ds *dataset.Dataset) string {
	if d.Title != "" {
		return d.Title
	}
	if ds == nil {
		return "New chart"
	}
	if d.Form == chart.Records || len(d.Measures) == 0 {
		return ds.Title
	}
	var names []string
	for _, m := range d.Measures {
		f, err := ds.Field(m.Field)
		switch {
		case m.Label != "" || m.Name != "" || m.Formula != "":
			names = append(names, chart.MeasureLabel(m, ds))
		case err != nil:
			names = append(names, ds.Title)
		case m.Aggregate == query.Sum:
			names = append(names, f.Label)
		default:
			names = append(names, m.Aggregate.Words()+" of "+lower(f.Label))
		}
	}
	title := strings.Join(names, ", ")
	for _, dim := range d.Dimensions() {
		f, err := ds.Field(dim.Field)
		switch {
		case err != nil:
		case dim.Part != 0:
			title += ", by " + dim.Part.String() + " of " + lower(f.Label)
		case f.Type.Temporal() && dim.Grain != 0:
			title += " per " + dim.Grain.String()
		case f.Type.Temporal():
			title += " over time"
		default:
			title += ", by " + lower(f.Label)
		}
	}
	return title
}

func lower(s string) string { return strings.ToLower(s[:1]) + s[1:] }

// Missing says what keeps the chart from being drawn, "" when nothing does.
func Missing(d *chart.Document, ds *dataset.Dataset) string {
	if ds == nil {
		return "Choose which records the chart is about."
	}
	if err := d.Check(ds); err != nil {
		if p := problem.Of(err); p != nil {
			return p.Words
		}
		return err.Error()
	}
	return ""
}
