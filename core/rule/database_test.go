package rule_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/check"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/statement"
	"eskadel/source/sourcetest"
)

// The world of the rules' test: jobs of boats of owners, at yards, with stays that point to
// boats. The second schema holds the same tables, into which only what a viewer may see
// is copied; its links are not foreign keys, since what they name may not be there.
const rulesSchema = `
create table %[1]s.yard (id int primary key, name text not null, region text);
create table %[1]s.owner (id int primary key, name text not null, port text);
create table %[1]s.boat (id int primary key, name text not null, length numeric(5,2), owner_id int);
create table %[1]s.job (id int primary key, kind text, cost numeric(10,2), opened timestamptz, due date, yard_id int not null, boat_id int, note jsonb);
create table %[1]s.stay (id int primary key, boat_id int, nights int, arrived timestamptz, yard_id int);`

const rulesKeys = `
alter table full_.boat add foreign key (owner_id) references full_.owner;
alter table full_.job add foreign key (yard_id) references full_.yard, add foreign key (boat_id) references full_.boat;
alter table full_.stay add foreign key (boat_id) references full_.boat, add foreign key (yard_id) references full_.yard;`

var rulesTables = []string{"yard", "owner", "boat", "job", "stay"}

const rulesFields = `"fields":[{"name":"kind","column":"kind"},{"name":"cost","column":"cost"},{"name":"opened","column":"opened","time":"happened"},{"name":"due","column":"due","time":"planned"},
{"name":"yard","link":["yard_id"],"show":"name"},{"name":"region","link":["yard_id"],"column":"region"},{"name":"boat","link":["boat_id"],"show":"name"},{"name":"length","link":["boat_id"],"column":"length"},{"name":"owner","link":["boat_id","owner_id"],"show":"name"},{"name":"port","link":["boat_id","owner_id"],"column":"port"},
{"name":"stays","linked":{"table":"SCHEMA.stay","by":"boat_id","of":["boat_id"],"take":"count"}},{"name":"nights","linked":{"table":"SCHEMA.stay","by":"boat_id","of":["boat_id"],"take":"sum","column":"nights","where":{"field":"yard_id.region","is":"north"}}},{"name":"last_stay","linked":{"table":"SCHEMA.stay","by":"boat_id","of":["boat_id"],"take":"latest","column":"nights","order":"arrived"}},{"name":"weighed","linked":{"table":"SCHEMA.stay","by":"boat_id","of":["boat_id"],"take":"sum","formula":"nights * \"yard_id.id\"","when":"\"yard_id.region\" is null or nights > 1"}},
{"name":"dear","formula":"cost > coalesce(length, 5) * 10"},{"name":"group","groups":{"of":"kind","groups":[{"name":"first","values":["a","b"]}],"rest":"rest"}},{"name":"bin","bins":{"of":"cost","width":"25"}},{"name":"where_to","formula":"coalesce(port, region, 'nowhere')"}]`

func rulesDataset(t require.TestingT, c dataset.Catalogue, schema, base, own string) *dataset.Dataset {
	from := fmt.Sprintf(`{"table":"%s.job"}`, schema)
	doc, err := dataset.Read([]byte(strings.ReplaceAll(fmt.Sprintf(`{"version":1,"name":"jobs","title":"Jobs","record":["job","jobs"],"source":"test","from":%s,"key":["id"],"date":"opened",%s%s%s}`, from, rulesFields, base, own), "SCHEMA", schema)))
	require.NoError(t, err)
	ds, err := dataset.Resolve(doc, c, nil)
	require.NoError(t, err)
	return ds
}

// someRule draws the condition of a row rule on a table, over its columns and behind its links.
func someRule(t *rapid.T, table string) filter.Condition {
	leaves := map[string][]filter.Condition{
		"yard":  {filter.Compare("region", filter.Is, "north"), {Field: "id", Op: filter.Is, Values: []filter.Operand{{Viewer: "yard"}}}, filter.Compare("name", filter.IsNot, "Y2")},
		"owner": {filter.Compare("port", filter.OneOf, "p1", "p2"), filter.Compare("port", filter.Filled), filter.Compare("name", filter.Contains, "1")},
		"boat":  {filter.Compare("length", filter.Above, "8"), filter.Compare("owner_id.port", filter.Is, "p1"), filter.Negate(filter.Compare("owner_id.port", filter.Is, "p2")), filter.Compare("owner_id", filter.Empty)},
		"job":   {{Field: "yard_id", Op: filter.Is, Values: []filter.Operand{{Viewer: "yard"}}}, filter.Compare("kind", filter.NoneOf, "a"), filter.Compare("boat_id.owner_id.port", filter.IsNot, "p1"), filter.Compare("yard_id.region", filter.Is, "north"), filter.Compare("cost", filter.AtMost, "60")},
		"stay":  {filter.Compare("nights", filter.Below, "5"), filter.Compare("boat_id.length", filter.Above, "8"), {Field: "yard_id", Op: filter.IsNot, Values: []filter.Operand{{Viewer: "yard"}}}},
	}[table]
	one := func() filter.Condition { return rapid.SampledFrom(leaves).Draw(t, "leaf") }
	switch rapid.IntRange(0, 5).Draw(t, "rule") {
	case 0:
		return filter.Condition{}
	case 1:
		return filter.Condition{Any: []filter.Condition{one(), one()}}
	case 2:
		return filter.Condition{All: []filter.Condition{one(), filter.Negate(one())}}
	case 3:
		return filter.Negate(one())
	}
	return one()
}

