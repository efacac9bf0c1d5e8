package filter

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

// A Column is what a condition must know of a field.
type Column struct {
	Label   string
	Type    field.Type // of what readers see
	KeyType field.Type // of what identifies a value: the linked record's key, else Type
	Zoned   bool       // a timestamp that is a moment
	NotNull bool       // it is never empty
	Key     string     // SQL of what identifies a value
	Raw     string     // of a link: SQL that is filled also where the linked record may not be seen; else ""
	Text    string     // SQL of what readers see
	Finite  string     // SQL that is true where a filled value can be computed with; "" where each can
	// Canon writes a literal as values of the column's own type are written; nil for as it is.
	Canon   func(literal string) string
	Folds   bool // values that differ in case only are the same
	Several bool // Key is an array of texts, each of which is a value; null for none
	// Unreadable gives SQL that is true where the field is filled and cannot be read; "" where
	// that cannot be. It may be nil.
	Unreadable func() string
}

// Fields gives the columns of a dataset's fields by name. Asking for a column may add
// a join to the statement being built.
type Fields interface {
	Column(name string) (Column, error)
}

// An Env is what a condition is compiled against.
type Env struct {
	Fields   Fields
	Bind     *statement.Binder
	Now      time.Time
	Calendar period.Calendar
	Settings map[string]string // values that the viewer has set, for formulas
}

// Check tells in words what in c does not suit the fields.
func (c Condition) Check(f Fields) error {
	_, err := c.SQL(Env{Fields: f, Bind: &statement.Binder{}, Calendar: period.ISO(time.UTC)})
	return err
}

// Most is how many comparisons a condition may have, and MostDepth how deep they may stand
// within each other.
const (
	Most      = 500
	MostDepth = 32
)

// size counts the comparisons of c and how deep they stand, no further than may be.
func (c Condition) size(depth int) (comparisons, deepest int) {
	if depth > MostDepth {
		return 0, depth
	}
	deepest = depth
	within := func(p Condition) {
		n, d := p.size(depth + 1)
		comparisons, deepest = comparisons+n, max(deepest, d)
	}
	for _, list := range [][]Condition{c.All, c.Any} {
		for _, p := range list {
			if within(p); comparisons > Most || deepest > MostDepth {
				return comparisons, deepest
			}
		}
	}
	if c.Not != nil {
		within(*c.Not)
	}
	if c.Field != "" || c.Named != "" {
		comparisons++
	}
	return comparisons, deepest
}

// SQL compiles c, whose attributes must have been resolved, to an expression whose
// value is true for the records that meet it; all values are bound.
func (c Condition) SQL(e Env) (string, error) {
	switch n, depth := c.size(0); {
	case n > Most:
		return "", problem.New(problem.TooMany, "", "A condition has at most %d comparisons.", Most)
	case depth > MostDepth:
		return "", problem.New(problem.TooMany, "", "Conditions stand at most %d deep within each other.", MostDepth)
	}
	return c.sql(e)
}

func (c Condition) sql(e Env) (string, error) {
	join := func(parts []Condition, word, key string) (string, error) {
		var out []string
		for i, p := range parts {
			s, err := p.sql(e)
			if err != nil {
				return "", problem.At(fmt.Sprintf("%s[%d]", key, i), err)
			}
			out = append(out, s)
		}
		return "(" + strings.Join(out, " "+word+" ") + ")", nil
	}
	switch {
	case c.never:
		return "false", nil
	case c.IsZero():
		return "true", nil
	case len(c.All) > 0:
		return join(c.All, "and", "all")
	case len(c.Any) > 0:
		return join(c.Any, "or", "any")
	case c.Named != "":
		return "", problem.New(problem.NotFound, "named", "There is no condition called “%s”.", c.Named)
	case c.Not != nil:
		s, err := c.Not.sql(e)
		return "(" + s + ") is not true", problem.At("not", err)
	}
	col, err := e.Fields.Column(c.Field)
	if err != nil {
		return "", err
	}
	if c.Part != 0 {
		if !col.Type.Temporal() || c.Part == period.HourOfDay && col.Type == field.Date {
			return "", problem.New(problem.Invalid, "part", "%s holds %s, which has no %s.", col.Label, col.Type.Words(), c.Part)
		}
		part := PartSQL(col, c.Part, e)
		col = Column{Label: col.Label, Type: field.Integer, KeyType: field.Integer, NotNull: false, Key: part, Text: part}
	}
	s, err := c.leaf(col, e)
	return s, problem.At(string(c.Op), err)
}

