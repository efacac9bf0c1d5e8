package dataset_test

import (
	"encoding/json"
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

// port is a catalogue with a column of every kind that datasets take apart.
func port() dataset.Catalogue {
	column := func(name, base string) dataset.Column {
		c := dataset.Column{Name: name, SQLType: base}
		c.Classify(base)
		return c
	}
	tables := append(sample.Tables(),
		&dataset.Table{Schema: "public", Name: "buoy", Kind: "table", Unique: [][]string{{"id"}}, Columns: []dataset.Column{
			column("id", "bigint"), column("lat", "numeric"), column("lon", "double precision"), column("papers", "jsonb"), column("lamps", "text[]"),
			column("spring", "integer"), column("autumn", "numeric"), column("note", "text")}},
		&dataset.Table{Schema: "public", Name: "lift", Kind: "table", Unique: [][]string{{"id"}}, Links: []dataset.Link{{Columns: []string{"job_id"}, Table: "public.job", To: []string{"id"}, Verified: true}},
			Columns: []dataset.Column{column("id", "bigint"), column("job_id", "bigint"), column("at", "timestamp with time zone"), column("tons", "numeric"), column("gear", "text")}},
		&dataset.Table{Schema: "public", Name: "log", Kind: "table", Columns: []dataset.Column{column("lines", "text[]")}})
	return tables
}

// put makes a document of the sample's with one field, measure or such more.
func put(t *testing.T, key, text string) *dataset.Document {
	d := sample.Document()
	var into any
	switch key {
	case "fields":
		d.Fields = append(d.Fields, dataset.FieldDocument{})
		into = &d.Fields[len(d.Fields)-1]
	case "measures":
		d.Measures = []dataset.MeasureDocument{{}}
		into = &d.Measures[0]
	case "settings":
		d.Settings = []dataset.SettingDocument{{}}
		into = &d.Settings[0]
	case "conditions":
		d.Conditions = []dataset.NamedCondition{{}}
		into = &d.Conditions[0]
	case "links":
		d.Links = []dataset.LinkDocument{{}}
		into = &d.Links[0]
	case "from":
		d.From, into = dataset.From{}, &d.From
	case "base_filter":
		into = &d.BaseFilter
	}
	require.NoError(t, json.Unmarshal([]byte(text), into), text)
	return d
}

func TestEachPartOfADocumentIsRefusedAtItsPlace(t *testing.T) {
	for _, c := range []struct{ key, text, place, words string }{
		{"fields", `{"name":"x"}`, "fields[11].column", "is one of"},
		{"fields", `{"name":"x","column":"kind","formula":"1"}`, "fields[11].column", "is one of"},
		{"fields", `{"name":"x","column":"kind","colours":{"care":"red"}}`, "fields[11].colours", "written like #1D3557"},
		{"fields", `{"name":"x","column":"cost","read_as":{"type":"number","like":"1,234.50"}}`, "fields[11].read_as", "only text"},
		{"fields", `{"name":"x","link":["yard_id"],"read_as":{"type":"number","like":"1,234.50"}}`, "fields[11].read_as", "only text"},
		{"fields", `{"name":"x","column":"kind","inside":["a"]}`, "fields[11].inside", "does not hold JSON"},
		{"fields", `{"name":"x","position":["cost"]}`, "fields[11].position", "two columns"},
		{"fields", `{"name":"x","position":["cost","kind"]}`, "fields[11].position", "of numbers"},
		{"fields", `{"name":"x","linked":{"table":"lifts","by":"job_id","take":"count"}}`, "fields[11].linked.table", "no table “lifts”"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"gear","take":"count"}}`, "fields[11].linked.by", "not a link"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","of":["yard_id"],"take":"count"}}`, "fields[11].linked.by", "points to public.job, not to yard"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","of":["kind"],"take":"count"}}`, "fields[11].linked.of.link", "not a link"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"middle"}}`, "fields[11].linked.take", "count, sum, smallest"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"sum"}}`, "fields[11].linked.column", "no column “”"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"sum","column":"gear"}}`, "fields[11].linked.column", "cannot be added up"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"sum","formula":"tons + weight"}}`, "fields[11].linked.formula.@7", "There is no field “weight”"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"sum","formula":"sum(tons)"}}`, "fields[11].linked.formula", "a value for each"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"sum","formula":"gear"}}`, "fields[11].linked.column", "This formula holds a text and cannot be added up"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"sum","formula":"tons","column":"tons"}}`, "fields[11].linked.formula", "not both"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"count","when":"tons"}}`, "fields[11].linked.when", "by a condition"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"largest","column":"gear"}}`, "fields[11].linked.column", "no size"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"latest","column":"gear"}}`, "fields[11].linked.order", "which record is the latest"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"latest","column":"gear","order":"gear"}}`, "fields[11].linked.order", "which record is the latest"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"any","where":{"field":"weight","above":3}}}`, "fields[11].linked.where.field", "no column “weight”"},
		{"fields", `{"name":"x","linked":{"table":"lift","by":"job_id","take":"any","where":{"field":"tons","above":{"setting":"most"}}}}`, "fields[11].linked.where", "takes no setting"},
		{"fields", `{"name":"x","groups":{"of":"port","groups":[{"name":"A","values":["a"]}]}}`, "fields[11].groups.of", "no field “port”"},
		{"fields", `{"name":"x","groups":{"of":"cost","groups":[{"name":"A","values":["a"]}]}}`, "fields[11].groups.of", "values of a text"},
		{"fields", `{"name":"x","groups":{"of":"kind","groups":[]}}`, "fields[11].groups.of", "values of a text"},
		{"fields", `{"name":"x","groups":{"of":"kind","groups":[{"name":"A","values":[]}]}}`, "fields[11].groups.groups", "at least one value"},
		{"fields", `{"name":"x","groups":{"of":"kind","groups":[{"name":"A","values":["care"]},{"name":"B","values":["mishap","care"]}]}}`, "fields[11].groups.groups", "in two groups, A and B"},
		{"fields", `{"name":"x","bins":{"of":"port","width":"1"}}`, "fields[11].bins.of", "no field “port”"},
		{"fields", `{"name":"x","bins":{"of":"kind","width":"1"}}`, "fields[11].bins.of", "made of numbers"},
		{"fields", `{"name":"x","bins":{"of":"cost","width":"0"}}`, "fields[11].bins.width", "above 0"},
		{"fields", `{"name":"x","bins":{"of":"cost","width":"wide"}}`, "fields[11].bins.width", "above 0"},
		{"fields", `{"name":"x","bins":{"of":"cost","width":"5","start":"here"}}`, "fields[11].bins.start", "start at a number"},
		{"fields", `{"name":"x","bins":{"of":"cost","width":"5","count":1001}}`, "fields[11].bins.count", "at most 1000"},
		{"fields", `{"name":"x","formula":"sum(cost)"}`, "fields[11].formula", "is a measure"},
		{"fields", `{"name":"x","formula":"kind + 1"}`, "fields[11].formula.@0", "needs a number"},
		{"fields", `{"name":"x","formula":"x + 1"}`, "fields[11].formula", "stands on itself"},
		{"fields", `{"name":"x","formula":"cost * 2","time":"happened"}`, "fields[11].time", "Only a date"},

		{"measures", `{"name":"Cost","formula":"sum(cost)"}`, "measures[0].name", "small letters"},
		{"measures", `{"name":"cost","formula":"sum(cost)"}`, "measures[0].name", "field or measure called “cost”"},
		{"measures", `{"name":"mean","formula":"cost * 2"}`, "measures[0].formula", "over groups"},
		{"measures", `{"name":"mean","formula":"largest(kind)"}`, "measures[0].formula.@0", "no function “largest”"},

		{"settings", `{"name":"Rate","type":"number","default":"1"}`, "settings[0].name", "small letters"},
		{"settings", `{"name":"rate","type":"number","default":"dear"}`, "settings[0].default", "needs a default: a number"},
		{"settings", `{"name":"rate","type":"date","default":""}`, "settings[0].default", "needs a default: a date"},

		{"conditions", `{"name":"dear","where":{"field":"cost","above":3}}`, "conditions[0].name", "and a title"},
		{"conditions", `{"name":"dear","title":"Dear","where":{"field":"price","above":3}}`, "conditions[0].where.field", "no field “price”"},
		{"conditions", `{"name":"dear","title":"Dear","where":{"all":[{"named":"dear"}]}}`, "conditions[0].where", "cannot stand on another"},
		{"base_filter", `{"not":{"field":"cost","above":{"setting":"most"}}}`, "base_filter.setting", "no setting “most”"},
		{"base_filter", `{"field":"kind","above":3}`, "base_filter.above", "for numbers and dates"},
		{"base_filter", `{"named":"dear"}`, "base_filter.named", "no condition called “dear”"},

		{"links", `{"column":"kind","table":"pier","to":"id"}`, "links[0].table", "no table “pier”"},
		{"links", `{"column":"port","table":"yard","to":"id"}`, "links[0].column", "no column “port”"},
		{"links", `{"column":"kind","table":"yard","to":"name"}`, "links[0].to", "multiply records"},
		{"links", `{"column":"kind","table":"yard","to":"id"}`, "links[0].to", "yard.id a whole number"},

		{"from", `{}`, "from", "one of: table, select"},
		{"from", `{"table":"job","wide":{"table":"buoy"}}`, "from", "one of: table, select"},
		{"from", `{"select":"select 1"}`, "from.select", "has not been checked"},
		{"from", `{"unnest":{"table":"boat","column":"lamps"}}`, "from.unnest.table", "no table “boat”"},
		{"from", `{"unnest":{"table":"buoy","column":"note"}}`, "from.unnest.column", "JSON or a list"},
		{"from", `{"unnest":{"table":"buoy","column":"lamps","inside":["a"]}}`, "from.unnest.inside", "nothing inside"},
		{"from", `{"unnest":{"table":"log","column":"lines"}}`, "from.unnest.table", "could not be told apart"},
		{"from", `{"wide":{"table":"buoy","columns":["spring","autumn"],"name":"season","value":"season"}}`, "from.wide.name", "two new columns"},
		{"from", `{"wide":{"table":"buoy","columns":["spring"],"name":"season","value":"amount"}}`, "from.wide.columns", "at least two"},
		{"from", `{"wide":{"table":"buoy","columns":["spring","summer"],"name":"season","value":"amount"}}`, "from.wide.columns", "no column “summer”"},
		{"from", `{"wide":{"table":"buoy","columns":["spring","note"],"name":"season","value":"amount"}}`, "from.wide.columns", "hold the same"},
		{"from", `{"wide":{"table":"buoy","columns":["spring","autumn"],"name":"note","value":"amount"}}`, "from.wide.name", "“note” already"},
	} {
		_, err := dataset.Resolve(put(t, c.key, c.text), port(), nil)
		p := problem.Of(err)
		if assert.NotNil(t, p, c.text) {
			assert.Contains(t, p.Words, c.words, c.text)
			assert.Equal(t, c.place, p.Place, c.text)
		}
	}
}

