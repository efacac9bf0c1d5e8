package dataset_test

import (
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
	"eskadel/source/sourcetest"
)

const linkedSchema = `
create table clinic (code text primary key, town text not null);
create table patient (clinic text references clinic, no int, name text not null, primary key (clinic, no));
create table visit (id int primary key, clinic text not null, patient_no int, ward numeric, year int, seen timestamptz, paid numeric(7,2), due_on date, foreign key (clinic, patient_no) references patient (clinic, no));
create table ward (no numeric primary key, title text);
create view seen_visit as select * from visit where seen is not null;
insert into clinic values ('a', 'Pell'), ('b', 'Tarn');
insert into patient values ('a', 1, 'Ann'), ('b', 1, 'Ben');
insert into ward values (7, 'Long'), (8, 'Low');
insert into visit values (1, 'a', 1, 7.0, 2025, '2026-03-01', 10, null), (2, 'b', 1, 8, 2026, null, 5, null), (3, 'a', null, 9, null, null, null, null);`

func TestLinksBySeveralColumnsAndByNumbers(t *testing.T) {
	_, src := sourcetest.Connect(t, "dataset_links", linkedSchema)
	ds := sourcetest.Dataset(t, src, `"from":{"table":"visit"},"links":[{"column":"ward","table":"ward","to":"no"}],"key":["id"],"fields":[
		{"name":"patient","link":["clinic,patient_no"],"show":"name"},{"name":"town","link":["clinic,patient_no","clinic"],"column":"town"},{"name":"ward","link":["ward"],"show":"title"},{"name":"year","column":"year"}]`)
	assert.Equal(t, []string{"Ann | Pell | Long", "Ben | Tarn | Low", "∅ | ∅ | (not shown)"}, rows(t, src, ds, builder, "patient", "town", "ward"))

	patient, ward, year := ds.Find("patient"), ds.Find("ward"), ds.Find("year")
	assert.Equal(t, field.Text, patient.KeyType(), "several columns identify by the list of their texts")
	assert.Equal(t, field.Number, ward.KeyType())
	assert.Equal(t, field.Integer, year.KeyType())
	assert.False(t, patient.NotNull, "one of its columns may be empty")

	list, key, label := patient.Listing("p")
	assert.Equal(t, "patient", list.Name)
	assert.Equal(t, `(case when p."clinic" is not null and p."no" is not null then jsonb_build_array(p."clinic"::text, p."no"::text)::text end)`, key)
	assert.Equal(t, `p."name"`, label)
	join, _ := patient.LabelJoin("p", "k.v")
	assert.Equal(t, ` left join "public"."patient" p on (p."clinic" = (k.v::jsonb ->> 0)::text and p."no" = (k.v::jsonb ->> 1)::integer)`, join)

	for name, c := range map[string]struct{ link, place, words string }{
		"another number of columns": {`{"column":"clinic,patient_no","table":"clinic","to":"code"}`, "links[0].to", "as many columns"},
		"another type":              {`{"column":"year","table":"clinic","to":"code"}`, "links[0].to", "visit.year holds a whole number, clinic.code a text"},
		"numbers of another kind":   {`{"column":"year","table":"ward","to":"no"}`, "links[0].to", "visit.year holds a whole number, ward.no a number"},
		"no such table":             {`{"column":"year","table":"gone","to":"no"}`, "links[0].table", "no table “gone”"},
		"no such column":            {`{"column":"years","table":"ward","to":"no"}`, "links[0].column", "no column “years”"},
		"what names no one record":  {`{"column":"ward","table":"ward","to":"title"}`, "links[0].to", "title"},
	} {
		_, err := sourcetest.Resolve(t, src, `"from":{"table":"visit"},"links":[`+c.link+`],"fields":[{"name":"year","column":"year"}]`)
		var p *problem.Problem
		require.ErrorAs(t, err, &p, name)
		assert.Equal(t, c.place, p.Place, name)
		assert.Contains(t, p.Words, c.words, name)
	}
}