func someWorld(t *rapid.T) string {
	var b strings.Builder
	lit := func(options ...string) string { return rapid.SampledFrom(options).Draw(t, "value") }
	b.WriteString("truncate full_.yard, full_.owner, full_.boat, full_.job, full_.stay, part.yard, part.owner, part.boat, part.job, part.stay;")
	for i := 1; i <= 3; i++ {
		fmt.Fprintf(&b, "insert into full_.yard values (%d, 'Y%d', %s);", i, rapid.IntRange(1, 2).Draw(t, "name"), lit("'north'", "'south'", "null"))
		fmt.Fprintf(&b, "insert into full_.owner values (%d, 'O%d', %s);", i, i, lit("'p1'", "'p2'", "null"))
	}
	for i := 1; i <= 5; i++ {
		fmt.Fprintf(&b, "insert into full_.boat values (%d, 'B%d', %s, %s);", i, rapid.IntRange(1, 3).Draw(t, "name"), lit("6", "9.5", "12", "null"), lit("1", "2", "3", "null"))
	}
	for i := 1; i <= rapid.IntRange(0, 25).Draw(t, "jobs"); i++ {
		fmt.Fprintf(&b, "insert into full_.job values (%d, %s, %s, timestamptz '2026-11-20 10:00Z' - interval '%d days', %s, %s, %s);", i, lit("'a'", "'b'", "'c'", "''", "null"), lit("5", "37.5", "60", "99.99", "null"), rapid.IntRange(0, 90).Draw(t, "ago"), lit("null", "'2026-12-01'", "'2026-08-15'", "'2099-01-01'"), lit("1", "2", "3"), lit("1", "2", "3", "4", "5", "null"))
	}
	for i := 1; i <= rapid.IntRange(0, 20).Draw(t, "stays"); i++ {
		fmt.Fprintf(&b, "insert into full_.stay values (%d, %s, %d, timestamptz '2026-06-01 10:00Z' + interval '%d hours', %s);", i, lit("1", "2", "3", "4", "5", "null"), rapid.IntRange(1, 9).Draw(t, "nights"), i*rapid.IntRange(1, 3).Draw(t, "later"), lit("1", "2", "3", "null"))
	}
	return b.String()
}

var ruledDefinitions = []string{
	`"measures":[{"count":"records"},{"sum":"cost"},{"average":"stays"}]`,
	`"measures":[{"sum":"cost"}],"by":[{"field":"opened"}],"split":{"field":"yard"}`,
	`"measures":[{"median":"cost"},{"distinct":"boat"}],"by":[{"field":"owner","largest":2,"others":true}]`,
	`"measures":[{"count":"records"}],"by":[{"field":"boat","largest":2,"others":true}],"split":{"field":"yard"}`,
	`"measures":[{"sum":"nights"},{"largest":"last_stay"}],"by":[{"field":"where_to"}]`,
	`"measures":[{"count":"port"}],"by":[{"field":"region"},{"field":"group"}],"where":{"field":"port","is_not":"p1"}`,
	`"measures":[{"formula":"sum(cost) / count(distinct owner)"}],"by":[{"field":"bin"}],"where":{"not":{"field":"dear","is":true}}`,
	`"measures":[{"count":"records","where":{"field":"boat","filled":true}}],"by":[{"field":"due","grain":"month"}]`,
	`"measures":[{"count":"records"}],"by":[{"field":"opened","part":"weekday"}],"where":{"field":"stays","above":0}`,
	`"measures":[{"sum":"cost"},{"average":"length"}],"by":[{"field":"region"}],"split":{"field":"port","largest":1,"others":true}`,
	`"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"all":[{"field":"opened","within":{"last":2,"unit":"month"}},{"any":[{"field":"port","is":"p1"},{"field":"port","contains":"2"}]}]},"compare":"period before"`,
}

