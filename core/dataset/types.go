package dataset

import (
	"net/netip"
	"regexp"
	"strings"

	"eskadel/core/field"
	"eskadel/core/statement"
)

// sql is a column's value as one of our types.
func (c *Column) sql(alias string) string {
	name := alias + "." + statement.Name(c.Name)
	switch {
	case c.Float:
		return "(case when abs(" + name + ") < 'Infinity' then " + name + "::numeric end)"
	case c.base() == "inet": // which a cast would write with the length of its mask always
		return "(case when masklen(" + name + ") = case family(" + name + ") when 4 then 32 else 128 end then host(" + name + ") else " + name + "::text end)"
	case !c.Native:
		return name + "::text"
	}
	return name
}

func (c *Column) asText(alias string) string {
	if c.Type != field.Text {
		return c.sql(alias) + "::text"
	}
	return c.sql(alias)
}

var uuid = regexp.MustCompile(`^[0-9a-f]{32}$`)

// canon writes a value of the column as the database does, so that what is the same value in
// its own type is the same text. What is no value of the type stays as it is, and is met by
// no record.
func (c *Column) canon(literal string) string {
	switch c.base() {
	case "uuid":
		plain := strings.NewReplacer("-", "", "{", "", "}", "").Replace(strings.ToLower(literal))
		if uuid.MatchString(plain) {
			return plain[:8] + "-" + plain[8:12] + "-" + plain[12:16] + "-" + plain[16:20] + "-" + plain[20:]
		}
	case "inet":
		if p, err := netip.ParsePrefix(literal); err == nil {
			if p.IsSingleIP() {
				return p.Addr().String()
			}
			return p.String()
		}
		if a, err := netip.ParseAddr(literal); err == nil {
			return a.String()
		}
	case "macaddr", "macaddr8":
		return strings.ToLower(literal)
	}
	return literal
}

// folds tells whether values of the column that differ in case only are the same value.
func (c *Column) folds() bool {
	return strings.HasSuffix(c.base(), ".citext") || c.base() == "citext"
}
