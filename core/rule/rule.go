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
	// Builder is set for people who hold the source's own rights: every row is theirs to see.
	Builder bool
}

// Sealed is one or more statements, to be run on one snapshot, that carry the row rules.
type Sealed interface {
	Source() string                    // the name of the source
	Tables() []string                  // the ids of the tables read
	Statements() []statement.Statement // what to run
	Key() string                       // the same for the same question under the same rules
	sealed() bool
}

type seal struct {
	source     string
	tables     []string
	statements []statement.Statement
	made       bool
}

func (s *seal) Source() string                    { return s.source }
func (s *seal) Tables() []string                  { return s.tables }
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
	Compile(rules filter.Condition) (statement.Statement, error)
}

// Plans compile to several statements that must see the same records.
type Plans interface {
	Data() *dataset.Dataset
	Compile(rules filter.Condition) ([]statement.Statement, error)
}

// Condition returns which records of ds the viewer may see: those of any rule for any
// of their roles. A viewer for whom there is no rule sees none.
func Condition(ds *dataset.Dataset, v Viewer) filter.Condition {
	if v.Builder {
		return filter.Condition{}
	}
	var any []filter.Condition
	for _, r := range applying(ds, v) {
		c := r.Where.ForRule(v.Attributes)
		if c.IsZero() {
			return c
		}
		any = append(any, c)
	}
	switch len(any) {
	case 0:
		return filter.Never()
	case 1:
		return any[0]
	}
	return filter.Condition{Any: any}
}

func applying(ds *dataset.Dataset, v Viewer) []dataset.RowRule {
	var out []dataset.RowRule
	for _, r := range ds.RowRules {
		for _, role := range r.Roles {
			if slices.Contains(v.Roles, role) {
				out = append(out, r)
				break
			}
		}
	}
	return out
}

// Words says, for the reading line, which records the rules leave; "" when all.
func Words(ds *dataset.Dataset, v Viewer) string {
	if Condition(ds, v).IsZero() {
		return ""
	}
	var words []string
	for _, r := range applying(ds, v) {
		w := r.Words
		if w == "" {
			w = "whose " + ds.Words(r.Where)
		}
		words = append(words, w)
	}
	if len(words) == 0 {
		return "none, for want of a rule for you"
	}
	return strings.Join(words, " or ")
}

// Publishable tells in words what keeps a dataset from being shown to viewers.
func Publishable(ds *dataset.Dataset) error {
	if len(ds.RowRules) == 0 {
		return problem.New(problem.Missing, "row_rules", "%s has no row rule yet. Say who may see which records, or “every row” in so many words, before it is published.", ds.Title)
	}
	return nil
}

// Seal puts the viewer's row rules into a plan.
func Seal(p Plan, v Viewer) (Sealed, error) {
	st, err := p.Compile(Condition(p.Data(), v))
	if err != nil {
		return nil, err
	}
	return &seal{p.Data().Source, p.Data().Tables(), []statement.Statement{st}, true}, nil
}

// SealAll does the same for plans of several statements.
func SealAll(p Plans, v Viewer) (Sealed, error) {
	sts, err := p.Compile(Condition(p.Data(), v))
	if err != nil {
		return nil, err
	}
	return &seal{p.Data().Source, p.Data().Tables(), sts, true}, nil
}