// Wall gives the SQL of what the zone's clock shows at a moment. The offsets come from
// here, so that the database never decides what a zone does.
func Wall(moment string, b *statement.Binder, cal period.Calendar) string {
	changes, seconds := cal.Offsets()
	utc := "(" + moment + " at time zone 'UTC')"
	if len(changes) == 0 {
		if seconds[0] == 0 {
			return utc
		}
		return fmt.Sprintf("(%s + make_interval(secs => %d))", utc, seconds[0])
	}
	return fmt.Sprintf("(%s + make_interval(secs => (%s::int[])[width_bucket(%s, %s::timestamptz[]) + 1]))", utc, b.Bind(seconds), moment, b.Bind(changes))
}

// PartSQL gives the SQL of a repeating part of a date, a whole number.
func PartSQL(col Column, p period.Part, e Env) string {
	x := col.Text
	if col.Zoned {
		x = Wall(x, e.Bind, e.Calendar)
	}
	part := map[period.Part]string{period.MonthOfYear: "month", period.QuarterOfYear: "month", period.Weekday: "isodow", period.DayOfMonth: "day", period.HourOfDay: "hour", period.ISOWeek: "week"}[p]
	sql := "extract(" + part + " from " + x + ")::int"
	if p == period.QuarterOfYear {
		sql = fmt.Sprintf("(((%s + %d) %% 12) / 3 + 1)", sql, 12-int(e.Calendar.FiscalStart))
	}
	if col.Finite != "" {
		sql = "(case when " + col.Finite + " then " + sql + " end)"
	}
	return sql
}

// several compiles a comparison with a field that holds several values, which is met where
// one of them meets it, or where none does.
func (c Condition) several(col Column, e Env) (string, error) {
	one := Column{Label: col.Label, Type: field.Text, KeyType: field.Text, NotNull: true, Key: "e.v", Text: "e.v"}
	positive, turned := map[Op]Op{IsNot: Is, NoneOf: OneOf, NotContains: Contains, ReadsNot: Reads}[c.Op]
	switch {
	case turned:
		c.Op = positive
	case c.Op == OtherThan:
		c.Op = NoneOf
	}
	if !c.Op.Suits(field.Text) {
		return "", problem.New(problem.Invalid, "", "%s can hold several values; “%s” is for one.", col.Label, opWords[c.Op])
	}
	sql, err := c.leaf(one, e)
	sql = "exists (select from unnest(" + col.Key + ") e(v) where " + sql + ")"
	if turned {
		sql = "not " + sql
	}
	return sql, err
}

