package rule

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/problem"
)

// A Scope is what a viewer may see of some datasets: what was computed for one viewer may be
// shown to another only under the same scope. Like a Sealed it comes from here alone.
type Scope struct {
	key    string
	tables map[string][]string // by source
	live   bool
	made   bool
}

// ScopeOf returns the scope of a viewer over datasets, for a question that speaks of some of
// the viewer's attributes besides the row rules.
func ScopeOf(v Viewer, attributes []string, sets ...*dataset.Dataset) Scope {
	s := Scope{tables: map[string][]string{}, live: true, made: true}
	type part struct {
		Dataset string
		Guard   *dataset.Guard // with the viewer's attributes put in; nil for everything
	}
	var parts []part
	for _, ds := range sets {
		parts = append(parts, part{ds.Source + "/" + ds.Name, Guard(ds, v)})
		s.tables[ds.Source] = append(s.tables[ds.Source], ds.Heard()...)
		s.live = s.live && ds.Live()
	}
	own := filter.Attributes{}
	for _, name := range attributes {
		own[name] = v.Attributes[name]
	}
	for source, tables := range s.tables {
		slices.Sort(tables)
		s.tables[source] = slices.Compact(tables)
	}
	b, err := json.Marshal(struct {
		Parts      []part
		Attributes filter.Attributes
	}{parts, own})
	if err != nil {
		return Scope{} // it is no scope then, and nothing is looked up by it
	}
	sum := sha256.Sum256(b)
	s.key = hex.EncodeToString(sum[:])
	return s
}

// Key is the same for viewers who may see the same.
func (s Scope) Key() string { return s.key }

// Tables are those whose changes change what was computed, by source.
func (s Scope) Tables() map[string][]string { return s.tables }

// Live tells whether every change of them is announced.
func (s Scope) Live() bool { return s.live }

// CheckScope tells whether a scope was made by this package.
func CheckScope(s Scope) error {
	if !s.made || s.key == "" {
		return problem.New(problem.Forbidden, "", "This question has not passed the row rules.")
	}
	return nil
}

// Everything is what Sees says of those from whom nothing is kept.
const Everything = "everything"

// Sees is what a viewer may see of a dataset, written down: two who may see the same have the same.
func Sees(ds *dataset.Dataset, v Viewer) string {
	g := Guard(ds, v)
	if g == nil {
		return Everything
	}
	kept := len(g.Rows) + len(g.Fields)
	for _, c := range g.Columns {
		kept += len(c)
	}
	if kept == 0 && g.Own.IsZero() {
		return Everything
	}
	b, err := json.Marshal(g)
	if err != nil {
		return "" // nobody sees it then
	}
	return string(b)
}
