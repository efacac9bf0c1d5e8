package dataset

import (
	"encoding/json"
	"fmt"
	"regexp"
	"slices"

	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/upgrade"
)

// A RowRule gives viewers of some roles the records that meet a condition.
type RowRule struct {
	Roles []string         `json:"roles"`
	Where filter.Condition `json:"where"`
	Words string           `json:"words,omitempty"` // for the reading line: "at your yard"
}

// Everyone is the role that every viewer has.
const Everyone = "everyone"

// For tells whether the rule speaks of a viewer with these roles.
func (r RowRule) For(roles []string) bool { return Among(r.Roles, roles) }

// Among tells whether somebody of some roles is among those whom a list of roles names.
func Among(listed, roles []string) bool {
	return slices.ContainsFunc(listed, func(role string) bool { return role == Everyone || slices.Contains(roles, role) })
}

// HiddenColumns are columns that only some roles may see.
type HiddenColumns struct {
	Columns []string `json:"columns"`
	Except  []string `json:"except"` // the roles that may
}

// TableRules say which rows and columns of a table viewers may see. In a row rule's
// condition a field is a column, or a column behind links: vessel_id.customer_id.home_port.
type TableRules struct {
	Table    string          `json:"table"`
	RowRules []RowRule       `json:"row_rules"`
	Hidden   []HiddenColumns `json:"hidden,omitempty"`
}

// SourceRules are the rules of a source's tables, as a document.
type SourceRules struct {
	Version int          `json:"version"`
	Source  string       `json:"source"`
	Tables  []TableRules `json:"tables"`
}

var ruleUpgrades = upgrade.Chain{Kind: "document of row rules"}

// RulesVersion is the version of row rules that is written.
var RulesVersion = ruleUpgrades.Version()

// ReadRules reads a document of rules, without looking at the source.
func ReadRules(data []byte) (*SourceRules, error) {
	data, err := ruleUpgrades.Read(data)
	if err != nil {
		return nil, err
	}
	var r SourceRules
	return &r, problem.Decode(data, &r)
}

// A RulesDocument is the rules of one table as they are kept, with a history of their own.
type RulesDocument struct {
	Version int    `json:"version"`
	Source  string `json:"source"`
	TableRules
}

// ReadTableRules reads the rules of one table.
func ReadTableRules(data []byte) (*RulesDocument, error) {
	data, err := ruleUpgrades.Read(data)
	if err != nil {
		return nil, err
	}
	var r RulesDocument
	return &r, problem.Decode(data, &r)
}

// JSON writes the rules as they are kept.
func (r *RulesDocument) JSON() []byte {
	b, _ := json.MarshalIndent(r, "", "  ")
	return b
}

// JSON writes the rules as files and the API carry them.
func (r *SourceRules) JSON() []byte {
	b, _ := json.MarshalIndent(r, "", "  ")
	return b
}

// With returns the catalogue with rules on its tables. A rule that does not suit its
// table, or whose table is not there, is an error.
func (c Catalogue) With(r *SourceRules) (Catalogue, error) {
	out := make(Catalogue, len(c))
	for i, t := range c {
		copied := *t
		copied.Rules = nil
		out[i] = &copied
	}
	for i := range r.Tables {
		rules := &r.Tables[i]
		t := out.Table(rules.Table)
		place := fmt.Sprintf("tables[%d]", i)
		if t == nil {
			return nil, problem.New(problem.NotFound, place+".table", "The source has no table “%s” that may be read.", rules.Table)
		}
		if t.Rules != nil {
			return nil, problem.New(problem.Invalid, place+".table", "There are rules for %s twice.", t.Name)
		}
		t.Rules = rules
	}
	for i := range r.Tables {
		t := out.Table(r.Tables[i].Table)
		if err := t.checkRules(out); err != nil {
			return nil, problem.At(fmt.Sprintf("tables[%d]", i), err)
		}
	}
	return out, nil
}

func (t *Table) checkRules(c Catalogue) error {
	for i, r := range t.Rules.RowRules {
		if err := checkRule(r, NewTableScope(t, c, nil, checking())); err != nil {
			return problem.At(fmt.Sprintf("row_rules[%d]", i), err)
		}
	}
	for i, h := range t.Rules.Hidden {
		for _, name := range h.Columns {
			if t.Column(name) == nil {
				return problem.New(problem.NotFound, fmt.Sprintf("hidden[%d].columns", i), "%s has no column “%s”.", t.Name, name)
			}
		}
	}
	return nil
}