func TestTheHeadOfAWay(t *testing.T) {
	_, src := sourcetest.Connect(t, "dataset_heads", linkedSchema+`create table bed (id int primary key, visit_id int references visit, clinic varchar(9), number int);`)
	ds := sourcetest.Dataset(t, src, `"from":{"table":"bed"},"links":[{"column":"clinic","table":"clinic","to":"code"},{"column":"number","table":"visit","to":"id"}],"key":["id"],"fields":[
		{"name":"own","column":"clinic"},{"name":"more","formula":"upper(own)"},
		{"name":"year","link":["visit_id"],"column":"year"},{"name":"paid","link":["visit_id"],"column":"paid"},{"name":"name","link":["visit_id","clinic,patient_no"],"column":"name"},
		{"name":"other","link":["number"],"column":"year"},{"name":"town","link":["clinic"],"column":"town"},{"name":"visits","linked":{"table":"patient","by":"clinic","of":["clinic"],"take":"count"}}]`)
	head := func(name string) (dataset.Head, bool) { return ds.Head(ds.Find(name)) }
	for _, name := range []string{"own", "more", "visits"} {
		_, ok := head(name)
		assert.False(t, ok, name)
	}
	year, ok := head("year")
	require.True(t, ok)
	assert.Equal(t, []any{`r."visit_id"`, `k."id"`, "Visit", "Visit", field.Integer, "integer"}, []any{year.Column("r"), year.Key("k"), year.Records(), year.Name(), year.Type(), year.SQLType()})
	for name, same := range map[string]bool{"paid": true, "name": true, "other": false} {
		h, ok := head(name)
		require.True(t, ok, name)
		assert.Equal(t, same, year.Same(h), name)
	}
	_, ok = head("town")
	assert.False(t, ok, "varchar and text are not the same type")

	ds = sourcetest.Dataset(t, src, `"from":{"table":"visit"},"key":["id"],"fields":[{"name":"name","link":["clinic,patient_no"],"column":"name"}]`)
	_, ok = head("name")
	assert.False(t, ok, "a link of several columns")
}

func TestNamesOfSuggestedFields(t *testing.T) {
	table := func(columns ...dataset.Column) *dataset.Table {
		return &dataset.Table{Schema: "public", Name: "x", Columns: columns}
	}
	twice := dataset.Suggest("desk", table(dataset.Column{Name: "a b"}, dataset.Column{Name: "a-b"}, dataset.Column{Name: "A_b"}), nil)
	assert.Equal(t, []string{"a_b", "a_b_2", "a_b_3"}, []string{twice.Fields[0].Name, twice.Fields[1].Name, twice.Fields[2].Name})
	commented := table(dataset.Column{Name: "a", Comment: "net weight"})
	assert.Equal(t, "net weight", dataset.Suggest("desk", commented, nil).Fields[0].Description)
	file := dataset.Suggest(dataset.Files, commented, nil).Fields[0]
	assert.Equal(t, []string{"Net weight", ""}, []string{file.Label, file.Description})
	assert.Equal(t, strings.Repeat("a", 60), dataset.NameOf(strings.Repeat("a", 70)))
	assert.Equal(t, strings.Repeat("a", 59), dataset.NameOf(strings.Repeat("a", 59)+"_b"), "a name does not end in a line")
}

func TestWhatADatasetHears(t *testing.T) {
	_, src := sourcetest.Connect(t, "dataset_heard", linkedSchema)
	ds := sourcetest.Dataset(t, src, `"from":{"table":"seen_visit"},"fields":[{"name":"year","column":"year"}]`)
	assert.Equal(t, []string{"public.seen_visit"}, ds.Tables())
	assert.Equal(t, []string{"public.visit"}, ds.Heard(), "a view changes as what it reads does")
	ds = sourcetest.Dataset(t, src, `"from":{"table":"visit"},"key":["id"],"fields":[{"name":"town","link":["clinic,patient_no","clinic"],"column":"town"},{"name":"name","link":["clinic,patient_no"],"column":"name"}]`)
	assert.Equal(t, []string{"public.visit", "public.patient", "public.clinic"}, ds.Tables())
	assert.Equal(t, ds.Tables(), ds.Heard())
}

