package page

import (
	"cmp"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/identity"
	"eskadel/workspace"
)

// On reads from which state of a document a form's change was made.
func On(c *gin.Context) workspace.On {
	revision, _ := strconv.Atoi(cmp.Or(c.PostForm("revision"), c.Query("rev")))
	return workspace.On{Revision: revision, Resolve: c.PostForm("resolve")}
}

// Chosen reads what was ticked under a name, with what was typed besides, each once.
func Chosen(c *gin.Context, name string) []string {
	out := []string{}
	for _, v := range c.PostFormArray(name) {
		if v = strings.TrimSpace(v); v != "" && !slices.Contains(out, v) {
			out = append(out, v)
		}
	}
	return out
}

// A Tick is a choice that may be ticked.
type Tick struct {
	Value, Words string
	On           bool
}

// Offered is what may be ticked: all that is known, and all that is chosen already.
func Offered(known, chosen []string) (out []Tick) {
	for _, v := range known {
		out = append(out, Tick{v, v, slices.Contains(chosen, v)})
	}
	for _, v := range chosen {
		if !slices.Contains(known, v) {
			out = append(out, Tick{v, v, true})
		}
	}
	return out
}

// A Pair is a name with a value.
type Pair struct{ Name, Value string }

// Pairs lists attributes by name, a list value by value.
func Pairs(attributes map[string]any) (out []Pair) {
	for name, value := range attributes {
		for _, v := range identity.Typed(value) {
			out = append(out, Pair{name, v})
		}
	}
	slices.SortStableFunc(out, func(a, b Pair) int { return cmp.Compare(a.Name, b.Name) })
	return out
}

// Attributes reads the attributes that a form holds, ticked or as pairs of a name and a value, as
// "name=value".
func Attributes(c *gin.Context) []string {
	_ = c.PostForm("") // the form is read
	return AttributesIn(c.Request.PostForm)
}

// AttributesIn reads them of the fields of a form.
func AttributesIn(form url.Values) []string {
	out := []string{}
	for _, v := range form["known"] {
		if v != "" && !slices.Contains(out, v) {
			out = append(out, v)
		}
	}
	values := form["value"]
	for i, name := range form["attribute"] {
		if i < len(values) && strings.TrimSpace(name+values[i]) != "" {
			out = append(out, name+"="+values[i])
		}
	}
	return out
}

// Number reads a number above nothing; what is none is one that is not there.
func Number(s string) int64 {
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil || n < 0 {
		return 1 << 40
	}
	return n
}
