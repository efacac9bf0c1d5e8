// Package rule is the one gate between a plan and the records. Seal puts a dataset's
// row rules, for one viewer, into a plan and compiles it; only what Seal returns can
// be run by source or looked up by live. There is no other way to make a Sealed.
package rule

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

// A Viewer is whoever asks.
type Viewer struct {
	ID         string
	Name       string
	Roles      []string
	Attributes filter.Attributes
	// Language is that of the page around, by whose manner numbers and dates are written; "" for the workspace's.
	Language string `json:",omitempty"`
	// Builder is set for people who hold the source's own rights: every row is theirs to see.
	Builder bool
}

// Sealed is one or more statements, to be run on one snapshot, that carry the row rules.
type Sealed interface {
	Source() string                    // the name of the source
	Tables() []string                  // the ids of the tables whose changes change the answer
	Live() bool                        // every change of them is announced
	Statements() []statement.Statement // what to run
	Key() string                       // the same for the same question under the same rules
	sealed() bool
}

type seal struct {
	source     string
	tables     []string
	live       bool
	statements []statement.Statement
	made       bool
}

func sealOf(ds *dataset.Dataset, sts []statement.Statement) *seal {
	return &seal{ds.Source, ds.Heard(), ds.Live(), sts, true}
}

func (s *seal) Source() string                    { return s.source }
func (s *seal) Tables() []string                  { return s.tables }
func (s *seal) Live() bool                        { return s.live }
func (s *seal) Statements() []statement.Statement { return s.statements }
func (s *seal) sealed() bool                      { return s != nil && s.made }

func (s *seal) Key() string {
	h := sha256.New()
	fmt.Fprint(h, s.source)
	for _, st := range s.statements {
		fmt.Fprintf(h, "\x00%s", st.SQL)
		for _, a := range st.Args {
			fmt.Fprintf(h, "\x00%T %v", a, a)
		}
	}
	return hex.EncodeToString(h.Sum(nil))
}

// Check tells whether s was made by this package; a nil or foreign value was not.
func Check(s Sealed) error {
	if made, ok := s.(*seal); !ok || !made.sealed() {
		return problem.New(problem.Forbidden, "", "This question has not passed the row rules.")
	}
	return nil
}

// A Plan compiles to one statement.
type Plan interface {
	Data() *dataset.Dataset
	Compile(*dataset.Guard) (statement.Statement, error)
}

// Plans compile to several statements that must see the same records.
type Plans interface {
	Data() *dataset.Dataset
	Compile(*dataset.Guard) ([]statement.Statement, error)
}

// allowed returns which records some rules give a viewer: those of any rule for any of
// their roles. A viewer for whom there is no rule is given none.
func allowed(rules []dataset.RowRule, v Viewer) filter.Condition {
	var any []filter.Condition
	for _, r := range rules {
		if !r.For(v.Roles) {
			continue
		}
		c := r.Where.ForRule(v.Attributes)
		if c.IsZero() {
			return c
		}
		if !c.IsNever() {
			any = append(any, c)
		}
	}
	switch len(any) {
	case 0:
		return filter.Never()
	case 1:
		return any[0]
	}
	return filter.Condition{Any: any}
}

// Guard returns what a viewer may see of a dataset and of every table it reads; nil for
// those who may see everything. A table without rules shows nothing.
func Guard(ds *dataset.Dataset, v Viewer) *dataset.Guard {
	if v.Builder {
		return nil
	}
	g := &dataset.Guard{Rows: map[string]filter.Condition{}, Columns: map[string]map[string]bool{}, Fields: map[string]bool{}}
	for id, rules := range ds.Rules() {
		if rules == nil {
			g.Rows[id] = filter.Never()
			continue
		}
		if c := allowed(rules.RowRules, v); !c.IsZero() {
			g.Rows[id] = c
		}
		for _, h := range rules.Hidden {
			if dataset.Among(h.Except, v.Roles) {
				continue
			}
			if g.Columns[id] == nil {
				g.Columns[id] = map[string]bool{}
			}
			for _, c := range h.Columns {
				g.Columns[id][c] = true
			}
		}
	}
	if len(ds.RowRules) > 0 {
		g.Own = allowed(ds.RowRules, v)
	}
	for _, f := range ds.Fields {
		if len(f.SeenBy) > 0 && !dataset.Among(f.SeenBy, v.Roles) {
			g.Fields[f.Name] = true
		}
	}
	return g
}

