package workspace_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/view"
	"eskadel/workspace"
)

// values is a filter set to one value.
func values(v string) *dashboard.Setting { return &dashboard.Setting{Values: []marks.Key{{Is: &v}}} }

// told is everything that a dashboard tells somebody, on every path that reads it, as texts.
func (d *desk) told(t require.TestingT, who *identity.Caller) (out []string) {
	say := func(v any, err error) {
		if err != nil {
			v = fmt.Sprint("error: ", err)
		}
		b, err := json.Marshal(v)
		require.NoError(t, err)
		out = append(out, string(b))
	}
	for _, narrow := range []string{"", "care"} {
		state := dashboard.State{}
		if narrow != "" {
			state.Filters = map[string]*dashboard.Setting{"kind": values(narrow)}
		}
		l, err := d.Look(ctx, who, "one", false, state)
		if say(nil, err); err != nil {
			continue
		}
		line, err := l.Line("P")
		say(line, err)
		say(l.Values("kind", ""))
		say(l.Settings())
		say(l.OfferedIn("chart"))
		say(l.Ask([]string{"jobs by kind"}))
		for _, id := range []string{"chart", "list", "figures"} {
			a, err := l.Widget(id, view.Drawing|view.Figures)
			say(a, err)
			say(l.Figures(id, true, "csv"))
			if a == nil || a.Drawing == nil {
				continue
			}
			say(l.Records(id, a.Drawing.Reference, workspace.Paging{}))
			say(filed(l, id, a.Drawing.Reference))
			p, err := l.Prove(id, a.Drawing.Reference, "all")
			require.NoError(t, err)
			say([]any{p.Figure, p.Exact, p.Records, p.Conditions, p.Sentence}, nil)
			if who.Looking != nil {
				assert.Equal(t, "Mara, as "+who.Name, p.By, "nothing is signed as them")
			}
		}
	}
	return out
}

// filed is what a file of records has.
func filed(l *workspace.Look, id string, ref marks.Reference) (out []string, err error) {
	err = l.RecordsFile(id, ref, workspace.Paging{}, "csv", func(f *view.Filed) error {
		for _, of := range f.Fields {
			out = append(out, of.Label)
		}
		out = []string{f.Heading, strings.Join(out, "|")}
		return nil
	}, func(row []field.Value) error {
		var line []string
		for _, v := range row {
			line = append(line, v.Exact())
		}
		out = append(out, strings.Join(line, "|"))
		return nil
	})
	return out, err
}

