package sql

import (
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
)

// A Level is the field of the inner groups of a plan's measures of two levels.
type Level struct {
	query.Per
	F        *dataset.Field
	Calendar period.Calendar
}

// sql is the SQL of what records of one inner group share, as far as the database tells: of a
// date its day.
func (l *Level) sql(s *dataset.Scope, cal period.Calendar) (string, error) {
	key, err := s.Readable(l.F)
	if err != nil || !l.F.Type.Temporal() {
		return key, err
	}
	if l.F.Zoned {
		key = filter.Wall(key, s.Bind(), cal)
	}
	return "(" + key + ")::date", nil
}

// Name names the inner group of a value that sql gives; "" for records of none.
func (l *Level) Name(v field.Value) string {
	if v.IsEmpty() {
		return ""
	}
	if !l.F.Type.Temporal() {
		return "=" + v.Exact()
	}
	civil := l.Calendar.Civil()
	return civil.Floor(v.Time(), l.Grain).Format("2006-01-02")
}

// Inner is the atom's measure of each of Per, without what is made of them.
func (a Atom) Inner() Atom {
	a.Outer, a.OuterP = "", field.Value{}
	return a
}
