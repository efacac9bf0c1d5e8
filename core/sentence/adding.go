package sentence

import (
	"fmt"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/query"
)

func (m *Menu) additions(d *chart.Document, ds *dataset.Dataset) {
	unfold := func(label, part string) {
		m.Choices = append(m.Choices, Choice{Label: label, Document: clone(d), Next: part})
	}
	if !d.Form.Lists() {
		if len(d.By) < query.Most {
			unfold("another group: "+saysPer.say()+" or "+saysBy.say()+" …", fmt.Sprintf("by.%d", len(d.By)))
		}
		if d.Split == nil && len(d.By) > 0 {
			unfold(saysSplit.say()+" …", "split")
		}
		if d.Split != nil && len(d.By) == 1 {
			m.add("the group and the split the other way round", d, func(c *chart.Document) {
				c.By[0], *c.Split = *c.Split, c.By[0]
			})
		}
		if d.Split != nil && len(d.Dimensions()) < query.Most {
			unfold("split further: "+saysAndBy.say()+" …", across+"."+count(len(d.Across)))
		}
		if d.Split != nil && d.Split.Sort == nil {
			unfold("the split "+saysOrder.say()+" …", "sort")
		}
		if d.Split != nil && d.Split.Largest == 0 {
			unfold("only the largest few of the split …", "cut")
		}
		for i, dim := range d.By {
			if f, err := ds.Field(dim.Field); err == nil && !f.Type.Temporal() && dim.Largest == 0 {
				unfold("only the largest few of "+f.Label+" …", fmt.Sprintf("cut.%d", i))
			}
		}
		if len(d.Measures) < query.Most {
			unfold("another measure …", fmt.Sprintf("measure.%d", len(d.Measures)))
		}
	}
	unfold(saysWhere.say()+" …", "where")
	if len(d.Own) < query.MostOwn {
		unfold("a field of your own, by a formula …", "own."+count(len(d.Own)))
	}
	if d.Form.Lists() {
		if len(d.Show) == 0 {
			unfold("the fields …", "show")
		}
		if d.Order == nil {
			unfold(saysOrder.say()+" …", "order")
		}
		if d.Most == 0 {
			unfold("only the first few …", "most")
		}
		return
	}
	if d.Sets != nil && len(d.By) <= 1 && d.Split == nil && len(d.Also) < query.MostBeside && d.Width() < query.Most {
		unfold("another dataset "+saysBeside.say()+" it …", fmt.Sprintf("also.%d", len(d.Also)))
	}
	if d.Compare == nil {
		unfold(saysCompared.say()+" …", "compare")
	}
	finish := func(label, section string) {
		m.Choices = append(m.Choices, Choice{Label: label, Document: clone(d), Section: section})
	}
	if d.Target == nil {
		finish(strings.TrimSuffix(saysTarget.say(), " "+saysOf.say())+" …", inTarget)
	}
	if len(d.By) == 1 && d.By[0].OnAxis(ds) && d.Split == nil {
		m.add("years laid over each other", d, func(c *chart.Document) {
			date := d.By[0].Field
			c.By[0] = query.Dimension{Field: date, Part: period.MonthOfYear}
			c.Split = &query.Dimension{Field: date, Grain: period.Year}
			c.Measures, c.Compare, c.Target, c.Trend, c.Forecast, c.Form = c.Measures[:1], nil, nil, false, 0, chart.Line
		})
	}
	for i, measured := range d.Measures {
		if measured.Then == nil && len(d.Dimensions()) > 0 {
			unfold(locale.Lower(chart.MeasureLabel(measured, ds))+" as a running total, share …", fmt.Sprintf("then.%d", i))
		}
	}
	for i, dim := range d.By {
		if f, err := ds.Field(dim.Field); err == nil && !f.Type.Temporal() && dim.Sort == nil {
			unfold(saysOrder.say()+" … ("+f.Label+")", fmt.Sprintf("sort.%d", i))
		}
	}
	if len(d.By) > 0 {
		unfold(saysLine.say()+" …", "lines")
		finish(saysLine.say()+" a number of your own …", inLines)
	}
	if len(d.By) == 1 && d.By[0].OnAxis(ds) && !d.Trend {
		unfold(saysWith.say()+" "+saysTrend.say()+" "+saysOr.say()+" a forecast …", "trend")
	}
}