// What a restricted viewer gets, on every path, equals what somebody who may see everything
// gets from tables that hold only the rows the viewer may see.
func TestRulesEqualTablesThatHoldOnlyTheAllowedRows(t *testing.T) {
	conn, src := sourcetest.Connect(t, "rules_matrix", "create schema full_; create schema part; grant usage on schema full_, part to rules_matrix_reader;"+fmt.Sprintf(rulesSchema, "full_")+rulesKeys+fmt.Sprintf(rulesSchema, "part")+"grant select on all tables in schema full_, part to rules_matrix_reader;")
	ctx := context.Background()
	plain, err := src.Introspect(ctx)
	require.NoError(t, err)
	for _, name := range rulesTables {
		for _, l := range plain.Table("full_." + name).Links {
			part := plain.Table("part." + name)
			part.Links = append(part.Links, dataset.Link{Columns: l.Columns, Table: strings.Replace(l.Table, "full_", "part", 1), To: l.To})
		}
	}
	rapid.Check(t, func(t *rapid.T) {
		_, err := conn.Exec(ctx, someWorld(t), pgx.QueryExecModeSimpleProtocol)
		require.NoError(t, err)
		v := rule.Viewer{Roles: []string{"some"}, Attributes: filter.Attributes{"yard": rapid.SampledFrom([]any{1, 2, "3", nil, []any{1, 2}}).Draw(t, "attribute")}}
		everything := rule.Viewer{Builder: true, Attributes: v.Attributes}
		rules := &dataset.SourceRules{Version: 1, Source: "test"}
		conditions := map[string]filter.Condition{}
		for _, table := range rulesTables {
			c := someRule(t, table)
			conditions[table] = c
			rules.Tables = append(rules.Tables, dataset.TableRules{Table: "full_." + table, RowRules: []dataset.RowRule{{Roles: []string{"some"}, Where: c}}})
		}
		ruled, err := plain.With(rules)
		require.NoError(t, err)
		base := rapid.SampledFrom([]string{"", `,"base_filter":{"field":"owner","is_not":2}`, `,"base_filter":{"field":"kind","filled":true}`}).Draw(t, "base")
		own := rapid.SampledFrom([]string{"", `,"row_rules":[{"roles":["some"],"where":{"field":"region","is_not":"south"}}]`, `,"row_rules":[{"roles":["some"],"where":{"field":"stays","above":0}}]`}).Draw(t, "own")
		full := rulesDataset(t, ruled, "full_", base, own)
		part := rulesDataset(t, plain, "part", base, "")
		// Of many, what lies behind links is found first, and records are grouped by its keys.
		full.Table.Rows = rapid.SampledFrom([]int64{0, 1_000_000}).Draw(t, "rows")
		for _, table := range rulesTables[:3] {
			ruled.Table("full_." + table).Rows = 5
		}
		// Which rows are allowed is decided over the full tables.
		for _, table := range rulesTables {
			where := conditions[table].ForRule(v.Attributes)
			bind := newBind()
			scope := dataset.NewTableScope(plain.Table("full_."+table), plain, nil, bind)
			sql, err := scope.Condition(where)
			require.NoError(t, err)
			from := scope.From()
			if table == "job" && own != "" {
				// The dataset's own rule, too, looks at every record.
				everyRow := rulesDataset(t, plain, "full_", "", "")
				over := dataset.NewScope(everyRow, nil, bind)
				rest, err := over.Condition(full.RowRules[0].Where.ForRule(v.Attributes))
				require.NoError(t, err)
				_, err = conn.Exec(ctx, "insert into part.job select r.* from "+from+" where "+sql+" and r.id in (select r.id from "+over.From()+" where "+rest+")", bind.Bind.Args()...)
				require.NoError(t, err)
				continue
			}
			_, err = conn.Exec(ctx, "insert into part."+table+" select r.* from "+from+" where "+sql, bind.Bind.Args()...)
			require.NoError(t, err)
		}
		var definitions []query.Definition
		for range 3 {
			doc := rapid.SampledFrom(ruledDefinitions).Draw(t, "definition")
			d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","form":"table",` + doc + `}`))
			require.NoError(t, err, doc)
			definitions = append(definitions, d.Definition)
		}
		filters := []filter.Condition{{}, {}, {}, {}, filter.Compare("port", filter.IsNot, "p1"), filter.Compare("owner", filter.Empty), filter.Compare("boat", filter.NotShown), filter.Compare("nights", filter.Empty),
			filter.Compare("port", filter.OneOf, "p1", "p3"), filter.And(filter.Compare("region", filter.Is, "north"), filter.Compare("length", filter.Above, "7"))}
		var questions []check.Question
		for i, f := range filters {
			q := check.Question{Name: fmt.Sprint("question ", i), Setting: query.Setting{Now: newBind().Now, Calendar: period.ISO(time.UTC), Viewer: v.Attributes, Filters: f}}
			if i < len(definitions) {
				q.Definition, q.Setting.Filters = definitions[i], filter.Condition{}
			}
			questions = append(questions, q)
		}
		got := check.Ask(ctx, src, rule.See(full, v), v, questions)
		want := check.Ask(ctx, src, part, everything, questions)
		require.Equal(t, want, got, "with the rules %s", rules.JSON())
	})
}

func newBind() filter.Env {
	return filter.Env{Bind: &statement.Binder{}, Now: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}
}