func TestTypesOfWhatIsMade(t *testing.T) {
	for text, want := range map[string]field.Type{
		`{"name":"x","linked":{"table":"lift","by":"job_id","take":"count"}}`:                                                  field.Integer,
		`{"name":"x","linked":{"table":"lift","by":"job_id","take":"latest","order":"at","formula":"\"job_id.yard_id\" + 1"}}`: field.Integer,
		`{"name":"x","linked":{"table":"lift","by":"job_id","take":"any","where":{"field":"tons","above":20}}}`:                field.Boolean,
		`{"name":"x","linked":{"table":"lift","by":"job_id","take":"sum","column":"tons"}}`:                                    field.Number,
		`{"name":"x","linked":{"table":"lift","by":"job_id","take":"largest","column":"at"}}`:                                  field.Timestamp,
		`{"name":"x","linked":{"table":"lift","by":"job_id","take":"latest","column":"gear","order":"at"}}`:                    field.Text,
		`{"name":"x","groups":{"of":"kind","groups":[{"name":"Planned","values":["care"]}],"rest":"Unplanned"}}`:               field.Text,
		`{"name":"x","bins":{"of":"cost","width":"250"}}`:                                                                      field.Number,
		`{"name":"x","formula":"opened > promised"}`:                                                                           field.Boolean,
		`{"name":"x","column":"kind","read_as":{"type":"number","like":"1,234.50"}}`:                                           field.Number,
		`{"name":"x","link":["yard_id"]}`:                                                                                      field.Text,
		`{"name":"x","link":["yard_id"],"column":"id"}`:                                                                        field.Integer,
		`{"name":"x","formula":"case when late then cost else 0 end"}`:                                                         field.Number,
	} {
		ds, err := dataset.Resolve(put(t, "fields", text), port(), nil)
		if assert.NoError(t, err, text) {
			assert.Equal(t, want, ds.Find("x").Type, text)
		}
	}
	// Groups without a list of their own are listed in the order that they are written in.
	ds, err := dataset.Resolve(put(t, "fields", `{"name":"x","groups":{"of":"kind","groups":[{"name":"Planned","values":["care"]}],"rest":"Unplanned"}}`), port(), nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"Planned", "Unplanned"}, ds.Find("x").List)
}

