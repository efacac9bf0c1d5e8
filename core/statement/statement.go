// Package statement builds SQL text whose every value is a bound parameter. It
// quotes identifiers and numbers parameters; it knows no table and runs nothing.
package statement

import (
	"strconv"
	"strings"
)

// A Statement is SQL text and the values bound to its $1, $2, ….
type Statement struct {
	SQL  string
	Args []any
}

// A Binder collects the bound values of one statement.
type Binder struct{ args []any }

// Bind adds a value and returns its placeholder.
func (b *Binder) Bind(v any) string {
	b.args = append(b.args, v)
	return "$" + strconv.Itoa(len(b.args))
}

// Args returns what was bound, in order.
func (b *Binder) Args() []any { return b.args }

// Name quotes an identifier, or several joined by dots.
func Name(parts ...string) string {
	quoted := make([]string, len(parts))
	for i, p := range parts {
		quoted[i] = `"` + strings.ReplaceAll(p, `"`, `""`) + `"`
	}
	return strings.Join(quoted, ".")
}

// And joins conditions; none at all is true.
func And(conditions ...string) string {
	var kept []string
	for _, c := range conditions {
		if c != "" {
			kept = append(kept, c)
		}
	}
	if len(kept) == 0 {
		return "true"
	}
	return strings.Join(kept, " and ")
}
