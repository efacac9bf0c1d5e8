package dataset_test

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/rule"
	"eskadel/source/sourcetest"
)

func TestWhatStandsForARecord(t *testing.T) {
	column := func(name string, kind field.Type) dataset.Column { return dataset.Column{Name: name, Type: kind} }
	for _, c := range []struct {
		want    string
		unique  [][]string
		columns []dataset.Column
	}{
		{"name", nil, []dataset.Column{column("title", field.Text), column("name", field.Text)}},
		{"title", nil, []dataset.Column{column("note", field.Text), column("title", field.Text)}},
		{"Name", nil, []dataset.Column{column("Land", field.Text), column("Name", field.Text)}},
		{"note", nil, []dataset.Column{column("name", field.Integer), column("note", field.Text), column("more", field.Text)}},
		{"code", [][]string{{"code"}}, []dataset.Column{column("id", field.Integer), column("code", field.Integer)}},
		{"id", nil, []dataset.Column{column("id", field.Integer), column("code", field.Integer)}},
	} {
		table := &dataset.Table{Name: "x", Unique: c.unique, Columns: c.columns}
		assert.Equal(t, c.want, table.DisplayColumn())
		if c.unique == nil {
			assert.Nil(t, table.Key())
		} else {
			assert.Equal(t, c.unique[0], table.Key())
		}
	}
}

func TestTablesAreFoundByTheirNames(t *testing.T) {
	tables := dataset.Catalogue{{Schema: "a", Name: "job"}, {Schema: "b", Name: "job"}, {Schema: "public", Name: "yard"}, {Schema: "a", Name: "yard"}, {Schema: "a", Name: "boat"}, {Schema: "a", Name: "dock"}, {Schema: "public", Name: "dock"}, {Schema: "b", Name: "dock"}}
	for name, want := range map[string]string{"a.job": "a.job", "b.job": "b.job", "job": "", "yard": "public.yard", "boat": "a.boat", "dock": "public.dock", "gone": "", "b.boat": ""} {
		got := ""
		if found := tables.Table(name); found != nil {
			got = found.ID()
		}
		assert.Equal(t, want, got, name)
	}
}

func TestColumnsAreClassified(t *testing.T) {
	for base, want := range map[string]struct {
		kind                             field.Type
		native, zoned, float, json, list bool
	}{
		"integer": {kind: field.Integer, native: true}, "bigint": {kind: field.Integer, native: true}, "smallint": {kind: field.Integer, native: true}, "numeric": {kind: field.Number, native: true}, "real": {kind: field.Number, native: true, float: true}, "double precision": {kind: field.Number, native: true, float: true},
		"date": {kind: field.Date, native: true}, "timestamp with time zone": {kind: field.Timestamp, native: true, zoned: true}, "timestamp without time zone": {kind: field.Timestamp, native: true}, "boolean": {kind: field.Boolean, native: true}, "text": {kind: field.Text, native: true}, "character varying": {kind: field.Text, native: true},
		"character": {kind: field.Text}, "uuid": {kind: field.Text}, "jsonb": {kind: field.Text, json: true}, "json": {kind: field.Text, json: true}, "text[]": {kind: field.Text, list: true}, "interval": {kind: field.Text},
	} {
		var c dataset.Column
		c.Classify(base)
		assert.Equal(t, want, struct {
			kind                             field.Type
			native, zoned, float, json, list bool
		}{c.Type, c.Native, c.Zoned, c.Float, c.JSON, c.Array}, base)
	}
}

func TestWordsForRecords(t *testing.T) {
	for words, want := range map[string][2]string{
		"Job": {"job", "jobs"}, "Boats": {"boat", "boats"}, "Invoice line": {"invoice line", "invoice lines"}, "Companies": {"company", "companies"}, "Ties": {"tie", "ties"}, "Boxes": {"box", "boxes"}, "Class": {"class", "classes"}, "Classes": {"class", "classes"}, "Status": {"status", "statuses"}, "Analysis": {"analysis", "analysises"}, "News": {"news", "newses"},
		"Party": {"party", "parties"}, "Quay": {"quay", "quays"}, "Y": {"y", "ys"}, "Гость": {"гость", "гость"}, "Tbl 7": {"tbl 7", "tbl 7"}, "Wash": {"wash", "washes"}, "Buzz": {"buzz", "buzzes"}, "Branches": {"branch", "branches"}, "Bushes": {"bush", "bushes"},
	} {
		one, several := dataset.Records(words)
		assert.Equal(t, want, [2]string{one, several}, words)
		assert.Equal(t, want[1], dataset.Several(words))
	}
	for label, want := range map[string]string{"Yard cost (£)": "yard_cost", "2026 plan": "f2026_plan", "—": "f", "a": "a", "Ünïcode": "n_code", "A.B-C": "a_b_c"} {
		assert.Equal(t, want, dataset.NameOf(label), label)
	}
	long := dataset.NameOf("an overly long label that goes on and on until it is no name x y z w")
	assert.LessOrEqual(t, len(long), 60)
	assert.NotEqual(t, byte('_'), long[len(long)-1])
	for column, want := range map[string]string{"yard_id": "Yard", "yard-id": "Yard", "id": "Id", "_id": "Id", "__": "__"} {
		assert.Equal(t, want, dataset.Tidy(column), column)
	}
}

