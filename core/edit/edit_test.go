package edit_test

import (
	"encoding/json"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dataset"
	"eskadel/core/edit"
	"eskadel/core/field"
	"eskadel/core/problem"
)

// jobs are records with a field of each kind that can be changed.
func jobs(t require.TestingT) *dataset.Dataset {
	column := func(name string, of field.Type, sql string) dataset.Column {
		return dataset.Column{Name: name, Type: of, SQLType: sql, Native: true}
	}
	at := column("at", field.Timestamp, "timestamp with time zone")
	at.Zoned = true
	title := column("title", field.Text, "text")
	title.NotNull = true
	c := dataset.Catalogue{{Schema: "public", Name: "job", Kind: "table", Unique: [][]string{{"id"}}, Links: []dataset.Link{{Columns: []string{"yard_id"}, Table: "public.yard", To: []string{"id"}}},
		Columns: []dataset.Column{column("id", field.Integer, "integer"), title, column("state", field.Text, "text"), column("cost", field.Number, "numeric(6,2)"), column("whole", field.Number, "numeric(3)"), column("free", field.Number, "numeric"),
			column("crew", field.Integer, "integer"), column("due", field.Date, "date"), at, column("wall", field.Timestamp, "timestamp without time zone"), column("late", field.Boolean, "boolean"), column("yard_id", field.Integer, "integer"), column("note", field.Text, "text")}},
		{Schema: "public", Name: "yard", Kind: "table", Unique: [][]string{{"id"}}, Columns: []dataset.Column{column("id", field.Integer, "integer"), column("name", field.Text, "text")}}}
	d, err := dataset.Read([]byte(`{"version":1,"name":"jobs","title":"Jobs","record":["job","jobs"],"source":"desk","from":{"table":"job"},"key":["id"],
		"editing":{"fields":["title","state","cost","whole","free","crew","due","at","wall","late","yard","note"]},"fields":[{"name":"title","column":"title","label":"Title"},{"name":"state","column":"state","label":"State","list":["open","done"]},
		{"name":"cost","column":"cost","label":"Cost"},{"name":"whole","column":"whole","label":"Whole"},{"name":"free","column":"free","label":"Free"},{"name":"crew","column":"crew","label":"Crew"},{"name":"due","column":"due","label":"Due","time":"planned"},
		{"name":"at","column":"at","label":"At"},{"name":"wall","column":"wall","label":"Wall"},{"name":"late","column":"late","label":"Late"},{"name":"yard","link":["yard_id"],"show":"name","label":"Yard"},{"name":"note","column":"note","label":"Note"}]}`))
	require.NoError(t, err)
	ds, err := dataset.Resolve(d, c, nil)
	require.NoError(t, err)
	return ds
}

var london = func() *time.Location {
	z, err := time.LoadLocation("Europe/London")
	if err != nil {
		panic(err)
	}
	return z
}()

func TestWhatIsTypedIsRead(t *testing.T) {
	ds := jobs(t)
	for _, c := range []struct{ field, typed, want string }{
		{"title", " Mast ", " Mast "}, {"title", "", "! Title must not be empty."}, {"note", "", ""}, {"note", "two\nlines", "two\nlines"}, {"note", "a\x00b", "! This holds a sign that is no letter."},
		{"note", strings.Repeat("é", 10_000), strings.Repeat("é", 10_000)}, {"note", strings.Repeat("é", 10_001), "! A text has at most 10000 letters here."},
		{"state", "open", "open"}, {"state", "shut", "! State is one of: open, done."}, {"state", "", ""},
		{"cost", " 12.5 ", "12.5"}, {"cost", "-1234.56", "-1234.56"}, {"cost", "12.345", "! Cost has at most 2 digits after the point."}, {"cost", "12.3400", "12.3400"}, {"cost", "12345", "! Cost has at most 4 digits before the point."}, {"cost", "0.05", "0.05"},
		{"cost", "1e3", "! “1e3” is not a number."}, {"cost", "12,5", "! “12,5” is not a number."}, {"cost", "NaN", "! “NaN” is not a number."}, {"cost", strings.Repeat("1", 201), "! “" + strings.Repeat("1", 201) + "” is not a number."},
		{"whole", "999", "999"}, {"whole", "1000", "! Whole has at most 3 digits before the point."}, {"whole", "1.5", "! Whole has at most 0 digits after the point."},
		{"free", "123456789.123456789", "123456789.123456789"}, {"crew", "7", "7"}, {"crew", "7.5", "! Crew is a whole number, not “7.5”."}, {"crew", "seven", "! “seven” is not a number."}, {"crew", "", ""},
		{"due", "2026-03-31", "2026-03-31"}, {"due", "2026-02-30", "! “2026-02-30” is not a date, such as 2026-03-31."}, {"due", "0000-01-01", "! “0000-01-01” is not a date, such as 2026-03-31."}, {"due", "0001-01-01", "0001-01-01"}, {"due", "", ""},
		{"at", "2026-07-01T10:00", "2026-07-01T09:00:00Z"}, {"at", "2026-12-01T10:00:30", "2026-12-01T10:00:30Z"}, {"at", "10:00", "! “10:00” is not a date with a time of day, such as 2026-03-31 14:00."}, {"wall", "2026-07-01T10:00", "2026-07-01T10:00:00Z"},
		{"late", "true", "true"}, {"late", "false", "false"}, {"late", "maybe", "! Late is yes or no."}, {"yard", "3", "3"}, {"yard", "Ostrey", "! “Ostrey” is not a number."}, {"yard", " ", ""},
	} {
		f, err := ds.Field(c.field)
		require.NoError(t, err)
		v, err := edit.Read(ds, f, c.typed, london)
		got := v.Exact()
		if p := problem.Of(err); p != nil {
			assert.Equal(t, c.field, p.Place)
			got = "! " + p.Words
		}
		assert.Equal(t, c.want, got, "%s: %q", c.field, c.typed)
	}
}

