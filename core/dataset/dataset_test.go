package dataset_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

func TestScopeJoinsOnlyWhatIsNeeded(t *testing.T) {
	s := dataset.NewScope(sample.Jobs(), nil, filter.Env{Bind: &statement.Binder{}})
	col, err := s.Column("kind")
	require.NoError(t, err)
	assert.Equal(t, `r."kind"`, col.Key)
	assert.Equal(t, `"public"."job" r`, s.From())
	yard, err := s.Column("yard")
	require.NoError(t, err)
	assert.Equal(t, `r."yard_id"`, yard.Key, "a link is identified by its foreign key")
	assert.Equal(t, `l1."name"`, yard.Text)
	region, _ := s.Column("region")
	assert.Equal(t, `l1."region"`, region.Key, "the same link is joined once")
	assert.Equal(t, `"public"."job" r left join "public"."yard" l1 on l1."id" = r."yard_id"`, s.From())
	state, _ := s.Column("state")
	assert.Equal(t, `r."state"::text`, state.Key, "types we do not know are read as text")
	rough, _ := s.Column("rough")
	assert.Contains(t, rough.Key, "::numeric", "floats are taken in their numeric form")
}

func TestResolveRefuses(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*dataset.Document)
		place  string
		words  string
	}{
		"no table":              {func(d *dataset.Document) { d.From.Table = "boat" }, "from.table", "no table “boat”"},
		"no key":                {func(d *dataset.Document) { d.Key = []string{"kind"} }, "key", "does not identify one record"},
		"no words for a record": {func(d *dataset.Document) { d.Record[1] = "" }, "title", "words for one record"},
		"a zone that is none":   {func(d *dataset.Document) { d.Zone = "Skerrin" }, "zone", "IANA"},
		"two fields of a name":  {func(d *dataset.Document) { d.Fields[1].Name = "opened" }, "fields[1].name", "two fields"},
		"no column":             {func(d *dataset.Document) { d.Fields[2].Column = "kin" }, "fields[2].column", "no column “kin”"},
		"a link that is none":   {func(d *dataset.Document) { d.Fields[4].Link = []string{"kind"} }, "fields[4].link", "not a link"},
		"a display field":       {func(d *dataset.Document) { d.Fields[4].Show = "title" }, "fields[4].show", "no column “title”"},
		"a kind of date":        {func(d *dataset.Document) { d.Fields[2].Time = "happened" }, "fields[2].time", "Only a date"},
		"a date that is none":   {func(d *dataset.Document) { d.Date = "kind" }, "date", "not a date field"},
		"an address that runs":  {func(d *dataset.Document) { d.OpenRecord = "javascript:alert({id})" }, "open_record", "a path of the host app"},
		"a foreign address":     {func(d *dataset.Document) { d.OpenRecord = "//evil.example/{id}" }, "open_record", "a path of the host app"},
		"an address":            {func(d *dataset.Document) { d.OpenRecord = "/jobs/{number}" }, "open_record", "no column “number”"},
		"a circle": {func(d *dataset.Document) {
			d.Fields[0] = dataset.FieldDocument{Name: "a", Formula: "b + 1"}
			d.Fields = append(d.Fields, dataset.FieldDocument{Name: "b", Formula: "a * 2"})
		}, "fields[0].formula", "“A” stands on “B”, which stands on “A”."},
		"a longer circle": {func(d *dataset.Document) {
			for name, of := range map[string]string{"a": "b", "b": "c", "c": "a"} {
				d.Fields = append(d.Fields, dataset.FieldDocument{Name: name, Formula: of + " + 1"})
			}
			slices.SortFunc(d.Fields[11:], func(a, b dataset.FieldDocument) int { return strings.Compare(a.Name, b.Name) })
		}, "fields[11].formula", "“A” stands on “B”, which stands on “C”, which stands on “A”."},
		"a stage of no list":    {func(d *dataset.Document) { d.Fields[2].Lost = []string{"declined"} }, "fields[2].lost", "not in the pick list"},
		"a furthest of nothing": {func(d *dataset.Document) { d.Fields[2].Furthest = "boat" }, "fields[2].lost", "Which values lie outside"},
		"a furthest date":       {func(d *dataset.Document) { d.Fields[2].Lost, d.Fields[2].Furthest = []string{"rework"}, "opened" }, "fields[2].furthest", "another field with the same values"},
		"a usual of nothing":    {func(d *dataset.Document) { d.Fields[6].Usual = "total" }, "fields[6].usual", "nothing that is computed"},
		"a rule for nobody":     {func(d *dataset.Document) { d.RowRules[0].Roles = nil }, "row_rules[0].roles", "which roles"},
		"a rule on no field":    {func(d *dataset.Document) { d.RowRules[0].Where.Field = "port" }, "row_rules[0].where.field", "no field “port”"},
		"a name in capitals":    {func(d *dataset.Document) { d.Fields[0].Name = "Opened" }, "fields[0].name", "small letters"},
	} {
		d := sample.Document()
		c.change(d)
		_, err := dataset.Resolve(d, sample.Tables(), nil)
		p := problem.Of(err)
		require.NotNil(t, p, name)
		assert.Contains(t, p.Words, c.words, name)
		assert.Equal(t, c.place, p.Place, name)
	}
	// A link onto a column that several records share would multiply records.
	d := sample.Document()
	d.From.Table, d.Key, d.Date, d.OpenRecord, d.RowRules = "note", nil, "", "", nil
	tables := sample.Tables()
	tables[2].Unique = [][]string{{"words"}}
	d.Key = []string{"words"}
	d.Fields = []dataset.FieldDocument{{Name: "job", Link: []string{"job_id"}, Show: "kind"}}
	_, err := dataset.Resolve(d, tables, nil)
	assert.ErrorContains(t, err, "multiply records")
}

