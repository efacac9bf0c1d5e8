package workspace_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/readymade"
	"eskadel/view"
	"eskadel/workspace"
)

// Applications that nothing ready-made was written for: a helpdesk, a charity, a store of parts, and
// a register of what may go wrong.
const otherTables = `
	create table agent (id int primary key, name text not null);
	create table ticket (id int primary key, subject text not null, created_at timestamptz not null, first_response_at timestamptz, solved_at timestamptz, due_at timestamptz,
		priority text check (priority in ('low','normal','urgent')), status text check (status in ('new','open','waiting','solved','closed')), channel text, topic text, agent_id int references agent, satisfaction int);
	create table donor (id int primary key, name text not null);
	create table gift (id int primary key, given_on date not null, amount numeric(10,2) not null, fee numeric(10,2), donor_id int references donor, campaign text, country text);
	create table pledge (id int primary key, pledged_on date not null, expected_on date, amount numeric(10,2), stage text check (stage in ('asked','promised','part given','given in full, closed','declined')), officer text, campaign text);
	create table supplier (id int primary key, name text not null);
	create table item (id int primary key, name text not null, category text, quantity int not null, reorder_level int, unit_cost numeric(10,2), supplier_id int references supplier, warehouse text, last_received date);
	create table threat (id int primary key, title text not null, raised_on date, probability int, impact int, owner text, category text, status text, review_on date);
	insert into agent select n, 'agent ' || n from generate_series(1, 4) n;
	insert into ticket select n, 'ticket ' || n, timestamptz '2026-01-01' + n * interval '5 hours', case when n % 3 > 0 then timestamptz '2026-01-01' + n * interval '5 hours' + n % 9 * interval '30 minutes' end,
		case when n % 5 > 2 then timestamptz '2026-01-01' + n * interval '6 hours' end, timestamptz '2026-01-20' + n * interval '5 hours', (array['low','normal','urgent'])[n % 3 + 1],
		(array['new','open','waiting','solved','closed'])[n % 5 + 1], (array['mail','phone','web'])[n % 3 + 1], (array['account','billing','faults','how to'])[n % 4 + 1], n % 4 + 1, n % 6 from generate_series(1, 300) n;
	insert into donor select n, 'donor ' || n from generate_series(1, 30) n;
	insert into gift select n, date '2024-01-01' + n, 5 + n % 37, n % 3, n % 30 + 1, (array['roof','winter','school'])[n % 3 + 1], (array['here','there'])[n % 2 + 1] from generate_series(1, 700) n;
	insert into pledge select n, date '2025-09-01' + n, date '2026-01-01' + n, 100 * (n % 9), (array['asked','promised','part given','given in full, closed','declined'])[n % 5 + 1], 'officer ' || n % 3, (array['roof','winter'])[n % 2 + 1] from generate_series(1, 150) n;
	insert into supplier select n, 'supplier ' || n from generate_series(1, 6) n;
	insert into item select n, 'item ' || n, (array['bolts','paint','rope'])[n % 3 + 1], n % 40, 12, n % 7 + 0.5, n % 6 + 1, (array['north','south'])[n % 2 + 1], date '2025-10-01' + n % 100 from generate_series(1, 200) n;
	insert into threat select n, 'threat ' || n, date '2025-06-01' + n, n % 5 + 1, n % 4 + 1, 'owner ' || n % 3, (array['fire','water','people'])[n % 3 + 1], (array['open','closed'])[n % 2 + 1], date '2026-02-01' + n from generate_series(1, 80) n;`

