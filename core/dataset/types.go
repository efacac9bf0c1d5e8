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

// The years that dates are computed with.
const firstYear, lastYear = "'0001-01-01", "'10000-01-01"

// readable is the SQL that is true where a value of the column can be computed with: a
// number, or a date of the years 1 to 9999. It is "" where each can, or where sql leaves out
// the others.
func (c *Column) readable(alias string) string {
	name := alias + "." + statement.Name(c.Name)
	switch {
	case c.Float || !c.Native || c.JSON || c.Array:
	case c.Type == field.Number && precise.MatchString(c.base()):
		return "(" + name + " < 'NaN'::numeric)" // which is above every number
	case c.Type == field.Number:
		return "(" + name + " - " + name + " = '0'::numeric)"
	case c.Type.Temporal():
		return Years(name, c.Type, c.Zoned)
	}
	return ""
}

// Years is the SQL that is true where a date lies in the years 1 to 9999.
func Years(sql string, t field.Type, zoned bool) string {
	kind := "'::date"
	switch {
	case t == field.Timestamp && zoned:
		kind = "+00'::timestamptz"
	case t == field.Timestamp:
		kind = "'::timestamp"
	}
	return "(" + sql + " >= " + firstYear + kind + " and " + sql + " < " + lastYear + kind + ")"
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