// What is seen as somebody else is what they see themselves, for random rules and people, on every path that
// reads a dashboard; and nothing is done as them.
func TestViewAsIsWhatTheySee(t *testing.T) {
	d := open(t, "viewing")
	crew(t, d, "ansa")
	filters := `"filters":[{"name":"kind","field":"kind"}]`
	widgets := widget("chart", count(`"every row"`)) + `,{"id":"list","at":[0,4,4,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"records"}},{"id":"figures","at":[4,0,4,4],"chart":{"version":2,"dataset":"jobs","measures":[{"sum":"cost"},{"count":"records"}],"form":"key figures"}}`
	require.NoError(t, second(d.SaveDashboard(ctx, edda, "one", []byte(`{"version":2,"name":"one","title":"One",`+filters+`,"pages":[{"title":"P","widgets":[`+widgets+`]}],"viewers_may":["tips","filters","records","download","ask"]}`), workspace.On{})))
	require.NoError(t, second(d.Publish(ctx, edda, "one")))
	conditions := []string{`"every row"`, `{"field":"yard_id","is":{"viewer":"yard"}}`, `{"field":"kind","is":"care"}`, `{"field":"cost","above":{"viewer":"floor"}}`, `{"field":"yard_id.region","is":{"viewer":"region"}}`,
		`{"any":[{"field":"yard_id","is":{"viewer":"yard"}},{"field":"kind","is":"mishap"}]}`, `{"not":{"field":"kind","is":{"viewer":"kind"}}}`}
	roles := []string{"foreman", "director", "office"}
	rapid.Check(t, func(t *rapid.T) {
		rules := dataset.TableRules{Table: "public.job"}
		for range rapid.IntRange(0, 3).Draw(t, "rules") {
			r := dataset.RowRule{Roles: []string{rapid.SampledFrom(append(roles, dataset.Everyone)).Draw(t, "role")}}
			require.NoError(t, r.Where.UnmarshalJSON([]byte(rapid.SampledFrom(conditions).Draw(t, "rule"))))
			rules.RowRules = append(rules.RowRules, r)
		}
		if column := rapid.SampledFrom([]string{"", "cost", "kind", "boat"}).Draw(t, "hidden"); column != "" {
			rules.Hidden = []dataset.HiddenColumns{{Columns: []string{column}, Except: []string{rapid.SampledFrom(roles).Draw(t, "except")}}}
		}
		_, tag, err := d.SourceRules(ctx, mara, "desk")
		require.NoError(t, err)
		require.NoError(t, d.SaveSourceRules(ctx, mara, &dataset.SourceRules{Version: 1, Source: "desk", Tables: []dataset.TableRules{rules, everybody("public.yard")}}, tag))
		has := rapid.SliceOfDistinct(rapid.SampledFrom(roles), rapid.ID).Draw(t, "roles")
		attributes := filter.Attributes{}
		for _, of := range [][]any{{"yard", "1", "2", []any{"1", "2"}}, {"floor", "30"}, {"region", "north", ""}, {"kind", "care"}} {
			name := of[0].(string)
			if v := rapid.SampledFrom(append(of[1:], nil)).Draw(t, name); v != nil {
				attributes[name] = v
			}
		}
		_, err = d.ChangePerson(ctx, mara, identity.Change{Email: "ansa@example.org", Roles: append([]string{}, has...), Attributes: attributes})
		require.NoError(t, err)
		p, err := d.store.PersonByEmail(ctx, "ansa@example.org")
		require.NoError(t, err)
		themselves, err := identity.ByID(ctx, d.store, p.ID)
		require.NoError(t, err)
		looked := func(as workspace.As) *identity.Caller {
			token, err := d.LookAs(ctx, mara, "one", false, as)
			require.NoError(t, err)
			who, err := d.ByBearer(ctx, token)
			require.NoError(t, err)
			return who
		}
		as := looked(workspace.As{Person: p.ID})
		same := func(a, b []string) {
			require.Len(t, b, len(a))
			for i := range a {
				assert.True(t, a[i] == b[i], "%d: %.600s\n%.600s", i, a[i], b[i])
			}
		}
		same(d.told(t, themselves), d.told(t, as))
		framed := &identity.Caller{HostApp: "desk", Dashboards: []string{"one"}}
		framed.Viewer.ID, framed.Roles, framed.Attributes = "desk/7", has, attributes
		viewed := looked(workspace.As{Roles: has, Attributes: attributes})
		same(d.told(t, framed), d.told(t, viewed))

		for _, who := range []*identity.Caller{as, viewed} {
			for _, what := range rights.Lines() {
				switch what {
				case rights.Open, rights.See, rights.Tips, rights.OwnFilters, rights.Records, rights.TakeAway, rights.Ask:
				default:
					assert.Equal(t, problem.Forbidden, code(rights.Ever(who, what)), "%s as somebody else", what)
				}
			}
		}
	})
	for _, made := range []string{"esa_", "esa_x", "esa_" + "QUFBQQ"} {
		assert.Equal(t, problem.NotFound, code(second(d.ByBearer(ctx, made))), "%s is made up", made)
	}
	assert.Equal(t, problem.Forbidden, code(second(d.LookAs(ctx, edda, "one", false, workspace.As{Roles: []string{"director"}}))), "builders look as others")
	log, err := d.Audit(ctx, mara, 0, 200)
	require.NoError(t, err)
	noted := map[string]bool{}
	for _, e := range log {
		noted[e.What] = true
	}
	for _, what := range []string{"looked at a dashboard as somebody else", "took away figures (csv)", "took away records (csv)"} {
		assert.True(t, noted[what], what)
	}
	s, err := d.AsSummary(ctx, mara, "one", false, workspace.As{Roles: []string{"nothing"}})
	require.NoError(t, err)
	assert.Equal(t, "a viewer who is nothing", s.Who)
	assert.False(t, s.Unseen)
}