func TestReadyMadeFitsWhatItWasNotWrittenFor(t *testing.T) {
	d := open(t, "ready")
	_, err := d.records.Exec(ctx, otherTables+"grant select on all tables in schema public to workspace_ready_records_reader")
	require.NoError(t, err)
	_, err = d.Connect(ctx, mara, workspace.Connection{Name: "others", Title: "Others", Address: d.reader})
	require.NoError(t, err)
	tables := []string{"agent", "ticket", "donor", "gift", "pledge", "supplier", "item", "threat"}
	var rules []dataset.TableRules
	for _, name := range tables {
		rules = append(rules, everybody("public."+name))
	}
	require.NoError(t, d.SaveSourceRules(ctx, mara, &dataset.SourceRules{Version: 1, Source: "others", Tables: rules}, ""))
	catalogue, err := d.Tables(ctx, mara, "others")
	require.NoError(t, err)
	for _, name := range []string{"ticket", "gift", "pledge", "item", "threat"} {
		_, err := d.NewDataset(ctx, mara, dataset.Suggest("others", catalogue.Table("public."+name), catalogue))
		require.NoError(t, err)
	}

	for _, c := range []struct {
		kind, fits string
		wants      map[string]string // what plays some of the parts
		open       []string
		left       int               // how many charts are left out
		sql        map[string]string // of widgets: what they show, as a query written by hand
	}{
		{"service", "ticket", map[string]string{"when": "created_at", "answered": "first_response_at", "ended": "solved_at", "urgency": "priority", "who": "agent", "content": "satisfaction"},
			[]string{"new", "open", "waiting"}, 0, map[string]string{
				"head": `select count(*) filter (where status in ('new','open','waiting')), count(*), count(*) filter (where status in ('new','open','waiting') and due_at::date < date '2026-03-05'),
					trim_scale(avg(extract(epoch from first_response_at - created_at) / 3600)::numeric), trim_scale(avg(satisfaction)) from ticket`,
				"kinds": `select topic, count(*) from ticket group by 1`,
				"who":   `select a.name, count(*) from ticket t join agent a on a.id = t.agent_id where status in ('new','open','waiting') group by 1`,
			}},
		{"work", "ticket", map[string]string{"due": "due_at"}, []string{"new", "open", "waiting"}, 2, map[string]string{
			"states": `select status, count(*) from ticket where status in ('new','open','waiting') group by 1`}},
		{"money", "gift", map[string]string{"when": "given_on", "amount": "amount", "cost": "fee", "who": "donor", "line": "campaign", "place": "country"}, nil, 2, map[string]string{
			"lines":  `select campaign, sum(amount) from gift group by 1`,
			"places": `select country, sum(amount) from gift group by 1`,
			"who":    `select o.name, sum(amount) from gift g join donor o on o.id = g.donor_id group by 1 order by 2 desc, 1 limit 10`}},
		{"pipeline", "pledge", map[string]string{"state": "stage", "value": "amount", "due": "expected_on", "who": "officer"}, []string{"asked", "promised", "part given"}, 0, map[string]string{
			"head":  `select count(*) filter (where stage in ('asked','promised','part given')), count(*), sum(amount) filter (where stage in ('asked','promised','part given')) from pledge`,
			"worth": `select stage, sum(amount) from pledge where stage in ('asked','promised','part given') group by 1`}},
		{"stock", "item", map[string]string{"quantity": "quantity", "minimum": "reorder_level", "cost": "unit_cost", "supplier": "supplier", "kind": "category", "place": "warehouse"}, nil, 0, map[string]string{
			"head":      `select count(*), sum(quantity), sum(quantity * unit_cost), count(*) filter (where quantity < reorder_level) from item`,
			"worth":     `select category, sum(quantity * unit_cost) from item group by 1`,
			"suppliers": `select s.name, count(*) from item i join supplier s on s.id = i.supplier_id where quantity < reorder_level group by 1`}},
		{"risk", "threat", map[string]string{"likelihood": "probability", "severity": "impact", "due": "review_on"}, []string{"open"}, 1, map[string]string{
			"head":  `select count(*) filter (where status = 'open'), count(*) filter (where status = 'open' and review_on < date '2026-03-05'), count(*) from threat`,
			"areas": `select category, count(*) from threat where status = 'open' group by 1`}},
	} {
		t.Run(c.kind+" of "+c.fits, func(t *testing.T) {
			_, fitting, err := d.Fitting(ctx, edda, c.kind)
			require.NoError(t, err)
			if c.kind != "work" { // which jobs and pledges are, too
				assert.Equal(t, c.fits, fitting[0].Dataset.Name)
			}
			p, err := d.Prepare(ctx, edda, c.kind, c.fits, nil, "")
			require.NoError(t, err)
			require.Empty(t, p.Missing)
			said, open := map[string]string{}, []string(nil)
			for _, s := range p.Said {
				for _, o := range s.Options {
					switch {
					case o.Chosen && s.Values:
						open = append(open, o.Name)
					case o.Chosen:
						said[s.Part] = o.Name
					}
				}
			}
			assert.ElementsMatch(t, c.open, open, "what still goes on")
			for part, field := range c.wants {
				assert.Equal(t, field, said[part], part)
			}
			assert.Len(t, p.LeftOut, c.left, "%v", p.LeftOut)
			title := "Ready " + c.kind + " " + c.fits
			st, err := d.MakeReady(ctx, edda, c.kind, c.fits, nil, title)
			require.NoError(t, err)
			answered(t, d, st.Name, c.sql)
			_, err = d.Publish(ctx, edda, st.Name)
			require.NoError(t, err, "it can be published as it is")
		})
	}
	// Another state than the guessed one has values of its own that go on.
	p, err := d.Prepare(ctx, edda, "work", "ticket", &readymade.Choice{Fields: map[string]string{"when": "created_at", "state": "channel"}, Open: []string{"mail", "gone"}}, "")
	require.NoError(t, err)
	assert.Contains(t, string(p.Doc.JSON()), `"mail"`)
	assert.NotContains(t, string(p.Doc.JSON()), `"gone"`)
	_, err = d.MakeReady(ctx, edda, "risk", "gift", nil, "Risky gifts")
	assert.ErrorContains(t, err, "How likely a gift is stands in …: choose which field says that")
	_, err = d.MakeReady(ctx, edda, "stock", "item", &readymade.Choice{Fields: map[string]string{"quantity": "name"}}, "Stock of names")
	assert.Error(t, err, "a name is no quantity")
	_, err = d.MakeReady(ctx, viewer(), "stock", "item", nil, "Not theirs")
	assert.Error(t, err)
}