func TestSuggestMakesADatasetThatResolves(t *testing.T) {
	tables := sample.Tables()
	d := dataset.Suggest("desk", tables[0], tables)
	ds, err := dataset.Resolve(d, tables, nil)
	require.NoError(t, err)
	assert.Equal(t, "name", ds.Find("yard").Show, "a link is shown by its display field")
	assert.Equal(t, dataset.Planned, ds.Find("promised_on").Time)
	assert.Equal(t, dataset.Happened, ds.Find("opened_at").Time)
	assert.Equal(t, "opened_at", d.Date)
	file := &dataset.Table{Schema: "public", Name: "visitors", Kind: "table", Unique: [][]string{{"row_number"}}, Columns: []dataset.Column{{Name: "row_number", Type: field.Integer, Native: true}, {Name: "column_2", Type: field.Text, Native: true, Comment: "имя гостя"}, {Name: "year", Type: field.Integer, Native: true}, {Name: "guests", Type: field.Integer, Native: true}}}
	of := dataset.Suggest(dataset.Files, file, dataset.Catalogue{file}).Fields
	assert.Equal(t, []string{"plain", "Имя гостя", "plain", ""}, []string{of[0].Format, of[1].Label, of[2].Format, of[3].Format}, "titles of files are labels, and what names something has no thousands signs")
	assert.Equal(t, "Qtd prc net", dataset.Tidy("qtd_prc_net"))
	assert.Equal(t, "Yard", dataset.Tidy("yard_id"))
}

func TestDocumentsAreReadStrictly(t *testing.T) {
	good := string(sample.Document().JSON())
	back, err := dataset.Read([]byte(good))
	require.NoError(t, err)
	assert.Equal(t, sample.Document(), back)
	for broken, words := range map[string]string{
		strings.Replace(good, `"kind"`, `"kynd"`, 1):             "",
		strings.Replace(good, `"source"`, `"sauce"`, 1):          `no key "sauce"`,
		strings.Replace(good, `"version": 1`, `"version": 9`, 1): "newer Eskadel",
		strings.Replace(good, `"is": `, `"resembles": `, 1):      `no comparison "resembles"`,
		good + "{}": "more text after the end",
	} {
		_, err := dataset.Read([]byte(broken))
		if words == "" {
			assert.NoError(t, err)
			continue
		}
		assert.ErrorContains(t, err, words)
	}
	for value, want := range map[string]string{"17": "/jobs/17", "": "", "..": "", "a/../b?c#d": "/jobs/a%2F..%2Fb%3Fc%23d", "Ż 1": "/jobs/%C5%BB%201"} {
		assert.Equal(t, want, sample.Jobs().Address([]string{value}))
	}
}
