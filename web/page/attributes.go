package page

import (
	"cmp"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/identity"
	"eskadel/web/gate"
	"eskadel/workspace"
)

// mostTicks is how many values are ticked one by one; more are chosen from a list.
const mostTicks = 24

// An AttributeRow is an attribute with the values that it may have: to be ticked, or of which one
// after the other is picked.
type AttributeRow struct {
	Label, Name string
	Ticks       []Tick
	Picks       [][]Tick
}

// Attributed is what a form offers of attributes: those whose values are known, and besides them pairs
// of a name and a value.
type Attributed struct {
	Rows  []AttributeRow
	Known []string // names of attributes whose values are not
	Kept  []Pair
}

// Attributed offers the attributes that row rules speak of, with those that somebody has.
func (s *Server) Attributed(c *gin.Context, names []string, kept map[string]any) (*Attributed, error) {
	known, err := s.Workspace.Attributes(c.Request.Context(), gate.Caller(c))
	if err != nil {
		return nil, err
	}
	out := &Attributed{}
	offered := map[string]bool{}
	for _, a := range known {
		if len(a.Values) == 0 {
			continue
		}
		offered[a.Name] = true
		out.Rows = append(out.Rows, attributeRow(a, identity.Typed(kept[a.Name])))
	}
	for _, name := range names {
		if !offered[name] {
			out.Known = append(out.Known, name)
		}
	}
	for _, p := range Pairs(kept) {
		if !offered[p.Name] {
			out.Kept = append(out.Kept, p)
		}
	}
	return out, nil
}

func attributeRow(a workspace.Attribute, has []string) AttributeRow {
	row := AttributeRow{Label: dataset.ColumnLabel(a.Name), Name: a.Name}
	var all []Tick
	listed := map[string]bool{}
	for _, v := range a.Values {
		listed[v.Key] = true
		all = append(all, Tick{a.Name + "=" + v.Key, v.Label, slices.Contains(has, v.Key)})
	}
	slices.SortStableFunc(all, func(x, y Tick) int { return cmp.Compare(strings.ToLower(x.Words), strings.ToLower(y.Words)) })
	for _, v := range has { // no record has it any more, or none yet
		if !listed[v] {
			all = append(all, Tick{a.Name + "=" + v, v, true})
		}
	}
	if len(all) <= mostTicks {
		row.Ticks = all
		return row
	}
	for i := range all {
		if all[i].On {
			row.Picks = append(row.Picks, only(all, i))
		}
	}
	row.Picks = append(row.Picks, only(all, -1))
	return row
}

// only are choices of which one is chosen.
func only(all []Tick, on int) []Tick {
	out := slices.Clone(all)
	for i := range out {
		out[i].On = i == on
	}
	return out
}

// Held are one's own attributes, all of them ticked.
func Held(kept map[string]any) (out []Tick) {
	for _, p := range Pairs(kept) {
		out = append(out, Tick{p.Name + "=" + p.Value, dataset.ColumnLabel(p.Name) + " " + p.Value, true})
	}
	return out
}
