// Package sample is a small dataset for the tests of the core: jobs at yards.
package sample

import (
	"eskadel/core/dataset"
	"eskadel/core/field"
)

// Tables are two tables, jobs and yards, as a source would tell of them.
func Tables() dataset.Catalogue {
	native := func(name string, t field.Type) dataset.Column {
		return dataset.Column{Name: name, Type: t, Native: true, SQLType: map[field.Type]string{field.Integer: "integer", field.Text: "text"}[t]}
	}
	opened := native("opened_at", field.Timestamp)
	opened.Zoned, opened.NotNull = true, true
	rough := native("rough", field.Number)
	rough.Float = true
	boat := native("boat", field.Text)
	boat.Distinct = 1300
	tables := dataset.Catalogue{
		{Schema: "public", Name: "job", Kind: "table", Watched: true, Unique: [][]string{{"id"}}, Links: []dataset.Link{{Columns: []string{"yard_id"}, Table: "public.yard", To: []string{"id"}, Verified: true}},
			Columns: []dataset.Column{native("id", field.Integer), opened, native("promised_on", field.Date), native("kind", field.Text), boat, native("yard_id", field.Integer), native("cost", field.Number), rough,
				{Name: "state", Type: field.Text, SQLType: "job_state"}, native("late", field.Boolean)}},
		{Schema: "public", Name: "yard", Kind: "table", Watched: true, Unique: [][]string{{"id"}}, Columns: []dataset.Column{native("id", field.Integer), native("name", field.Text), native("region", field.Text)}},
		{Schema: "public", Name: "note", Kind: "view", Watched: true, Links: []dataset.Link{{Columns: []string{"job_id"}, Table: "public.job", To: []string{"kind"}}}, Columns: []dataset.Column{native("job_id", field.Text), native("words", field.Text)}},
	}
	tables, err := tables.With(Rules())
	if err != nil {
		panic(err)
	}
	return tables
}

// Rules are the row rules of the tables: everybody sees every job and every yard, so
// that the dataset's own rules decide.
func Rules() *dataset.SourceRules {
	r, err := dataset.ReadRules([]byte(`{"version":1,"source":"desk","tables":[{"table":"job","row_rules":[{"roles":["everyone"],"where":"every row"}]},
		{"table":"yard","row_rules":[{"roles":["everyone"],"where":"every row"}]}]}`))
	if err != nil {
		panic(err)
	}
	return r
}

// Document is the dataset of jobs.
func Document() *dataset.Document {
	d, err := dataset.Read([]byte(`{"version":1,"name":"jobs","title":"Jobs","record":["job","jobs"],"source":"desk","from":{"table":"job"},"key":["id"],"date":"opened","open_record":"/jobs/{id}","fields":[
		{"name":"opened","column":"opened_at","label":"Opened","time":"happened"},{"name":"promised","column":"promised_on","label":"Promised","time":"planned"},
		{"name":"kind","column":"kind","label":"Kind","list":["care","mishap","rework"]},{"name":"boat","column":"boat","label":"Boat"},
		{"name":"yard","link":["yard_id"],"show":"name","offers":["region"],"label":"Yard"},{"name":"region","link":["yard_id"],"column":"region","label":"Region"},
		{"name":"cost","column":"cost","label":"Cost","unit":"GBP","usual":"sum"},{"name":"rough","column":"rough"},{"name":"state","column":"state"},{"name":"late","column":"late"},{"name":"secret","column":"boat","hidden":true}],
		"row_rules":[{"roles":["foreman"],"where":{"field":"yard","is":{"viewer":"yard"}},"words":"at your yard"},{"roles":["keeper"],"where":{"not":{"field":"yard","is":{"viewer":"yard"}}}},{"roles":["director"],"where":"every row"}]}`))
	if err != nil {
		panic(err)
	}
	return d
}

// Jobs is the dataset, resolved.
func Jobs() *dataset.Dataset {
	ds, err := dataset.Resolve(Document(), Tables(), nil)
	if err != nil {
		panic(err)
	}
	return ds
}