// answered holds every widget of a dashboard against queries written by hand: none is empty without
// saying why.
func answered(t *testing.T, d *desk, name string, sql map[string]string) {
	l, err := d.Look(ctx, edda, name, true, dashboard.State{Filters: map[string]*dashboard.Setting{}})
	require.NoError(t, err)
	any := dashboard.State{Filters: map[string]*dashboard.Setting{}}
	for _, f := range l.Doc.Filters {
		if f.Default != nil {
			any.Filters[f.Name] = nil
		}
	}
	l, err = d.Look(ctx, edda, name, true, any)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(l.Doc.Widgets()), 5)
	for _, w := range l.Doc.Widgets() {
		a, err := l.Widget(w.ID, view.Figures|view.Drawing)
		require.NoError(t, err, w.ID)
		assert.Empty(t, a.Nothing, w.ID)
		query, ok := sql[w.ID]
		if !ok {
			continue
		}
		var got, want []string
		if len(a.Figures) > 0 {
			for _, f := range a.Figures {
				got = append(got, f.Exact)
			}
			var row []byte
			require.NoError(t, d.records.QueryRow(ctx, "select array_to_json(array(select value #>> '{}' from json_each(row_to_json(q)) as e(key, value))) from ("+query+") as q").Scan(&row))
			require.NoError(t, json.Unmarshal(row, &want))
		} else {
			for _, r := range a.Grid.Rows {
				exact := r.Cells[1].Exact
				if exact == "" {
					exact = r.Cells[1].Text
				}
				got = append(got, r.Cells[0].Text+" "+exact)
			}
			rows, err := d.records.Query(ctx, query)
			require.NoError(t, err)
			for rows.Next() {
				v, err := rows.Values()
				require.NoError(t, err)
				of, err := json.Marshal(v[1])
				require.NoError(t, err)
				want = append(want, fmt.Sprintf("%v %s", v[0], of))
			}
			require.NoError(t, rows.Err())
		}
		assert.ElementsMatch(t, want, got, w.ID)
	}
}