func (c Condition) leaf(col Column, e Env) (string, error) {
	if col.Several && !slices.Contains([]Op{Empty, Filled, NotShown, Unreadable}, c.Op) {
		return c.several(col, e)
	}
	switch c.Op {
	case Empty:
		return col.raw() + " is null", nil
	case Filled:
		return col.raw() + " is not null", nil
	case NotShown:
		return "(" + col.raw() + " is not null and " + col.Key + " is null)", nil
	case Unreadable:
		if col.Unreadable != nil {
			if sql := col.Unreadable(); sql != "" {
				return sql, nil
			}
		}
		return "false", nil
	case Is, OneOf, IsNot, NoneOf:
		s, err := c.identity(col, e)
		switch {
		case err != nil || c.Op == Is || c.Op == OneOf:
		case col.NotNull: // the plainer form, whose selectivity the planner knows
			s = "not (" + s + ")"
		default:
			s = "(" + s + ") is not true"
		}
		return s, err
	case OtherThan:
		return "", problem.New(problem.Invalid, "", "%s holds one value; “%s” is for several.", col.Label, opWords[c.Op])
	case Contains, NotContains, StartsWith, EndsWith, Reads, ReadsNot:
		if col.Type != field.Text {
			return "", problem.New(problem.Invalid, "", "%s holds %s; “%s” is for text.", col.Label, col.Type.Words(), opWords[c.Op])
		}
		return c.pattern(col, e), nil
	case Within:
		if !col.Type.Temporal() {
			return "", problem.New(problem.Invalid, "", "%s holds %s, not a date.", col.Label, col.Type.Words())
		}
		return span(col, e, c.Range.Resolve(now(col, e), calendar(col, e))), nil
	}
	if !col.Type.Numeric() && !col.Type.Temporal() {
		return "", problem.New(problem.Invalid, "", "%s holds %s; “%s” is for numbers and dates.", col.Label, col.Type.Words(), opWords[c.Op])
	}
	return c.order(col, e)
}

// raw is filled where the field is, whether or not the viewer may see the record it links to.
func (c Column) raw() string {
	if c.Raw != "" {
		return c.Raw
	}
	return c.Key
}

func calendar(col Column, e Env) period.Calendar {
	if col.Zoned {
		return e.Calendar
	}
	return e.Calendar.Civil()
}

func now(col Column, e Env) time.Time {
	if col.Zoned {
		return e.Now
	}
	return e.Calendar.Wall(e.Now)
}

// span compiles a range of time on a column. Without an end it has every date that can be
// read.
func span(col Column, e Env, r period.Range) string {
	var parts []string
	if !r.From.IsZero() {
		parts = append(parts, col.Text+" >= "+e.Bind.Bind(r.From))
	}
	if !r.To.IsZero() {
		parts = append(parts, col.Text+" < "+e.Bind.Bind(r.To))
	}
	if len(parts) < 2 && col.Finite != "" {
		parts = append(parts, col.Finite)
	}
	if len(parts) == 0 {
		return col.Text + " is not null"
	}
	return "(" + statement.And(parts...) + ")"
}

// Span returns the SQL for a field lying in r, whose ends are in the column's own kind of time.
func Span(col Column, b *statement.Binder, r period.Range) string {
	return span(col, Env{Bind: b}, r)
}

func (c Condition) identity(col Column, e Env) (string, error) {
	var keys, days []string
	key := col.Key
	if col.Folds {
		key = `lower(` + key + ` collate "C.utf8")`
	}
	for _, v := range c.Values {
		if col.Canon != nil {
			v.Literal = col.Canon(v.Literal)
		}
		if col.Folds {
			v.Literal = Lower(v.Literal)
		}
		parsed, err := field.Parse(col.KeyType, v.Literal)
		if err != nil {
			return "", problem.New(problem.Invalid, "", "%s is compared with a value of type %s: %s.", col.Label, col.KeyType, err)
		}
		if col.Type == field.Timestamp && len(v.Literal) == len(time.DateOnly) {
			days = append(days, span(col, e, dayOf(v.Literal, col, e)))
			continue
		}
		keys = append(keys, e.Bind.Bind(parsed.Arg())+cast(parsed, col.Zoned))
	}
	switch {
	case len(keys) == 1:
		days = append(days, key+" = "+keys[0])
	case len(keys) > 1:
		days = append(days, key+" in ("+strings.Join(keys, ", ")+")")
	}
	if len(days) == 1 {
		return days[0], nil
	}
	return "(" + strings.Join(days, " or ") + ")", nil
}