func TestSuggestions(t *testing.T) {
	tables := dataset.Catalogue{
		{Schema: "public", Name: "berth_stays", Kind: "table", Unique: [][]string{{"id"}}, Links: []dataset.Link{{Columns: []string{"boat_id"}, Table: "public.boat", To: []string{"id"}}, {Columns: []string{"yard", "place"}, Table: "public.place", To: []string{"yard", "place"}}, {Columns: []string{"gone_id"}, Table: "public.gone", To: []string{"id"}}},
			Columns: []dataset.Column{{Name: "id", Type: field.Integer, Native: true}, {Name: "boat_id", Type: field.Integer, Native: true}, {Name: "boat", Type: field.Text, Native: true}, {Name: "gone_id", Type: field.Integer, Native: true}, {Name: "yard", Type: field.Integer, Native: true}, {Name: "place", Type: field.Integer, Native: true},
				{Name: "fee", Type: field.Number, Native: true, Comment: "net"}, {Name: "guests", Type: field.Integer, Native: true}, {Name: "postcode", Type: field.Integer, Native: true}, {Name: "expected_on", Type: field.Date, Native: true}, {Name: "arrived", Type: field.Date, Native: true}, {Name: "left", Type: field.Date, Native: true}, {Name: "tags", Type: field.Text, Array: true}}},
		{Schema: "public", Name: "boat", Kind: "table", Unique: [][]string{{"id"}}, Columns: []dataset.Column{{Name: "id", Type: field.Integer, Native: true}, {Name: "title", Type: field.Text, Native: true}}},
		{Schema: "public", Name: "place", Kind: "table", Unique: [][]string{{"yard", "place"}}, Columns: []dataset.Column{{Name: "yard", Type: field.Integer, Native: true}, {Name: "place", Type: field.Integer, Native: true}, {Name: "name", Type: field.Text, Native: true}}},
	}
	d := dataset.Suggest("desk", tables[0], tables)
	assert.Equal(t, []string{"berth-stays", "Berth stays", "berth stay", "berth stays", "arrived"}, []string{d.Name, d.Title, d.Record[0], d.Record[1], d.Date})
	var got []string
	for _, f := range d.Fields {
		got = append(got, f.Name+"/"+f.Usual+f.Format+f.Time+f.Show+f.Description)
	}
	assert.Equal(t, []string{"id/countplain", "boat/title", "boat_2/", "gone_id/plain", "yard/", "place/", "fee/sumnet", "guests/", "postcode/plain", "expected_on/planned", "arrived/happened", "left/happened", "tags/", "place_2/name"}, got)
	assert.True(t, d.Fields[12].Several)
	assert.Equal(t, []string{"boat_id"}, d.Fields[1].Link)
}

func TestHeadsOfFields(t *testing.T) {
	tables := sample.Tables()
	tables.Table("public.yard").Rows = 5
	ds, err := dataset.Resolve(sample.Document(), tables, nil)
	require.NoError(t, err)
	region, ok := ds.Head(ds.Find("region"))
	require.True(t, ok)
	assert.Equal(t, []string{`r."yard_id"`, `r."id"`, "integer", "Yard", "Yard"}, []string{region.Column("r"), region.Key("r"), region.SQLType(), region.Records(), region.Name()})
	assert.EqualValues(t, 5, region.Rows())
	assert.Equal(t, field.Integer, region.Type())
	assert.True(t, region.Same(region))
	for _, name := range []string{"kind", "yard", "cost"} {
		_, ok := ds.Head(ds.Find(name))
		assert.False(t, ok, name)
	}
}