func TestRecordsMadeOfColumnsAndLists(t *testing.T) {
	wide, err := dataset.From{Wide: &dataset.Wide{Table: "buoy", Columns: []string{"spring", "autumn"}, Name: "season", Value: "amount"}}.Records(port(), nil)
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"id", "season"}}, wide.Unique)
	assert.Equal(t, field.Number, wide.Column("amount").Type, "a whole number and a number are numbers")
	assert.Equal(t, []string{"spring", "autumn"}, wide.Column("season").List)
	assert.Nil(t, wide.Column("spring"))
	for column, value := range map[string]field.Type{"lamps": field.Text, "papers": field.Text} {
		list, err := dataset.From{Unnest: &dataset.Unnest{Table: "buoy", Column: column}}.Records(port(), nil)
		require.NoError(t, err, column)
		assert.Equal(t, [][]string{{"buoy_id", "position"}}, list.Unique)
		assert.Equal(t, value, list.Column("value").Type)
		assert.Equal(t, []dataset.Link{{Columns: []string{"buoy_id"}, Table: "public.buoy", To: []string{"id"}, Verified: true}}, list.Links, "with a link back")
		assert.Equal(t, "buoy", list.Bases()[0].Name)
	}
}

// A key inside JSON is a constant of the statement, whatever it holds.
func TestKeysInsideJSONAreQuoted(t *testing.T) {
	made, err := dataset.From{Unnest: &dataset.Unnest{Table: "buoy", Column: "papers", Inside: []string{`o'clock'); drop table buoy; --`}}}.Records(port(), nil)
	require.NoError(t, err)
	d := sample.Document()
	d.From, d.Key, d.OpenRecord, d.Date, d.RowRules = dataset.From{Unnest: &dataset.Unnest{Table: "buoy", Column: "papers", Inside: []string{`o'clock'); drop table buoy; --`}}}, made.Unique[0], "", "", nil
	d.Fields = []dataset.FieldDocument{{Name: "place", Column: "position"}}
	ds, err := dataset.Resolve(d, port(), nil)
	require.NoError(t, err)
	assert.Contains(t, dataset.NewScope(ds, nil, filter.Env{Bind: &statement.Binder{}}).From(), `array['o''clock''); drop table buoy; --']::text[]`)
}

func TestMisfitsTellsAllAtOnce(t *testing.T) {
	d := put(t, "fields", `{"name":"tons","column":"tons"}`)
	d.Fields[2].Column, d.Fields[4].Link = "sort", []string{"pier_id"}
	var places []string
	for _, p := range dataset.Misfits(d, port(), nil) {
		places = append(places, p.Place)
	}
	assert.Equal(t, []string{"fields[2].column", "fields[4].link", "fields[11].column", "row_rules[0].where.field"}, places,
		"each field once, counted as in the document, then what stood on them")
	assert.Empty(t, dataset.Misfits(sample.Document(), port(), nil))
}

func TestDrillPaths(t *testing.T) {
	for words, path := range map[string][]string{
		"through 2 to 8":       {"yard"},
		"no field":             {"yard", "gone"},
		"cannot be divided by": {"yard", "cost"},
		"twice":                {"yard", "kind", "yard"},
	} {
		d := sample.Document()
		d.DrillPaths = [][]string{{"yard", "boat"}, path}
		_, err := dataset.Resolve(d, sample.Tables(), nil)
		assert.ErrorContains(t, err, words)
		assert.Equal(t, "drill_paths[1]", problem.Of(err).Place)
	}
}