// cast names the type of a bound value, so that a number never overflows the column's
// own type. A whole number stays one where it can, so that an integer column is
// compared as it is and its index serves.
func cast(v field.Value, zoned bool) string {
	switch v.Type() {
	case field.Integer:
		if _, err := v.Decimal().Int64(); err == nil {
			return "::bigint"
		}
		return "::numeric"
	case field.Number:
		return "::numeric"
	case field.Date:
		return "::date"
	case field.Boolean:
		return "::boolean"
	case field.Timestamp:
		if zoned {
			return "::timestamptz"
		}
		return "::timestamp"
	}
	return "::text"
}

// List returns the SQL of an array of values of one type, each bound.
func List(values []field.Value, t field.Type, zoned bool, b *statement.Binder) string {
	kind := map[field.Type]string{field.Integer: "bigint", field.Number: "numeric", field.Date: "date", field.Boolean: "boolean", field.Timestamp: "timestamp"}[t]
	switch {
	case kind == "":
		kind = "text"
	case t == field.Timestamp && zoned:
		kind = "timestamptz"
	}
	var items []string
	for _, v := range values {
		c := cast(v, zoned)
		if c == "::numeric" {
			kind = "numeric" // a whole number may be larger than a bigint
		}
		items = append(items, b.Bind(v.Arg())+c)
	}
	return "array[" + strings.Join(items, ", ") + "]::" + kind + "[]"
}

func dayOf(literal string, col Column, e Env) period.Range {
	return period.Relative{From: literal, To: literal}.Resolve(e.Now, calendar(col, e))
}

// Lower maps each character to lower case by itself, as the SQL of text comparisons does.
func Lower(s string) string {
	out := make([]rune, 0, utf8.RuneCountInString(s))
	for _, r := range s {
		out = append(out, unicode.ToLower(r))
	}
	return string(out)
}

func (c Condition) pattern(col Column, e Env) string {
	text := `lower(` + col.Text + ` collate "C.utf8")`
	typed := e.Bind.Bind(Lower(c.Values[0].Literal)) + "::text"
	switch c.Op {
	case StartsWith:
		return "starts_with(" + text + ", " + typed + ")"
	case EndsWith:
		return "right(" + text + ", length(" + typed + ")) = " + typed
	case Reads:
		return text + " = " + typed
	case ReadsNot:
		return "(" + text + " = " + typed + ") is not true"
	case NotContains:
		return "(position(" + typed + " in " + text + ") > 0) is not true"
	}
	return "position(" + typed + " in " + text + ") > 0"
}

// order compiles comparisons by size. A date compared with a timestamp stands for its whole day.
func (c Condition) order(col Column, e Env) (string, error) {
	one := func(op Op, literal string) (string, error) {
		v, err := field.Parse(col.Type, literal)
		if err != nil && col.Type == field.Integer {
			v, err = field.Parse(field.Number, literal)
		}
		if err != nil {
			return "", problem.New(problem.Invalid, "", "%s is compared with a value of type %s: %s.", col.Label, col.Type, err)
		}
		if col.Type == field.Timestamp && len(literal) == len(time.DateOnly) {
			day := dayOf(literal, col, e)
			switch op {
			case Above:
				return span(col, e, period.Range{From: day.To}), nil
			case AtLeast:
				return span(col, e, period.Range{From: day.From}), nil
			case Below:
				return span(col, e, period.Range{To: day.From}), nil
			}
			return span(col, e, period.Range{To: day.To}), nil
		}
		sign := map[Op]string{Above: ">", AtLeast: ">=", Below: "<", AtMost: "<="}[op]
		sql := col.Text + " " + sign + " " + e.Bind.Bind(v.Arg()) + cast(v, col.Zoned)
		if col.Finite != "" && c.Op != Between {
			sql = "(" + sql + " and " + col.Finite + ")"
		}
		return sql, nil
	}
	if c.Op != Between {
		return one(c.Op, c.Values[0].Literal)
	}
	low, err := one(AtLeast, c.Values[0].Literal)
	if err != nil {
		return "", err
	}
	high, err := one(AtMost, c.Values[1].Literal)
	return "(" + low + " and " + high + ")", err
}
