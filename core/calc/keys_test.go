package calc_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/profile"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/sql"
	"eskadel/source/sourcetest"
)

// A seed bank keeps what it sows in a database of another make: two schemas, a table in
// parts, names in other scripts, and beds that are known by keys of every kind.

// A keyKind is one way in which the beds may be known.
type keyKind struct {
	name   string
	types  []string    // of the columns of their key, as the database names them
	rows   [4][]string // what they hold
	holds  field.Type
	values [4]string // how one value stands for them
}

func single(name, sql string, holds field.Type, a, b, c, d string) keyKind {
	return keyKind{name, []string{sql}, [4][]string{{a}, {b}, {c}, {d}}, holds, [4]string{a, b, c, d}}
}

var keyKinds = []keyKind{
	single("uuid", "uuid", field.Text, "6f1c1e1e-0000-4000-8000-000000000001", "6f1c1e1e-0000-4000-8000-000000000002", "00000000-0000-0000-0000-000000000000", "ffffffff-ffff-ffff-ffff-ffffffffffff"),
	single("text", "text", field.Text, "A 1", "b'2", "", "ж"),
	single("bigint", "bigint", field.Integer, "1", "9007199254740993", "-5", "9223372036854775807"),
	single("numeric", "numeric(12,2)", field.Number, "1.50", "-0.01", "2.25", "9999999999.99"),
	single("date", "date", field.Date, "2026-01-01", "2024-02-29", "1999-12-31", "2030-06-30"),
	single("timestamptz", "timestamptz", field.Timestamp, "2026-03-29T00:30:00Z", "2026-10-25T01:30:00.5Z", "1999-12-31T23:59:59Z", "2030-01-01T00:00:00Z"),
	single("enum", "bank.state", field.Text, "fallow", "in bloom", "пусто", "o'ther"),
	single("domain", "bank.code", field.Text, "K-1", "K-2", "K-3", "K-4"),
	single("whole", "bank.positive", field.Integer, "1", "2", "30", "4"),
	single("citext", "bank.citext", field.Text, "Alpha", "beta", "ÉPSILON", "delta"),
	single("inet", "inet", field.Text, "10.0.0.1", "10.0.0.0/24", "::1", "192.168.0.7"),
	{"several", []string{"uuid", "int"}, [4][]string{{"6f1c1e1e-0000-4000-8000-000000000001", "1"}, {"6f1c1e1e-0000-4000-8000-000000000001", "2"}, {"6f1c1e1e-0000-4000-8000-000000000002", "1"}, {"00000000-0000-0000-0000-000000000000", "0"}}, field.Text,
		[4]string{`["6f1c1e1e-0000-4000-8000-000000000001", "1"]`, `["6f1c1e1e-0000-4000-8000-000000000001", "2"]`, `["6f1c1e1e-0000-4000-8000-000000000002", "1"]`, `["00000000-0000-0000-0000-000000000000", "0"]`}},
	{"mixed", []string{"bank.citext", "date"}, [4][]string{{"A", "2026-01-01"}, {"A", "2026-01-02"}, {"b", "2026-01-01"}, {"\"q\", \\", "1999-12-31"}}, field.Text,
		[4]string{`["A", "2026-01-01"]`, `["A", "2026-01-02"]`, `["b", "2026-01-01"]`, `["\"q\", \\", "1999-12-31"]`}},
}

// columns are those of the key, with a prefix.
func (k keyKind) columns(prefix string) (out []string) {
	for i := range k.types {
		out = append(out, fmt.Sprintf("%s%d", prefix, i+1))
	}
	return out
}

func (k keyKind) bed() string    { return "bed_" + k.name }
func (k keyKind) sowing() string { return "посев_" + k.name }

const bankSchema = `create schema bank; create schema "поле"; create extension citext schema bank;
create type bank.state as enum ('fallow', 'in bloom', 'пусто', 'o''ther'); create domain bank.short as text check (length(value) < 20); create domain bank.code as bank.short not null check (value like 'K%'); create domain bank.positive as int check (value > 0); create domain bank.money as numeric(12,2);
`

