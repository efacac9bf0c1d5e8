// Package sentence says a chart's definition in plain words. Each phrase is also the
// control that changes it: Choices lists what a phrase may become, each choice with
// the whole chart document that would result. It draws and asks nothing.
package sentence

import (
	"fmt"
	"strings"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/locale"
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
	if d.Form.Lists() {
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
			if m.Aside {
				plain("in the tips")
			}
			if m.Then != nil {
				plain("as a")
				out = append(out, Phrase{Part: fmt.Sprintf("then.%d", i), Text: locale.Lower(chart.MadeWords(m.Then))})
			}
		}
		plain("of")
		out = append(out, Phrase{Part: "dataset", Text: ds.Title})
		out = append(out, beside(d)...)
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
			if dim.Largest+dim.Smallest > 0 {
				out = append(out, Phrase{Part: fmt.Sprintf("cut.%d", i), Text: cut(dim)})
			}
			if dim.Sort != nil {
				plain("in order of")
				out = append(out, Phrase{Part: fmt.Sprintf("sort.%d", i), Text: order(dim.Sort, d, ds)})
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
		if d.Split.Grain != 0 && !missing {
			text += " per " + d.Split.Grain.String()
			out[len(out)-1].Text = text
		}
		if d.Split.Largest+d.Split.Smallest > 0 {
			out = append(out, Phrase{Part: "cut", Text: cut(*d.Split)})
		}
	}
	for _, dim := range d.Across {
		plain("and " + ds.Label(dim.Field))
	}
	if d.Where != nil {
		plain("only where")
		text := ds.Words(*d.Where)
		for i, name := range d.Instead {
			text += map[bool]string{true: " instead of what the dashboard says of ", false: " and "}[i == 0] + ds.Label(name)
		}
		out = append(out, Phrase{Part: "where", Text: text})
	}
	if d.Compare != nil {
		plain("compared with")
		out = append(out, Phrase{Part: "compare", Text: d.Compare.Words(ds.Manner)})
	}
	if d.Target != nil {
		plain("against a target " + target(d.Target))
	}
	if len(d.Results) > 0 {
		plain("only groups " + results(d, ds))
	}
	if len(d.Lines) > 0 {
		plain("with a line at")
		out = append(out, Phrase{Part: "lines", Text: lines(d.Lines)})
	}
	if d.Trend || d.Forecast > 0 {
		plain("with")
		text := "its trend"
		if d.Forecast > 0 {
			text = fmt.Sprintf("a straight-line forecast of %d steps", d.Forecast)
			if d.Trend {
				text = "its trend and " + text
			}
		}
		out = append(out, Phrase{Part: "trend", Text: text})
	}
	plain("as")
	out = append(out, Phrase{Part: "form", Text: d.Form.Words()})
	for i := range out {
		part, _, _ := strings.Cut(out[i].Part, ".")
		out[i].Comma = part == "grain" || part == "cut" || out[i].Part == "" && (out[i].Text == "by" || out[i].Text == "split by" || out[i].Text == "only where" || out[i].Text == "as" || out[i].Text == "beside" || out[i].Text == "compared with" || out[i].Text == "in order of" || out[i].Text == "with" || out[i].Text == "with a line at" || strings.HasPrefix(out[i].Text, "against a target") || strings.HasPrefix(out[i].Text, "only groups"))
	}
	return out
}

func measure(m query.Measure, ds *dataset.Dataset, first bool) string {
	text := m.Aggregate.Is().Words + " of which field?"
	written := m.Name != "" || m.Formula != "" // by somebody, in letters of their own
	if written || m.Field != "" || m.Of != nil {
		unnamed := m
		unnamed.Label = ""
		text = chart.MeasureLabel(unnamed, ds)
	}
	if !first && !written {
		text = locale.Lower(text)
	}
	if m.Where != nil {
		text += " where " + ds.Words(*m.Where)
	}
	return text
}

func cut(d query.Dimension) string {
	text := fmt.Sprintf("the largest %d", d.Largest)
	switch {
	case d.Largest == 1:
		text = "the largest"
	case d.Smallest == 1:
		text = "the smallest"
	case d.Smallest > 0:
		text = fmt.Sprintf("the smallest %d", d.Smallest)
	}
	if d.Within {
		text += " of each"
	}
	if d.Others {
		text += " with others together"
	}
	return text
}