// See returns a dataset as a viewer knows it: without the fields they may not see.
func See(ds *dataset.Dataset, v Viewer) *dataset.Dataset { return ds.For(Guard(ds, v)) }

// Nothing tells whether the rules let a viewer see no record of a dataset at all, whatever the records are.
func Nothing(ds *dataset.Dataset, v Viewer) bool {
	g := Guard(ds, v)
	if g == nil {
		return false
	}
	return g.Own.IsNever() || slices.ContainsFunc(ds.Table.Bases(), func(t *dataset.Table) bool {
		c, ruled := g.Rows[t.ID()]
		return ruled && c.IsNever()
	})
}

// Words says, for the reading line, which records the rules leave; "" when all.
func Words(ds *dataset.Dataset, v Viewer) string {
	g := Guard(ds, v)
	if g == nil {
		return ""
	}
	var parts []string
	for _, t := range ds.Table.Bases() {
		rules := ds.Rules()[t.ID()]
		if rules == nil {
			return "none, for want of a rule for you"
		}
		if c, narrowed := g.Rows[t.ID()]; narrowed && !c.IsZero() {
			parts = append(parts, words(rules.RowRules, v, func(c filter.Condition) string { return c.Words(ds.Manner, dataset.ColumnLabel, nil) }))
		}
	}
	if !g.Own.IsZero() {
		parts = append(parts, words(ds.RowRules, v, ds.Words))
	}
	return strings.Join(slices.Compact(parts), " and ")
}

func words(rules []dataset.RowRule, v Viewer, say func(filter.Condition) string) string {
	var out []string
	for _, r := range rules {
		if !r.For(v.Roles) {
			continue
		}
		w := r.Words
		if w == "" {
			w = "whose " + say(r.Where)
		}
		out = append(out, w)
	}
	if len(out) == 0 {
		return "none, for want of a rule for you"
	}
	return strings.Join(out, " or ")
}

// Publishable tells in words what keeps a dataset from being shown to viewers.
func Publishable(ds *dataset.Dataset) error {
	if t := ds.Ruleless(); t != nil {
		return problem.New(problem.Missing, "row_rules", "Nobody has said yet who may see which records of the table %s, which %s read. Give it a row rule, or “every row for everyone” in so many words, before it is shown to viewers.", t.Name, ds.Title)
	}
	return nil
}

// A Changing is a sealed change of a record: three statements of one transaction, as sql.Change
// writes them. Nothing else can be run by who changes records.
type Changing struct{ seal *seal }

// Source is the name of the source.
func (c Changing) Source() string { return c.seal.source }

// Steps are what finds the record and holds it, what changes it, and what finds it again.
func (c Changing) Steps() (find, set, again statement.Statement) {
	sts := c.seal.statements
	return sts[0], sts[1], sts[2]
}

// CheckChange tells whether a change was made by this package.
func CheckChange(c Changing) error {
	if !c.seal.sealed() || len(c.seal.statements) != 3 {
		return problem.New(problem.Forbidden, "", "This change has not passed the row rules.")
	}
	return nil
}

// SealChange puts the viewer's row rules into a change.
func SealChange(p Plans, v Viewer) (Changing, error) {
	sts, err := p.Compile(Guard(p.Data(), v))
	if err != nil {
		return Changing{}, err
	}
	return Changing{sealOf(p.Data(), sts)}, nil
}

// Seal puts the viewer's row rules into a plan.
func Seal(p Plan, v Viewer) (Sealed, error) {
	st, err := p.Compile(Guard(p.Data(), v))
	if err != nil {
		return nil, err
	}
	return sealOf(p.Data(), []statement.Statement{st}), nil
}

// SealAll does the same for plans of several statements.
func SealAll(p Plans, v Viewer) (Sealed, error) {
	sts, err := p.Compile(Guard(p.Data(), v))
	if err != nil {
		return nil, err
	}
	return sealOf(p.Data(), sts), nil
}