// schema makes the beds and what is sown in them, which refers to them in other letters
// where the type takes them for the same.
func (k keyKind) schema() string {
	var bed, sown []string
	for i, t := range k.types {
		bed, sown = append(bed, fmt.Sprintf("key%d %s not null", i+1, t)), append(sown, fmt.Sprintf("bed%d %s", i+1, strings.Replace(t, "bank.code", "bank.short", 1)))
	}
	sql := fmt.Sprintf("create table bank.%s (%s, \"имя\" text not null, primary key (%s));\n", k.bed(), strings.Join(bed, ", "), strings.Join(k.columns("key"), ", "))
	for i, name := range places {
		sql += fmt.Sprintf("insert into bank.%s values (%s, '%s');\n", k.bed(), constants(k.rows[i]), name)
	}
	table := `"поле".` + pgx.Identifier{k.sowing()}.Sanitize()
	sql += fmt.Sprintf(`create table %s (id uuid not null default gen_random_uuid(), "когда" timestamptz, due date, kind bank.citext, %s, "цена" bank.money, nights smallint, rough float4, twice numeric generated always as ("цена" * 2) stored, part int not null, "метки" jsonb,
		primary key (part, id), foreign key (%s) references bank.%s) partition by list (part);
	create table %s partition of %s for values in (0); create table %s partition of %s for values in (1) partition by range (id); create table %s partition of %s default;
`, table, strings.Join(sown, ", "), strings.Join(k.columns("bed"), ", "), k.bed(), `"поле".p0_`+k.name, table, `"поле".p1_`+k.name, table, `"поле".p2_`+k.name, table)
	return sql + fmt.Sprintf("create table %s partition of %s default;\n", `"поле".p1a_`+k.name, `"поле".p1_`+k.name)
}

func constants(values []string) string {
	quoted := make([]string, len(values))
	for i, v := range values {
		quoted[i] = "'" + strings.ReplaceAll(v, "'", "''") + "'"
	}
	return strings.Join(quoted, ", ")
}

func (k keyKind) document() string {
	return fmt.Sprintf(`{"version":1,"name":"items","title":"Items","record":["item","items"],"source":"test","from":{"table":"поле.%s"},"key":["part","id"],
"fields":[{"name":"at","column":"когда","time":"happened"},{"name":"due","column":"due","time":"planned"},{"name":"kind","column":"kind"},
{"name":"place","link":["%s"],"show":"имя"},{"name":"place_name","link":["%[2]s"],"column":"имя"},{"name":"amount","column":"цена"},{"name":"nights","column":"nights"},{"name":"rough","column":"rough"},{"name":"tags","column":"метки","inside":["все"],"several":true},{"name":"band","bins":{"of":"nights","width":"3","start":"0","count":4}}],
"row_rules":[{"roles":["all"],"where":"every row"},{"roles":["some"],"where":{"field":"place","is":{"viewer":"place"}}}]}`, k.sowing(), strings.Join(k.columns("bed"), ","))
}

// put fills the table, with keys written in the other case where that makes no difference.
func (k keyKind) put(t require.TestingT, conn *pgx.Conn, records []record) {
	ctx := context.Background()
	table := `"поле".` + pgx.Identifier{k.sowing()}.Sanitize()
	_, err := conn.Exec(ctx, "truncate "+table)
	require.NoError(t, err)
	batch := &pgx.Batch{}
	for i, r := range records {
		tags := map[string]any{"все": r.tags}
		if len(r.tags) == 1 { // a single value is a list of one
			tags["все"] = r.tags[0]
		}
		args := []any{r.at, r.due, r.kind, r.amount, r.nights, r.rough, i % 4, tags}
		key := make([]string, len(k.types))
		for j, sql := range k.types {
			key[j] = "null"
			if r.place != nil {
				held := k.rows[*r.place-1][j]
				if sql == "bank.citext" && i%2 == 1 {
					held = strings.ToUpper(held)
				}
				args = append(args, held)
				key[j] = fmt.Sprintf("$%d::text::%s", len(args), sql)
			}
		}
		batch.Queue(fmt.Sprintf(`insert into %s ("когда", due, kind, "цена", nights, rough, part, "метки", %s) values ($1, $2, $3::text::bank.citext, $4::text::numeric, $5, $6, $7, $8, %s)`, table, strings.Join(k.columns("bed"), ", "), strings.Join(key, ", ")), args...)
	}
	require.NoError(t, conn.SendBatch(ctx, batch).Close())
}