// order says what a dimension is sorted by.
func order(s *query.Sort, d *chart.Document, ds *dataset.Dataset) string {
	text := map[string]string{"label": "name", "list": "the pick list", "hand": "your own"}[s.By]
	if s.ByFigure() && s.Measure < len(d.Measures) {
		text = locale.Lower(chart.MeasureLabel(d.Measures[s.Measure], ds))
		if s.By != "measure" {
			text = map[string]string{"before": "what was before of ", "change": "change of ", "percent": "change in percent of "}[s.By] + text
		}
		if s.Descending {
			return text + ", largest first"
		}
		return text + ", smallest first"
	}
	if s.Descending {
		text += ", last first"
	}
	return text
}

func target(t *query.Target) string {
	switch {
	case t.Constant != "":
		return "of " + t.Constant.String()
	case t.Plan != "":
		return "from " + t.Plan
	}
	return "per " + t.Grain.String()
}

func results(d *chart.Document, ds *dataset.Dataset) string {
	var parts []string
	for _, r := range d.Results {
		if r.Measure >= len(d.Measures) {
			continue
		}
		text := locale.Lower(chart.MeasureLabel(d.Measures[r.Measure], ds))
		if r.Value != "" {
			text = r.Value + " of " + text
		}
		for _, limit := range []struct{ words, number string }{{"above", r.Above.String()}, {"at least", r.AtLeast.String()}, {"below", r.Below.String()}, {"at most", r.AtMost.String()}} {
			if limit.number != "" {
				text += " " + limit.words + " " + limit.number
			}
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, " and ")
}

func lines(list []query.Line) string {
	var parts []string
	for _, l := range list {
		switch {
		case l.Constant != "":
			parts = append(parts, l.Constant.String())
		case l.At == "percentile":
			parts = append(parts, "the percentile "+l.P.String())
		default:
			parts = append(parts, "the "+l.At)
		}
	}
	return strings.Join(parts, " and ")
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
	if d.Form.Lists() || len(d.Measures) == 0 {
		return ds.Title
	}
	var names []string
	for _, m := range d.Measures {
		if !m.Aside {
			names = append(names, titled(m, ds))
		}
	}
	for i, b := range d.Also {
		if set := d.Other(i); set != nil {
			names = append(names, Title(&chart.Document{Definition: query.Definition{Measures: b.Measures}, Form: d.Form}, set))
		}
	}
	title := strings.Join(names, ", ")
	for _, dim := range d.Dimensions() {
		f, err := ds.Field(dim.Field)
		switch {
		case err != nil:
		case dim.Part != 0 && dim.Field == ds.Date:
			title += ", by " + dim.Part.String()
		case dim.Part != 0:
			title += ", by " + dim.Part.String() + " of " + locale.Lower(f.Label)
		case dim.Grain != 0 && f.Type.Temporal() && len(d.By) > 0 && d.By[0].Part != 0 && d.By[0].Field == dim.Field:
			title += ", " + dim.Grain.String() + " by " + dim.Grain.String()
		case f.Type.Temporal() && dim.Grain != 0:
			title += " per " + dim.Grain.String()
		case f.Type.Temporal():
			title += " over time"
		default:
			title += ", by " + locale.Lower(f.Label)
		}
	}
	return title
}

// titled is what a measure is called in a title.
func titled(m query.Measure, ds *dataset.Dataset) (name string) {
	f, err := ds.Field(m.Field)
	switch {
	case m.Label != "":
		return m.Label
	case m.Name != "" || m.Formula != "":
		name = chart.MeasureLabel(m, ds)
	case err != nil:
		name = ds.Title
	case m.Aggregate == aggregate.Sum:
		name = f.Label
	case m.Aggregate == aggregate.Percentile:
		name = strings.TrimSuffix(chart.MeasureLabel(m, ds), f.Label) + locale.Lower(f.Label)
	case m.Aggregate == aggregate.Distinct:
		name = "Different " + dataset.Several(locale.Lower(f.Label))
	default:
		name = m.Aggregate.Is().Words + " of " + locale.Lower(f.Label)
	}
	if m.Then != nil {
		name = chart.Made(m.Then, name)
	}
	return name
}

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
