package format_test

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/calc"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/format"
	"eskadel/core/locale"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/sql"
)

func value(t *testing.T, s string) field.Value {
	v, err := field.Parse(field.Number, s)
	require.NoError(t, err)
	return v
}

// jobs is the sample with measures of its own and fields with formats.
func jobs(t *testing.T) *dataset.Dataset {
	d := sample.Document()
	require.NoError(t, json.Unmarshal([]byte(`[{"name":"mean","formula":"sum(cost) / count(*)","unit":"GBP"},{"name":"pace","formula":"count(*) / 7","format":"0.0 jobs a day"},{"name":"ratio","formula":"count(*) / 7"}]`), &d.Measures))
	for i := range d.Fields {
		if d.Fields[i].Name == "rough" {
			d.Fields[i].Unit, d.Fields[i].Format = "h", "0.0"
		}
	}
	ds, err := dataset.Resolve(d, sample.Tables(), nil)
	require.NoError(t, err)
	return ds
}

func TestFormatsAreRead(t *testing.T) {
	for _, c := range []struct{ exact, spec, unit, want string }{
		{"1234.5", "", "", "1,234.5"},
		{"1234.5", "0", "h", "1,235 h"},
		{"1234.5", "0.0 nights", "h", "1,234.5 nights"},
		{"1234.5", "nights in all", "", "1,234.5 nights in all"},
		{"1234.5", "plain", "h", "1234.5 h"},
		{"1234.5", "plain 0.00 kg", "h", "1234.50 kg"},
		{"1234567", "compact 0.0", "", "1.2 M"},
		{"1234567", "compact 0", "", "1 M"},
		{"1234567", "compact 0.0000", "", "1.23 M"},
		{"1500000", "compact", "h", "1.5 M h"},
		{"0.5", "0%", "h", "50%"},
		{"0.12345", "0.00%", "", "12.35%"},
		{"0.5", "%", "", "50%"},
		{"700000", "0", "", "700,000"},
		{"7e4", "0", "", "70,000"},
		{"7e3", "0", "", "7,000"},
		{"7e5", "0.00", "", "700,000.00"},
		{"0", "0.00", "GBP", "£0.00"},
		{"-0.004", "0.00", "GBP", "£0.00"},
		{"5", "0.0000000", "", "5.0000000"},
		{"1000", "0", "JPY", "¥1,000"},
	} {
		assert.Equal(t, c.want, format.ParseNumber(nil, c.spec, c.unit, -1).Value(value(t, c.exact)), "%s as %q", c.exact, c.spec)
	}
	assert.Equal(t, "12.00", format.ParseNumber(nil, "", "", 2).Value(value(t, "12")), "as the default")
	money := format.ParseNumber(nil, "0.00", "GBP", 2)
	assert.Equal(t, "£12", money.As("0").Value(value(t, "12.3")), "with its unit")
	assert.Equal(t, "12.3 t", money.As("0.0 t").Value(value(t, "12.3")), "with one of its own")
	v := field.OfUnreadable("NaN")
	assert.Equal(t, "NaN", money.Value(v))
}

