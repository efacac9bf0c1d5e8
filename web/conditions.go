package web

import (
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/view"
)

func number(s string) int64 {
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil || n < 0 {
		return 1 << 40
	}
	return n
}

// several stands for the type of a field that holds several values.
const several = "several"

// A conditionField is what the condition editor knows of a field.
type conditionField struct {
	Name  string   `json:"name"`
	Label string   `json:"label"`
	Type  string   `json:"type"`
	Link  bool     `json:"link,omitempty"`
	List  []string `json:"list,omitempty"`
}

// conditionChoices is all that the condition editor offers, in the words of the core.
type conditionChoices struct {
	Fields   []conditionField      `json:"fields"`
	Ops      map[string][][]string `json:"ops"` // by type: operator, words
	Ranges   [][]string            `json:"ranges"`
	Parts    [][]string            `json:"parts"`
	Named    [][]string            `json:"named,omitempty"`
	Settings [][]string            `json:"settings,omitempty"`
}

func conditionFields(fields []conditionField) conditionChoices {
	out := conditionChoices{Fields: fields, Ops: map[string][][]string{}}
	for _, t := range field.Types() {
		for _, op := range filter.Ops() {
			if op.Suits(t) {
				out.Ops[t.String()] = append(out.Ops[t.String()], []string{string(op), op.Words()})
			}
		}
	}
	for _, op := range filter.Ops() {
		if words, ok := op.Several(); ok {
			out.Ops[several] = append(out.Ops[several], []string{string(op), words})
		}
	}
	for _, n := range period.Names() {
		r := period.Relative{Named: n}
		b, _ := r.MarshalJSON()
		out.Ranges = append(out.Ranges, []string{string(b), r.Words(nil)})
	}
	for _, u := range period.Units() {
		for _, n := range []int{3, 12} {
			r := period.Relative{Last: n, Unit: u}
			b, _ := r.MarshalJSON()
			out.Ranges = append(out.Ranges, []string{string(b), r.Words(nil)})
		}
	}
	return out
}

// datasetFields is what the condition editor offers of a dataset.
func datasetFields(ds *dataset.Dataset) conditionChoices {
	var fields []conditionField
	for _, f := range ds.Order() {
		kind := f.KeyType().String()
		if f.Several {
			kind = several
		}
		fields = append(fields, conditionField{f.Name, f.Label, kind, f.IsLink(), f.List})
	}
	out := conditionFields(fields)
	for _, n := range ds.Conditions {
		out.Named = append(out.Named, []string{n.Name, n.Title})
	}
	for _, set := range ds.Settings {
		out.Settings = append(out.Settings, []string{set.Name, ds.Label(set.Name)})
	}
	return out
}

// tableFields is what it offers of a table: its columns, and those one link away.
func tableFields(t *dataset.Table, find func(id string) *dataset.Table) (out []conditionField) {
	for _, c := range t.Columns {
		out = append(out, conditionField{c.Name, dataset.Tidy(c.Name), c.Type.String(), false, c.List})
	}
	for i := range t.Links {
		l := &t.Links[i]
		to := find(l.Table)
		if to == nil {
			continue
		}
		for _, c := range to.Columns {
			out = append(out, conditionField{l.Name() + "." + c.Name, l.Label() + " → " + dataset.Tidy(c.Name), c.Type.String(), false, c.List})
		}
	}
	return out
}

// conditionWords says a condition in words, with how many records meet it.
func (s *Server) conditionWords(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	var cond filter.Condition
	if err == nil {
		cond, err = conditionFrom(c, "where")
	}
	count := ""
	if err == nil && c.Query("base") != "" {
		open := *ds
		open.BaseFilter = nil
		ds = &open
	}
	if err == nil {
		count, err = s.ws.CountWhere(c.Request.Context(), caller(c), ds, cond)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, 200, "condition-words", gin.H{"Words": ds.Words(cond), "Count": count})
}

// conditionValues offers values of a field for the condition editor.
func (s *Server) conditionValues(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	var out []view.Listed
	if err == nil {
		out, err = s.ws.Values(c.Request.Context(), caller(c), ds, c.Query("field"), c.Query("find"))
	}
	s.respond(c, out, err)
}