// A link by columns of the same kind is identified by what the record itself holds; by others,
// by the linked record's key.
func TestWhatIdentifiesALink(t *testing.T) {
	_, src := sourcetest.Connect(t, "dataset_keys", `
create table berth (id uuid primary key, no bigint unique, name text not null);
create table quay (code char(3) primary key, title text not null);
create table stay (id int primary key, berth_id uuid references berth, berth_no int references berth (no), quay char(3) references quay, at timestamptz, papers jsonb, lamps text[], "left" date);
create table fee (id int primary key, stay_id int references stay, due timestamptz, papers jsonb, lamps text[], net numeric(9,2), rough float8, paid date, kind text);
insert into berth values ('00000000-0000-0000-0000-000000000001', 5, 'North'); insert into quay values ('ab', 'Long');
insert into stay values (1, '00000000-0000-0000-0000-000000000001', 5, 'ab'), (2, null, null, null);
insert into fee values (1, 1), (2, 1), (3, null);`)
	document := func(fields string) string { return `"from":{"table":"stay"},"key":["id"],"fields":[` + fields + `]` }
	ds := sourcetest.Dataset(t, src, document(`{"name":"berth","link":["berth_id"],"show":"name"},{"name":"no","link":["berth_no"],"show":"name"},{"name":"quay","link":["quay"],"show":"title"}`))
	assert.Equal(t, []string{"North | North | Long", "∅ | ∅ | ∅"}, rows(t, src, ds, builder, "berth", "no", "quay"))
	scope := dataset.NewScope(ds, nil, filter.Env{Bind: &statement.Binder{}})
	for name, want := range map[string]string{"berth": `r."berth_id"::text`, "no": `r."berth_no"`, "quay": `r."quay"::text`} {
		column, err := scope.Column(name)
		require.NoError(t, err)
		assert.Equal(t, want, column.Key, name)
	}

	taken := func(what string) string {
		return document(`{"name":"x","linked":{"table":"fee","by":"stay_id",` + what + `}}`)
	}
	for what, words := range map[string]string{
		`"take":"each","column":"due"`: "holds a date with a time", `"take":"each","column":"papers"`: "holds a jsonb", `"take":"each","column":"lamps"`: "holds a text[]", `"take":"sum","column":"kind"`: "holds a text and cannot be added up", `"take":"largest","column":"kind"`: "has no size",
		`"take":"latest","column":"net","order":"kind"`: "Name the column, a date or a number", `"take":"latest","column":"net"`: "Name the column, a date or a number",
		`"take":"each","column":"kind"`: "", `"take":"each","column":"paid"`: "", `"take":"largest","column":"paid"`: "", `"take":"smallest","column":"net"`: "", `"take":"sum","column":"rough"`: "", `"take":"latest","column":"papers","order":"paid"`: "", `"take":"earliest","column":"kind","order":"net"`: "",
	} {
		if _, err := sourcetest.Resolve(t, src, taken(what)); words == "" {
			assert.NoError(t, err, what)
		} else {
			assert.ErrorContains(t, err, words, what)
		}
	}
}

// Numbers of a declared size are known to be so small in formulas; others may be of any.
func TestHowManyDigitsAColumnHas(t *testing.T) {
	_, src := sourcetest.Connect(t, "dataset_digits", `create table n (id int primary key, small numeric(5,2), whole numeric(4), any_size numeric, rough float8, tiny numeric(2,2));`)
	ds := sourcetest.Dataset(t, src, `"from":{"table":"n"},"key":["id"],"fields":[{"name":"id","column":"id"},{"name":"small","column":"small"},{"name":"whole","column":"whole"},{"name":"any_size","column":"any_size"},{"name":"rough","column":"rough"},{"name":"tiny","column":"tiny"}]`)
	for name, want := range map[string][2]int{"id": {19, 0}, "small": {3, 2}, "whole": {4, 0}, "rough": {310, 340}, "tiny": {1, 2}} {
		e, err := ds.Formula(name)
		require.NoError(t, err)
		assert.Equal(t, want, [2]int{e.Digits, e.Scale}, name)
	}
	_, err := ds.Formula("gone")
	assert.ErrorContains(t, err, "There is no field “gone”")
	assert.Equal(t, "Owner of yard of berth", dataset.ColumnLabel("berth_id.yard_id.owner"))
	assert.Equal(t, "Owner", dataset.ColumnLabel("owner"))
}

// A rule that looks at a linked record makes that record's table one that decides who may see
// what; a dataset's own rules make every table of it one.
func TestTablesThatRulesLookAt(t *testing.T) {
	tables := func(rules string) dataset.Catalogue {
		r, err := dataset.ReadRules([]byte(`{"version":1,"source":"desk","tables":[{"table":"job","row_rules":[{"roles":["everyone"],"where":` + rules + `}]},{"table":"yard","row_rules":[{"roles":["everyone"],"where":"every row"}]}]}`))
		require.NoError(t, err)
		out, err := sample.Tables().With(r)
		require.NoError(t, err)
		return out
	}
	for _, c := range []struct {
		rules, own string
		want       [2]bool // of jobs, of yards
	}{
		{`"every row"`, "", [2]bool{false, false}}, {`{"field":"kind","is":"care"}`, "", [2]bool{false, false}}, {`{"field":"yard_id.region","is":"north"}`, "", [2]bool{false, true}}, {`"every row"`, "kept", [2]bool{true, true}},
	} {
		doc := sample.Document()
		if c.own == "" {
			doc.RowRules = nil
		}
		ds, err := dataset.Resolve(doc, tables(c.rules), nil)
		require.NoError(t, err)
		assert.Equal(t, c.want, [2]bool{ds.Ruling("public.job"), ds.Ruling("public.yard")}, c.rules)
		assert.Equal(t, []string{"public.job", "public.yard"}, ds.Tables())
	}
}