// What a measure is, is how it is written, where nobody says otherwise.
func TestFormatsOfMeasures(t *testing.T) {
	ds := jobs(t)
	for _, c := range []struct{ measure, exact, want string }{
		{`{"count":"records"}`, "1204", "1,204"},
		{`{"distinct":"boat"}`, "7", "7"},
		{`{"count":"cost"}`, "7", "7"},
		{`{"sum":"cost"}`, "1204.5", "£1,204.50"},
		{`{"average":"cost"}`, "1204.125", "£1,204.13"},
		{`{"sum":"cost","format":"0"}`, "1204.5", "£1,205"},
		{`{"sum":"cost","format":"0 pounds"}`, "1204.5", "1,205 pounds"},
		{`{"sum":"rough"}`, "1204.25", "1,204.3 h"},
		{`{"average":"rough","format":"0.000"}`, "2", "2.000 h"},
		{`{"measure":"mean"}`, "2", "£2.00"},
		{`{"measure":"pace"}`, "2", "2.0 jobs a day"},
		{`{"measure":"ratio"}`, "0.125", "0.13"},
		{`{"measure":"ratio","format":"0.0%"}`, "0.125", "12.5%"},
		{`{"formula":"sum(cost) / count(*)"}`, "0.125", "0.13"},
		{`{"average":{"sum":"cost"},"per":{"field":"opened","grain":"week"}}`, "12", "£12.00"},
		{`{"average":{"count":"records"},"per":{"field":"opened","grain":"week"}}`, "12", "12.00"},
		{`{"largest":{"count":"records"},"per":{"field":"opened","grain":"week"}}`, "12", "12"},
		{`{"largest":{"sum":"cost"},"per":{"field":"opened","grain":"week"},"format":"0"}`, "12.5", "£13"},
		{`{"smallest":"cost"}`, "12", "£12.00"},
	} {
		var m query.Measure
		require.NoError(t, json.Unmarshal([]byte(c.measure), &m))
		assert.Equal(t, c.want, format.Of(m, ds).Value(value(t, c.exact)), c.measure)
	}
	for _, c := range []struct{ then, exact, want string }{
		{`"share":"everything"`, "0.1234", "12.3%"},
		{`"rank":"largest"`, "3", "3"},
		{`"difference":"number"`, "3", "+£3.00"},
		{`"difference":"number"`, "-3", "−£3.00"},
		{`"difference":"percent"`, "0.25", "+25.0%"},
		{`"moving_average":{"steps":3}`, "3", "£3.00"},
		{`"running_total":{}`, "3", "£3.00"},
	} {
		var m query.Measure
		require.NoError(t, json.Unmarshal([]byte(`{"sum":"cost","then":{`+c.then+`}}`), &m))
		assert.Equal(t, c.want, format.Shown(m, ds).Value(value(t, c.exact)), c.then)
	}
	var share query.Measure
	require.NoError(t, json.Unmarshal([]byte(`{"sum":"cost","then":{"share":"group"},"format":"0%"}`), &share))
	assert.Equal(t, "12%", format.Shown(share, ds).Value(value(t, "0.1234")))
	assert.Equal(t, "12.3%", format.Shown(query.Measure{Aggregate: "sum", Field: "cost", Format: "0", Then: &query.Then{Share: "group"}}, ds).Value(value(t, "0.1234")), "a format of amounts is none of shares")
	var average query.Measure
	require.NoError(t, json.Unmarshal([]byte(`{"count":"records","then":{"moving_average":{"steps":3}}}`), &average))
	assert.Equal(t, "3.00", format.Shown(average, ds).Value(value(t, "3")))
	average.Format = "0"
	assert.Equal(t, "3", format.Shown(average, ds).Value(value(t, "3")))

	cost := format.Of(query.Measure{Aggregate: "sum", Field: "cost"}, ds)
	assert.Equal(t, "£1.2 M", cost.OnAxis().Value(value(t, "1200000")))
	hours := format.Of(query.Measure{Aggregate: "sum", Field: "rough"}, ds)
	assert.Equal(t, "1.2 k", hours.OnAxis().Value(value(t, "1200")), "the title names the unit")
	assert.Equal(t, "12.5%", format.Percent(nil).OnAxis().Value(value(t, "0.125")))

	for _, c := range []struct{ format, more, percent, want string }{
		{"0.00", "12", "0.125", "+12.5%"}, {"0.00", "-12", "-0.125", "−12.5%"}, {"0.00", "0", "0", "0.0%"},
		{"0%", "0.031", "0.5", "+3.1 points"}, {"0.00%", "-0.0312", "0.5", "−3.12 points"}, {"0%", "0.01", "0.5", "+1.0 points"},
	} {
		text, exact := format.Change(format.ParseNumber(nil, c.format, "", -1), value(t, c.more), value(t, c.percent))
		assert.Equal(t, c.want, text)
		want := c.percent
		if c.format != "0.00" {
			want = c.more
		}
		assert.Equal(t, value(t, want).Exact(), exact.Exact())
	}
}

func TestFormatsOfFields(t *testing.T) {
	ds := jobs(t)
	for name, want := range map[string]string{"cost": "£12.50", "rough": "12.5 h"} {
		assert.Equal(t, want, format.OfField(nil, ds.Find(name)).Value(value(t, "12.5")), name)
	}
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	at := field.OfTime(time.Date(2026, 7, 3, 14, 5, 0, 0, time.UTC))
	assert.Equal(t, "3 Jul 2026, 15:05", format.OfField(nil, ds.Find("opened")).In(ds.Find("opened"), london).Value(at))
	assert.Equal(t, "3 Jul 2026, 14:05", format.OfField(nil, ds.Find("promised")).In(ds.Find("promised"), london).Value(at), "no moment, so no zone")
	assert.Equal(t, []string{"1 job", "0 jobs", "1,204 jobs"}, []string{format.Records(ds, 1), format.Records(ds, 0), format.Records(ds, 1204)})
}