// seedBank makes the database, and a dataset for each kind of key.
func seedBank(t *testing.T, name string) (*pgx.Conn, dataset.Catalogue, []asker) {
	schema := bankSchema
	for _, k := range keyKinds {
		schema += k.schema()
	}
	schema += fmt.Sprintf(`grant usage on schema bank, "поле" to %[1]s_reader; grant select on all tables in schema bank, "поле" to %[1]s_reader;`, name)
	conn, src := sourcetest.Connect(t, name, schema)
	c, err := src.Introspect(context.Background())
	require.NoError(t, err)
	var rules []string
	for _, table := range c {
		rules = append(rules, fmt.Sprintf(`{"table":%q,"row_rules":[{"roles":["everyone"],"where":"every row"}]}`, table.ID()))
	}
	r, err := dataset.ReadRules([]byte(`{"version":1,"source":"test","tables":[` + strings.Join(rules, ",") + `]}`))
	require.NoError(t, err)
	c, err = c.With(r)
	require.NoError(t, err)
	var out []asker
	for _, k := range keyKinds {
		doc, err := dataset.Read([]byte(k.document()))
		require.NoError(t, err)
		ds, err := dataset.Resolve(doc, c, nil)
		require.NoError(t, err, k.name)
		c.Table("bank." + k.bed()).Rows = 4
		for _, name := range []string{"nights", "amount", "kind", "place"} {
			ds.Find(name).Distinct = 10
		}
		ds.Table.Rows = 1_000_000
		require.Equal(t, k.holds, ds.Find("place").KeyType(), k.name)
		out = append(out, asker{t, src, ds})
	}
	return conn, c, out
}

// The random comparison over keys of every kind, in parts, two schemas and other scripts.
func TestRandomDefinitionsOverKeysOfEveryKind(t *testing.T) {
	conn, _, askers := seedBank(t, "seed_bank")
	defer func() { keyed = plainKeys }()
	rapid.Check(t, func(t *rapid.T) {
		i := rapid.IntRange(0, len(keyKinds)-1).Draw(t, "key")
		k := keyKinds[i]
		keyed = keys{k.holds, k.values}
		agree(t, askers[i], func(records []record) { k.put(t, conn, records) })
	})
}

// What is suggested of such tables can be used as it is.
func TestSuggestionsOfEveryTable(t *testing.T) {
	_, c, _ := seedBank(t, "seed_bank_suggested")
	assert.Len(t, c, 2*len(keyKinds), "parts of tables are not tables of their own")
	for _, table := range c {
		d := dataset.Suggest("test", table, c)
		ds, err := dataset.Resolve(d, c, nil)
		if !assert.NoError(t, err, table.ID()) {
			continue
		}
		assert.Equal(t, table.ID(), d.From.Table, "with its schema")
		assert.Empty(t, ds.Keyless(), table.ID())
		links := 0
		for _, f := range ds.Order() {
			if f.IsLink() {
				links++
			}
		}
		assert.Equal(t, strings.HasPrefix(table.Name, "посев"), links == 1, table.ID())
	}
}