func TestControlsSuitTheirFields(t *testing.T) {
	ds := jobs(t)
	text := func(s string) field.Value { return field.OfText(s) }
	at := field.OfTime(time.Date(2026, 7, 1, 9, 0, 0, 0, time.UTC))
	yards := []edit.Option{{"1", "Tarn Quay"}, {"2", "Ostrey"}}
	for name, c := range map[string]struct {
		now    field.Value
		shown  string
		others []edit.Option
		want   string
	}{
		"title": {text("Mast"), "Mast", nil, `{"Kind":"text","Value":"Mast","Empty":false,"Step":"","Options":null}`},
		"state": {text("open"), "open", nil, `{"Kind":"choice","Value":"open","Empty":true,"Step":"","Options":[{"Value":"open","Label":"open"},{"Value":"done","Label":"done"}]}`},
		"cost":  {field.OfUnits(1250, -2), "12.50", nil, `{"Kind":"number","Value":"12.50","Empty":true,"Step":"0.01","Options":null}`},
		"whole": {field.Value{}, "", nil, `{"Kind":"number","Value":"","Empty":true,"Step":"1","Options":null}`},
		"free":  {field.Value{}, "", nil, `{"Kind":"number","Value":"","Empty":true,"Step":"any","Options":null}`},
		"crew":  {field.OfInt(7), "7", nil, `{"Kind":"number","Value":"7","Empty":true,"Step":"1","Options":null}`},
		"due":   {field.OfDate(time.Date(2026, 3, 31, 0, 0, 0, 0, time.UTC)), "31 Mar", nil, `{"Kind":"date","Value":"2026-03-31","Empty":true,"Step":"","Options":null}`},
		"at":    {at, "10:00", nil, `{"Kind":"time","Value":"2026-07-01T10:00","Empty":true,"Step":"","Options":null}`},
		"wall":  {at, "09:00", nil, `{"Kind":"time","Value":"2026-07-01T09:00","Empty":true,"Step":"","Options":null}`},
		"late":  {field.OfBool(true), "yes", nil, `{"Kind":"choice","Value":"true","Empty":true,"Step":"","Options":[{"Value":"true","Label":"yes"},{"Value":"false","Label":"no"}]}`},
		"yard":  {field.OfInt(9), "(not shown)", yards, `{"Kind":"choice","Value":"9","Empty":true,"Step":"","Options":[{"Value":"9","Label":"(not shown)"},{"Value":"1","Label":"Tarn Quay"},{"Value":"2","Label":"Ostrey"}]}`},
	} {
		f, err := ds.Field(name)
		require.NoError(t, err)
		b, err := json.Marshal(edit.Of(ds, f, c.now, c.shown, c.others, london))
		require.NoError(t, err)
		assert.JSONEq(t, c.want, string(b), name)
	}
}

// What a control begins with is read as the value that it stands for.
func TestWhatAControlBeginsWithIsReadAsItIs(t *testing.T) {
	ds := jobs(t)
	rapid.Check(t, func(t *rapid.T) {
		f := rapid.SampledFrom(ds.Visible()).Draw(t, "field")
		v := map[field.Type]field.Value{
			field.Text: field.OfText(rapid.SampledFrom([]string{"open", "done"}).Draw(t, "text")), field.Integer: field.OfInt(rapid.Int64().Draw(t, "whole")), field.Number: field.OfUnits(rapid.Int64Range(-999, 999).Draw(t, "units"), 0),
			field.Date: field.OfDate(time.Date(rapid.IntRange(1, 9999).Draw(t, "year"), 2, 28, 0, 0, 0, 0, time.UTC)), field.Timestamp: field.OfTime(time.Unix(60*rapid.Int64Range(0, 40_000_000).Draw(t, "minutes"), 0)), field.Boolean: field.OfBool(rapid.Bool().Draw(t, "yes")),
		}[ds.Holds(f).Type]
		zone := rapid.SampledFrom([]*time.Location{time.UTC, time.FixedZone("east", 5*3600+1800)}).Draw(t, "zone") // an hour that comes twice in a year can be typed once only
		got, err := edit.Read(ds, f, edit.Of(ds, f, v, "shown", nil, zone).Value, zone)
		require.NoError(t, err)
		require.True(t, got.Equal(v), "%s: %s as %s", f.Name, v, got)
	})
}