func TestKeys(t *testing.T) {
	ds := jobs(t)
	dim := func(name string) sql.Dim {
		return sql.Dim{Dimension: query.Dimension{Field: name}, F: ds.Find(name)}
	}
	part := dim("opened")
	part.Part = period.Weekday
	for _, c := range []struct {
		key  calc.Key
		dim  sql.Dim
		want string
	}{
		{calc.Key{Kind: calc.Others}, dim("kind"), "Others"},
		{calc.Key{Kind: calc.None}, dim("kind"), "(none)"},
		{calc.Key{Kind: calc.NotShown}, dim("yard"), "(not shown)"},
		{calc.Key{Kind: calc.Whole}, dim("kind"), ""},
		{calc.Key{Kind: calc.One, Value: field.OfInt(2)}, part, "Tuesday"},
		{calc.Key{Kind: calc.One, Value: field.OfText("care")}, dim("kind"), "care"},
		{calc.Key{Kind: calc.One, Value: field.OfText("")}, dim("kind"), "(blank)"},
		{calc.Key{Kind: calc.One, Value: field.OfInt(3), Label: "Tarn Quay"}, dim("yard"), "Tarn Quay"},
		{calc.Key{Kind: calc.One, Value: field.OfInt(1204)}, dim("yard"), "1,204"},
	} {
		short, full := format.Key(nil, c.key, c.dim)
		assert.Equal(t, []string{c.want, c.want}, []string{short, full})
	}
	long := ""
	for range 600 {
		long += "é"
	}
	short, _ := format.Key(nil, calc.Key{Kind: calc.One, Value: field.OfText(long)}, dim("kind"))
	assert.Len(t, []rune(short), 501)
	assert.Equal(t, "abc", format.Cut("abc", 3))
	assert.Equal(t, "éé", format.Cut("éé", 2), "characters, not bytes")
	assert.Equal(t, "ab…", format.Cut("abc", 2))
}

func TestYearsOfASpan(t *testing.T) {
	at := func(s string) time.Time {
		if s == "" {
			return time.Time{}
		}
		v, err := time.Parse(time.DateOnly, s)
		require.NoError(t, err)
		return v
	}
	for _, c := range []struct{ from, to, want string }{
		{"", "", "All years"}, {"", "2026-01-01", "All years to 2025"}, {"2024-06-01", "", "All years from 2024"},
		{"2026-01-01", "2027-01-01", ""}, {"2026-01-01", "2027-01-02", ""}, {"2026-01-01", "2027-01-03", "2026 to 2027"}, {"2023-05-01", "2026-01-01", "2023 to 2025"},
	} {
		assert.Equal(t, c.want, format.Years(period.Range{From: at(c.from), To: at(c.to)}), c)
	}
	assert.Equal(t, "23 Nov", format.Last(nil, at("2026-11-24")))
	short, full := format.Step(nil, calc.Key{From: at("2026-03-01")}, &sql.Axis{Grain: period.HalfYear, Calendar: period.ISO(time.UTC)})
	assert.Equal(t, []string{"H1 2026", "H1 2026"}, []string{short, full})
}

// Formats as spreadsheets have them: a currency or unit in quotes, so that nothing in it is read as
// a sign; what is compact has all of its digits there.
func TestFormatsOfSheets(t *testing.T) {
	german := locale.Of("de-DE")
	for want, n := range map[string]format.Number{
		"General":                      format.Plain(nil),
		"#,##0":                        {},
		"0.00":                         format.ParseNumber(nil, "plain 0.00", "", 0),
		`"£"#,##0.00`:                  format.ParseNumber(nil, "", "GBP", 2),
		`"£"#,##0`:                     format.ParseNumber(nil, "compact 0.0", "GBP", 2),
		`#,##0.0" h"`:                  format.ParseNumber(nil, "0.0", "h", 2),
		`#,##0" a;b"`:                  format.ParseNumber(nil, "0", `a";"b`, 2),
		"#,##0.0%":                     format.Percent(nil),
		`General" nights"`:             format.ParseNumber(nil, "", "nights", -1),
		`#,##0.00" €"`:                 format.ParseNumber(german, "", "EUR", 2),
		"+#,##0.0%;-#,##0.0%;#,##0.0%": {Decimals: 1, Percent: true, Signed: true},
	} {
		assert.Equal(t, want, n.Sheet())
	}
}