// Whatever column a field stands on: where that is hidden, the field is not there.
func TestEveryColumnThatAFieldStandsOn(t *testing.T) {
	_, src := sourcetest.Connect(t, "dataset_needs", sample.EverySchema)
	ds := sourcetest.Dataset(t, src, sample.EveryField)
	stand := map[string][]string{
		"job.cost": {"cost", "twice", "band", "band2"}, "job.kind": {"kind", "sort", "sort2"}, "job.lat": {"place"}, "job.long": {"place"}, "job.note": {"crew", "load", "size"}, "job.said": {"said", "band3"}, "job.tags": {"tags"},
		"job.yard_id": {"yard", "region", "owner", "town", "of_yard"}, "yard.name": {"yard"}, "yard.region": {"region"}, "yard.owner_id": {"owner", "town", "of_yard"}, "owner.name": {"owner", "makers"}, "owner.town": {"town"},
		"part.job_id": {"parts", "whole", "any", "worth", "least", "most", "newest", "oldest", "titles", "makers"}, "part.broken": {"whole", "makers"}, "part.title": {"any", "newest", "oldest", "titles"}, "part.price": {"worth", "least", "most"}, "part.fitted": {"newest", "oldest"}, "part.maker_id": {"makers"}, "job.boss_id": nil,
	}
	for column, want := range stand {
		table, name, _ := strings.Cut(column, ".")
		seen := ds.For(&dataset.Guard{Columns: map[string]map[string]bool{"public." + table: {name: true}}})
		var gone []string
		for _, f := range ds.Order() {
			if seen.Find(f.Name) == nil {
				gone = append(gone, f.Name)
			}
		}
		assert.ElementsMatch(t, want, gone, column)
	}
	only := ds.For(&dataset.Guard{Fields: map[string]bool{"kind": true}})
	assert.Nil(t, only.Find("kind"))
	assert.False(t, only.Restricted())
	assert.True(t, ds.For(&dataset.Guard{Own: filter.Never()}).Restricted())
	assert.Same(t, ds, ds.For(nil))
	assert.ElementsMatch(t, []string{"public.job", "public.yard", "public.owner", "public.part"}, ds.Tables())
	assert.NotNil(t, ds.Ruleless(), "nobody has said who may see them")
	assert.False(t, ds.Live(), "their changes are not announced")
	_, err := sourcetest.List(context.Background(), src, ds, rule.Viewer{Roles: []string{"x"}})
	assert.NoError(t, err)
}

func TestLinksInWords(t *testing.T) {
	one, two := dataset.Link{Columns: []string{"yard_id"}, Table: "public.quay"}, dataset.Link{Columns: []string{"clinic", "patient_no"}, Table: "public.in_patient"}
	assert.Equal(t, []string{"Yard", "In patient"}, []string{one.Label(), two.Label()})
	assert.Equal(t, []string{"yard_id", "clinic,patient_no"}, []string{one.Name(), two.Name()})
}

// Which fields may be read as something else: texts of a table, and those that are already.
func TestWhatMayBeRepaired(t *testing.T) {
	_, src := sourcetest.Connect(t, "dataset_repairs", sample.EverySchema)
	ds := sourcetest.Dataset(t, src, sample.EveryField)
	for name, want := range map[string]bool{"kind": true, "said": true, "load": true, "size": true, "region": true, "cost": false, "yard": false, "tags": false, "crew": false, "titles": false, "newest": false, "twice": false, "sort": false, "place": false, "at": false} {
		assert.Equal(t, want, ds.Find(name).Repairable(), name)
	}
}

func TestSettingsHaveTheirDefaults(t *testing.T) {
	doc := sample.Document()
	doc.Settings = []dataset.SettingDocument{{Name: "rate", Label: "Rate", Type: field.Number, Default: "40"}, {Name: "town", Label: "Town", Type: field.Text, Default: "Pell"}}
	ds, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"rate": "55", "town": "Pell"}, ds.Context(nil, map[string]string{"rate": "55", "town": "", "other": "x"}).Settings)
}

// Of the key of a view nothing makes sure that it is unique; nor of a table's that has none.
func TestKeysOfWhichNothingMakesSure(t *testing.T) {
	for _, c := range []struct {
		table  string
		key    []string
		unsure bool
		words  bool
	}{{"job", []string{"id"}, false, false}, {"note", []string{"job_id"}, true, false}, {"note", nil, false, true}} {
		doc := &dataset.Document{Version: dataset.Version, Name: "x", Title: "X", Record: [2]string{"x", "xs"}, Source: "desk", From: dataset.From{Table: c.table}, Key: c.key, Fields: []dataset.FieldDocument{{Name: "a", Label: "A", Column: map[string]string{"job": "kind", "note": "words"}[c.table]}}}
		ds, err := dataset.Resolve(doc, sample.Tables(), nil)
		require.NoError(t, err, c.table)
		assert.Equal(t, []bool{c.unsure, c.words}, []bool{ds.Unsure(), ds.Keyless() != ""}, c.table)
	}
	for address, fine := range map[string]bool{"": true, "/jobs/{id}": true, "jobs/{id}": false, "//jobs/{id}": false, "/jobs/ {id}": false, `/jobs\{id}`: false, "/jobs/\x7f{id}": false, "https://a/{id}": false} {
		doc := sample.Document()
		doc.OpenRecord = address
		_, err := dataset.Resolve(doc, sample.Tables(), nil)
		assert.Equal(t, fine, err == nil, address)
	}
}