// Lists of values, filters by them, empty groups, numbers of linked records and addresses of
// records, over keys of every kind.
func TestKeysOfEveryKindOnEveryPath(t *testing.T) {
	conn, c, askers := seedBank(t, "seed_bank_paths")
	defer func() { keyed = plainKeys }()
	ctx := context.Background()
	first, third := 1, 3
	amount := "2.50"
	records := []record{{place: &first, amount: &amount}, {place: &first, amount: &amount}, {place: &third}, {}}
	setting := query.Setting{Now: time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), Calendar: period.ISO(time.UTC)}
	builder := rule.Viewer{Builder: true}
	for i, k := range keyKinds {
		a := askers[i]
		k.put(t, conn, records)
		values, err := planner.NewValues(a.ds, "place", setting, "")
		require.NoError(t, err)
		rows, err := sourcetest.One(ctx, a.src, values, builder)
		require.NoError(t, err, k.name)
		var got []string
		for _, r := range rows {
			got = append(got, r[0].Exact()+"|"+r[1].Exact()+"|"+r[2].Exact())
			if r[0].IsEmpty() {
				continue
			}
			s := setting
			s.Filters = filter.Compare("place", filter.Is, r[0].Exact())
			sealed, err := rule.SealAll(planner.NewList(a.ds, s, 10), builder)
			require.NoError(t, err)
			listed, err := a.src.Run(ctx, sealed)
			require.NoError(t, err, k.name)
			assert.Equal(t, r[2].Exact(), listed[0][0][0].Exact(), "records of %s", r[0])
		}
		want, err := field.Parse(k.holds, k.values[0])
		require.NoError(t, err)
		second, err := field.Parse(k.holds, k.values[2])
		require.NoError(t, err)
		assert.Equal(t, []string{want.Exact() + "|North|2", second.Exact() + "|East|1", "||1"}, got, k.name)

		asks := &asking{asker: a, now: setting}
		table, err := answered(query.Definition{Version: query.Version, Dataset: "items", Measures: []query.Measure{{Aggregate: aggregate.Count, Field: query.Records}, {Formula: "count(distinct place)"}}, By: []query.Dimension{{Field: "place", Empty: true}}}, a.ds, setting, asks)
		require.NoError(t, err, k.name)
		assert.Len(t, table.Groups, 5, "%s: four beds and none", k.name)
		assert.Equal(t, "2", table.Total()[1].Exact(), "%s: two beds, though four names would be three", k.name)

		// The beds, with what is sown in each.
		doc := fmt.Sprintf(`{"version":1,"name":"beds","title":"Beds","record":["bed","beds"],"source":"test","from":{"table":"bank.%s"},"key":["%s"],"open_record":"/beds/{%s}","fields":[{"name":"name","column":"имя"},
			{"name":"sown","linked":{"table":"поле.%s","by":"%s","take":"count"}},{"name":"worth","linked":{"table":"поле.%[4]s","by":"%[5]s","take":"sum","column":"цена"}},{"name":"any","linked":{"table":"поле.%[4]s","by":"%[5]s","take":"any"}}]}`,
			k.bed(), strings.Join(k.columns("key"), `","`), strings.Join(k.columns("key"), `}/{`), k.sowing(), strings.Join(k.columns("bed"), ","))
		d, err := dataset.Read([]byte(doc))
		require.NoError(t, err)
		beds, err := dataset.Resolve(d, c, nil)
		require.NoError(t, err, k.name)
		p := planner.NewList(beds, setting, 10)
		sealed, err := rule.SealAll(p, builder)
		require.NoError(t, err)
		listed, err := a.src.Run(ctx, sealed)
		require.NoError(t, err, k.name)
		got = nil
		for _, r := range listed[1] {
			n := len(beds.LinkColumns())
			var line []string
			for _, v := range r[n:] {
				line = append(line, v.Exact())
			}
			got = append(got, strings.Join(line, "|"))
			var address []string
			for _, v := range r[:n] {
				address = append(address, v.Exact())
			}
			if k.name != "text" || address[0] != "" { // of which an address cannot be made
				assert.NotEmpty(t, beds.Address(address), k.name)
			}
		}
		assert.ElementsMatch(t, []string{"North|2|5.00|true", "South|0||false", "East|1||true", "South|0||false"}, got, k.name)
	}
	// The same value in another writing, where its type takes it for the same.
	for name, literal := range map[string]string{"uuid": strings.ToUpper(keyKinds[0].values[0]), "inet": "10.0.0.1/32", "citext": "ALPHA", "numeric": "1.5"} {
		i := slices.IndexFunc(keyKinds, func(k keyKind) bool { return k.name == name })
		s := setting
		s.Filters = filter.Compare("place", filter.Is, literal)
		sealed, err := rule.SealAll(planner.NewList(askers[i].ds, s, 10), builder)
		require.NoError(t, err)
		listed, err := askers[i].src.Run(ctx, sealed)
		require.NoError(t, err, name)
		assert.Equal(t, "2", listed[0][0][0].Exact(), name)
	}
}

// What has no key is read, charted and listed all the same, in one order from page to page.
func TestTablesWithoutAKey(t *testing.T) {
	_, src := sourcetest.Connect(t, "keyless", `create table note (at timestamptz, words text, n int); insert into note select now(), 'w', g % 3 from generate_series(1, 120) g; create view seen as select words, n, point(1, 2) as p from note; create view odd as select point(1, 2) as p from note;`)
	ctx := context.Background()
	c, err := src.Introspect(ctx)
	require.NoError(t, err)
	for _, table := range c {
		ds, err := dataset.Resolve(dataset.Suggest("test", table, c), c, nil)
		require.NoError(t, err, table.Name)
		assert.Contains(t, ds.Keyless(), "Nothing identifies one of these", table.Name)
		assert.False(t, ds.Unsure())
		seen := map[string]int{}
		for page := range 3 {
			p := planner.NewList(ds, query.Setting{Now: time.Now(), Calendar: period.ISO(time.UTC)}, 50)
			require.NoError(t, p.By(page, "", false))
			sealed, err := rule.SealAll(p, rule.Viewer{Builder: true})
			require.NoError(t, err)
			rows, err := src.Run(ctx, sealed)
			require.NoError(t, err, table.Name)
			for _, r := range rows[1] {
				seen[fmt.Sprint(r)]++
			}
		}
		total := 0
		for _, n := range seen {
			total += n
		}
		assert.Equal(t, 120, total, table.Name)
		_, err = sourcetest.One(ctx, src, sql.NewRows(ds, table, nil), rule.Viewer{Builder: true})
		require.NoError(t, err)
		sealed, err := rule.SealAll(profile.New(ds, query.Setting{Now: time.Now(), Calendar: period.ISO(time.UTC)}, "").Even(), rule.Viewer{Builder: true})
		require.NoError(t, err)
		_, err = src.Run(ctx, sealed)
		require.NoError(t, err, table.Name)
	}
}