// checkRule tells what is wrong with a row rule over the fields of a scope.
func checkRule(r RowRule, s *Scope) error {
	if len(r.Roles) == 0 {
		return problem.New(problem.Missing, "roles", "Say which roles the rule is for.")
	}
	for _, name := range r.Where.Fields() {
		if _, err := s.Column(name); err != nil {
			return problem.At("where", err)
		}
	}
	if r.Where.Borrows() {
		return problem.New(problem.Invalid, "where", "A row rule compares with literals and with attributes of the viewer; it takes no setting and no condition kept by name.")
	}
	return problem.At("where", r.Where.ForFilter(nil).Check(s))
}

// A Guard is what one viewer may see of the tables. Package rule makes it; the nil Guard
// hides nothing.
type Guard struct {
	// Rows are the records that may be seen, by table; all of a table that is not named.
	Rows map[string]filter.Condition
	// Columns are the columns that may not be seen, by table.
	Columns map[string]map[string]bool
	// Own are the records that the dataset's own rules leave.
	Own filter.Condition
	// Fields are the dataset's fields that may not be seen, for their own sake.
	Fields map[string]bool
}

// restricts tells whether some records of t are kept from the viewer.
func (g *Guard) restricts(t *Table) bool {
	if g == nil {
		return false
	}
	for _, base := range t.Bases() {
		if c, ok := g.Rows[base.ID()]; ok && !c.IsZero() {
			return true
		}
	}
	return false
}

// hides tells whether the viewer may not see a field: it stands on a hidden column.
func (g *Guard) hides(d *Dataset, f *Field) bool {
	if g == nil {
		return false
	}
	if g.Fields[f.Name] {
		return true
	}
	hidden := false
	if f.own != nil { // nobody but its author has looked at what it shows
		for _, name := range append(formula.Uses(f.own.Formula), f.own.Of) {
			used := d.everything().fields[name]
			hidden = hidden || used != nil && g.hides(d, used)
		}
	}
	d.needs(f, func(t *Table, column string) {
		if t.derived == nil {
			hidden = hidden || g.Columns[t.ID()][column]
		}
	})
	return hidden
}

// hidesTable tells whether a query that the dataset is made of reads a hidden column.
func (g *Guard) hidesTable(t *Table) bool {
	if g == nil || t.derived == nil {
		return false
	}
	for _, base := range t.derived.Reads {
		for column := range g.Columns[base.ID()] {
			if t.derived.Mentions == nil || t.derived.Mentions[column] {
				return true
			}
		}
	}
	return false
}

// For returns the dataset as a viewer knows it: without the fields they may not see.
func (d *Dataset) For(g *Guard) *Dataset {
	if g == nil {
		return d
	}
	out := *d
	out.order, out.fields = nil, map[string]*Field{}
	for _, f := range d.order {
		if !g.hides(d, f) {
			out.order, out.fields[f.Name] = append(out.order, f), f
		}
	}
	out.all, out.guard = d.everything(), g
	if d.bare != nil {
		out.bare = d.bare.For(g)
	}
	out.restricted = !g.Own.IsZero()
	for _, c := range g.Rows {
		out.restricted = out.restricted || !c.IsZero()
	}
	return &out
}

// In returns the dataset with its values written in the manner of a locale.
func (d *Dataset) In(m *locale.Manner) *Dataset {
	out := *d
	out.all, out.Manner = d.everything(), m
	if d.bare != nil {
		out.bare = d.bare.In(m)
	}
	return &out
}

// Viewed names the attributes of the viewer that the dataset speaks of besides its row rules:
// in its base filter, its conditions and its fields.
func (d *Dataset) Viewed() []string { return d.viewed }

var viewed = regexp.MustCompile(`"viewer":"([^"]*)"`)

// speaks finds them.
func (d *Document) speaks() (out []string) {
	of := *d
	of.RowRules = nil
	b, _ := json.Marshal(&of)
	for _, m := range viewed.FindAllSubmatch(b, -1) {
		out = append(out, string(m[1]))
	}
	return out
}

// Whole is the dataset with all its fields, the same for all viewers of one resolved dataset.
func (d *Dataset) Whole() *Dataset { return d.everything() }

// everything is the dataset with all its fields.
func (d *Dataset) everything() *Dataset {
	if d.all != nil {
		return d.all
	}
	return d
}
