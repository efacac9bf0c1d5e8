package workspace_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/store"
	"eskadel/view"
	"eskadel/workspace"
)

// member is somebody who signs in, with the teams that they are in now.
func member(t require.TestingT, d *desk, email string) *identity.Caller {
	p, err := d.store.PersonByEmail(ctx, email)
	require.NoError(t, err)
	c := person(p.ID, p.Name, p.Builder)
	c.Email = p.Email
	c.Teams, err = d.store.TeamsOf(ctx, p.ID)
	require.NoError(t, err)
	return c
}

// crew adds people, and returns their ids.
func crew(t *testing.T, d *desk, names ...string) (ids []int64) {
	require.NoError(t, d.store.Change(ctx, "", func(tx *store.Tx) error {
		for _, name := range names {
			if _, err := tx.AddPerson(ctx, &store.Person{Name: name, Email: name + "@example.org", PasswordHash: "-"}, nil, nil); err != nil {
				return err
			}
		}
		return tx.Audit(ctx, "added", "")
	}))
	for _, name := range names {
		p, err := d.store.PersonByEmail(ctx, name+"@example.org")
		require.NoError(t, err)
		ids = append(ids, p.ID)
	}
	return ids
}

// What everybody may do is, after any number of changes of who sees what, who was given what, who is in which
// team, and where things stand, what a plain list of the same says; and nobody gives more than they hold.
func TestWhoMayDoWhat(t *testing.T) {
	t.Run("dashboards", func(t *testing.T) {
		whoMayDoWhat(t, "sharing", workspace.Dashboard, func(d *desk) shareable {
			return shareable{
				save: func(who *identity.Caller, name string) error {
					return second(d.SaveDashboard(ctx, who, name, page(name, name, widget("a", count(`"every row"`))), workspace.On{}))
				},
				publish: func(who *identity.Caller, name string) error { return second(d.Publish(ctx, who, name)) },
				open:    func(who *identity.Caller, name string) error { return second(d.Dashboard(ctx, who, name, false)) },
				goesOn:  func(who *identity.Caller, name string) (bool, error) { return d.StillSees(ctx, who, name) },
				list: func(who *identity.Caller) (out []workspace.Standing, err error) {
					rows, err := d.Dashboards(ctx, who, "")
					for _, r := range rows {
						out = append(out, r.Standing)
					}
					return out, err
				},
			}
		})
	})
	t.Run("charts", func(t *testing.T) {
		whoMayDoWhat(t, "sharing-charts", workspace.Chart, func(d *desk) shareable {
			return shareable{
				save: func(who *identity.Caller, name string) error {
					return second(d.SaveChart(ctx, who, name, "", []byte(count(`"every row"`)), workspace.On{}))
				},
				publish: func(who *identity.Caller, name string) error {
					_, _, err := d.PublishChart(ctx, who, name, workspace.Everywhere)
					return err
				},
				open: func(who *identity.Caller, name string) error {
					_, _, err := d.Chart(ctx, who, name)
					return err
				},
				list: func(who *identity.Caller) (out []workspace.Standing, err error) {
					rows, err := d.Library(ctx, who)
					for _, r := range rows {
						out = append(out, r.Standing)
					}
					return out, err
				},
			}
		})
	})
}

// A shareable kind is what can be done with documents of it.
type shareable struct {
	save, publish, open func(who *identity.Caller, name string) error
	goesOn              func(who *identity.Caller, name string) (bool, error) // looks at it still; nil where nobody does
	list                func(who *identity.Caller) ([]workspace.Standing, error)
}

func whoMayDoWhat(t *testing.T, database, kind string, of func(d *desk) shareable) {
	d := open(t, database)
	can := of(d)
	names := []string{"ansa", "bree", "cole", "dunn"}
	ids := crew(t, d, names...)
	who := func(i int) *identity.Caller { return member(t, d, names[i]+"@example.org") }
	require.NoError(t, d.KeepTeam(ctx, mara, 0, "Hulls", nil))
	require.NoError(t, d.KeepTeam(ctx, mara, 0, "Masts", nil))
	teams, err := d.Teams(ctx, mara)
	require.NoError(t, err)
	docs := []string{"alpha", "beta", "gamma"}
	for i, name := range docs {
		require.NoError(t, can.save(who(i), name))
		require.NoError(t, can.publish(who(i), name))
	}
	called := map[int64]string{teams[0].ID: teams[0].Name, teams[1].ID: teams[1].Name}
	// The plain list.
	type said struct {
		keeper   int
		audience string // "", "keeper", "team/…", "folder"
		folder   string
		given    map[string]int // whom → 1 see, 2 edit, 3 share
	}
	plain := map[string]*said{}
	for i, name := range docs {
		plain[name] = &said{keeper: i, given: map[string]int{}}
	}
	folders := map[string]*said{}
	in := map[int64][]int{} // team → people
	level := func(of *said, i int) (most int) {
		for whom, l := range of.given {
			if whom == fmt.Sprint("person/", ids[i]) {
				most = max(most, l)
			}
			for team, members := range in {
				if whom == fmt.Sprint("team/", team) && slices.Contains(members, i) {
					most = max(most, l)
				}
			}
		}
		if of.keeper == i {
			most = 3
		}
		return most
	}
	audience := func(a string, i int) bool {
		for team, members := range in {
			if a == fmt.Sprint("team/", team) {
				return slices.Contains(members, i)
			}
		}
		return a == ""
	}
	may := func(name string, i int) int {
		s := plain[name]
		most := level(s, i)
		f := folders[s.folder]
		switch {
		case s.audience != "folder":
			if audience(s.audience, i) {
				most = max(most, 1)
			}
		case f == nil:
			most = max(most, 1)
		default:
			if most = max(most, level(f, i)); audience(f.audience, i) {
				most = max(most, 1)
			}
		}
		return most
	}
	var looking []*identity.Caller // since before anything was changed
	for i := range names {
		looking = append(looking, who(i))
	}
	check := func(t *rapid.T, people ...int) {
		for _, i := range people {
			c := who(i)
			rows, err := can.list(c)
			require.NoError(t, err)
			for _, name := range docs {
				want := may(name, i)
				if can.goesOn != nil {
					sees, err := can.goesOn(looking[i], name)
					require.NoError(t, err)
					assert.Equal(t, want > 0, sees, "%s goes on looking at %s", names[i], name)
				}
				err := can.open(c, name)
				listed := slices.IndexFunc(rows, func(r workspace.Standing) bool { return r.Name == name })
				if want == 0 {
					assert.Equal(t, problem.NotFound, code(err), "%s opens %s", names[i], name)
					assert.Equal(t, -1, listed)
					assert.Equal(t, problem.NotFound, code(second(d.Sharing(ctx, c, workspace.Shared{Kind: kind, Name: name}))))
					continue
				}
				require.NoError(t, err, "%s opens %s", names[i], name)
				require.GreaterOrEqual(t, listed, 0)
				assert.Equal(t, want >= 2, rows[listed].May, "%s edits %s", names[i], name)
				assert.Equal(t, want >= 3, rows[listed].Shares, "%s shares %s", names[i], name)
				assert.Equal(t, want >= 2, can.publish(c, name) == nil)
			}
		}
	}
	words := []string{"", "see", "edit", "share"}
	rapid.Check(t, func(t *rapid.T) {
		for range 6 {
			i, name := rapid.IntRange(0, 3).Draw(t, "who"), rapid.SampledFrom(docs).Draw(t, "what")
			team := rapid.SampledFrom(teams).Draw(t, "team").ID
			of, s, holds := workspace.Shared{Kind: kind, Name: name}, plain[name], may(name, i)
			if rapid.IntRange(0, 2).Draw(t, "a folder") == 0 && s.folder != "" {
				of = workspace.Shared{Kind: kind, Name: s.folder, Folder: true}
				if f := folders[s.folder]; f == nil {
					if slices.ContainsFunc(docs, func(n string) bool { return plain[n].folder == s.folder && may(n, i) >= 2 }) {
						s, holds = &said{keeper: i, given: map[string]int{}}, 3
					} else {
						s, holds = nil, 0
					}
				} else {
					s, holds = f, level(f, i)
				}
			}
			at := of.Name
			keep := func() {
				if of.Folder {
					folders[at] = s
				}
			}
			switch rapid.IntRange(0, 4).Draw(t, "what is done") {
			case 0: // in and out of teams
				var members []int64
				in[team] = nil
				for m := range names {
					if rapid.Bool().Draw(t, "in it") {
						members, in[team] = append(members, ids[m]), append(in[team], m)
					}
				}
				require.NoError(t, d.KeepTeam(ctx, mara, team, called[team], members))
			case 1: // given and taken back
				whom := rapid.SampledFrom([]string{fmt.Sprint("team/", team), fmt.Sprint("person/", ids[rapid.IntRange(0, 3).Draw(t, "whom")])}).Draw(t, "to")
				what := rapid.IntRange(0, 3).Draw(t, "level")
				err := second(d.Give(ctx, who(i), of, whom, words[what]))
				if holds < 3 || s == nil || what == 0 && s.given[whom] == 0 {
					assert.Error(t, err)
					break
				}
				require.NoError(t, err)
				if s.given[whom] = what; what == 0 {
					delete(s.given, whom)
				}
				keep()
			case 2: // seen by others
				a := rapid.SampledFrom([]string{"", "keeper", fmt.Sprint("team/", team)}).Draw(t, "audience")
				err := second(d.SeenBy(ctx, who(i), of, a))
				isIn := a == "" || a == "keeper" || slices.Contains(in[team], i) || s != nil && s.audience == a
				if holds < 3 || s == nil || !isIn {
					assert.Error(t, err)
					break
				}
				require.NoError(t, err)
				if of.Folder && folders[at] == nil { // what all see follows, where whoever says so may share it
					for _, n := range docs {
						if plain[n].folder == at && plain[n].audience == "" && may(n, i) >= 3 {
							plain[n].audience = "folder"
						}
					}
				}
				s.audience = a
				keep()
			case 3: // moved
				if of.Folder {
					break
				}
				to := rapid.SampledFrom([]string{"", "North", "South"}).Draw(t, "folder")
				a := s.audience
				after := a
				switch {
				case to == s.folder:
				case folders[to] != nil && a == "":
					after = "folder"
				case folders[to] == nil && a == "folder":
					after = ""
				}
				err := second(d.File(ctx, who(i), kind, name, to, a))
				if holds < 2 || (after != a || to != s.folder && a == "folder") && holds < 3 {
					assert.Error(t, err)
					break
				}
				require.NoError(t, err)
				s.folder, s.audience = to, after
			case 4: // handed over
				to := rapid.IntRange(0, 3).Draw(t, "keeper")
				err := second(d.HandOver(ctx, who(i), of, fmt.Sprint("person/", ids[to])))
				if s == nil || s.keeper != i || holds == 0 {
					assert.Error(t, err)
					break
				}
				require.NoError(t, err)
				if s.keeper != to {
					s.given[fmt.Sprint("person/", ids[s.keeper])] = 2
				}
				s.keeper = to
				keep()
			}
			if can.goesOn != nil {
				check(t, rapid.IntRange(0, 3).Draw(t, "who looks on")) // and obeys at once
			}
		}
		check(t, 0, 1, 2, 3)
	})
}

// A dataset is made and given by builders: whoever may see it builds charts on it, and nobody else does, by whatever
// way it was given and whoever is in which team.
func TestWhoMayUseADataset(t *testing.T) {
	d := open(t, "using")
	names := []string{"ansa", "bree", "cole"}
	ids := crew(t, d, append(names, "dora")...)
	dora := ids[3] // a builder, who keeps it
	ids = ids[:3]
	yes := true
	require.NoError(t, second(d.ChangePerson(ctx, mara, identity.Change{Email: "dora@example.org", Builder: &yes})))
	require.NoError(t, d.KeepTeam(ctx, mara, 0, "Hulls", nil))
	teams, err := d.Teams(ctx, mara)
	require.NoError(t, err)
	team := teams[0].ID
	jobs := workspace.Shared{Kind: workspace.Dataset, Name: "jobs"}
	require.NoError(t, second(d.HandOver(ctx, mara, jobs, fmt.Sprint("person/", dora))))
	rapid.Check(t, func(t *rapid.T) {
		var in, given []int
		crewed, toTeam := fmt.Sprint("team/", team), false
		audience := rapid.SampledFrom([]string{"", "keeper", crewed}).Draw(t, "audience")
		members := []int64{dora} // whom it is seen by is one's own team
		for i, id := range ids {
			if rapid.Bool().Draw(t, "in the team") {
				in, members = append(in, i), append(members, id)
			}
		}
		require.NoError(t, d.KeepTeam(ctx, mara, team, "Hulls", members))
		keeper := member(t, d, "dora@example.org")
		require.NoError(t, second(d.SeenBy(ctx, keeper, jobs, audience)))
		for i, id := range ids {
			whom := fmt.Sprint("person/", id)
			level := rapid.SampledFrom([]string{"", "see"}).Draw(t, "given") // builders alone change datasets
			if err := second(d.Give(ctx, keeper, jobs, whom, level)); level != "" {
				require.NoError(t, err)
				given = append(given, i)
			}
		}
		if toTeam = rapid.Bool().Draw(t, "given to the team"); toTeam {
			require.NoError(t, second(d.Give(ctx, keeper, jobs, crewed, "see")))
		} else {
			_ = second(d.Give(ctx, keeper, jobs, crewed, ""))
		}
		for i, name := range names {
			who := member(t, d, name+"@example.org")
			want := audience == "" || slices.Contains(given, i) || slices.Contains(in, i) && (toTeam || audience == crewed)
			_, err := d.Dataset(ctx, who, "jobs")
			assert.Equal(t, want, err == nil, "%s uses it: %v", name, err)
			sets, err := d.Datasets(ctx, who)
			require.NoError(t, err)
			assert.Equal(t, want, slices.ContainsFunc(sets, func(s *dataset.Dataset) bool { return s.Name == "jobs" }), "%s is offered it", name)
			assert.Error(t, second(d.Give(ctx, who, jobs, crewed, "see")), "%s gives it to nobody: builders do", name)
		}
	})
}

// Those who are given something are told, once each, and of nothing else; what they have read they are not
// told again.
func TestThoseWhoAreGivenSomethingAreTold(t *testing.T) {
	d := open(t, "told")
	ids := crew(t, d, "ansa", "bree")
	ansa := member(t, d, "ansa@example.org")
	require.NoError(t, second(d.SaveDashboard(ctx, edda, "one", page("one", "One", widget("a", count(`"every row"`))), workspace.On{})))
	one := workspace.Shared{Kind: workspace.Dashboard, Name: "one"}
	require.NoError(t, second(d.Publish(ctx, edda, "one")))
	require.NoError(t, d.KeepTeam(ctx, mara, 0, "Hulls", append(ids, edda.PersonID)))
	teams, err := d.Teams(ctx, mara)
	require.NoError(t, err)
	said, err := d.Give(ctx, edda, one, fmt.Sprint("team/", teams[0].ID), "edit")
	require.NoError(t, err)
	assert.Equal(t, "The team Hulls may edit it.", said)
	notices, err := d.Notices(ctx, ansa, 0, 10)
	require.NoError(t, err)
	require.Len(t, notices, 1)
	assert.Equal(t, "Edda shares the dashboard “One” with you: you may edit it → /dashboards/one", notices[0].ByName+" "+notices[0].Words+" → "+notices[0].Address)
	assert.Equal(t, 1, d.Unread(ctx, ansa))
	assert.Zero(t, d.Unread(ctx, edda), "nobody tells themselves")
	n, err := d.OpenNotice(ctx, ansa, notices[0].ID)
	require.NoError(t, err)
	assert.Equal(t, "/dashboards/one", n.Address)
	assert.Zero(t, d.Unread(ctx, ansa))
	require.NoError(t, d.MarkNotices(ctx, ansa, notices[0].ID, false))
	assert.Equal(t, 1, d.Unread(ctx, ansa))
	assert.Equal(t, problem.NotFound, code(second(d.OpenNotice(ctx, edda, notices[0].ID))), "another's notice")
	require.NoError(t, second(d.Give(ctx, edda, one, fmt.Sprint("team/", teams[0].ID), "")))
	assert.Equal(t, 1, d.Unread(ctx, ansa), "of what is taken back nobody is told")

	// Datasets are used, by those who are let; only builders say so.
	jobs := workspace.Shared{Kind: workspace.Dataset, Name: "jobs"}
	require.NoError(t, second(d.SeenBy(ctx, mara, jobs, fmt.Sprint("team/", teams[0].ID))))
	cole := crew(t, d, "cole")[0]
	assert.Equal(t, problem.NotFound, code(second(d.Dataset(ctx, member(t, d, "cole@example.org"), "jobs"))))
	require.NoError(t, second(d.Give(ctx, mara, jobs, fmt.Sprint("person/", cole), "see")))
	require.NoError(t, second(d.Dataset(ctx, member(t, d, "cole@example.org"), "jobs")))
	assert.Equal(t, problem.Forbidden, code(second(d.Give(ctx, mara, jobs, fmt.Sprint("person/", cole), "edit"))))
	assert.Equal(t, problem.Forbidden, code(second(d.Sharing(ctx, member(t, d, "ansa@example.org"), jobs))), "who may use it does not say who else does")

	found, err := d.FindWhom(ctx, edda, "l")
	require.NoError(t, err)
	assert.Equal(t, []workspace.Whom{{Value: fmt.Sprint("person/", cole), Label: "cole"}, {Value: fmt.Sprint("team/", teams[0].ID), Label: "the team Hulls"}}, found)
	for value, want := range map[string]string{"person/999": problem.NotFound, "team/x": problem.NotFound, "": problem.NotFound} {
		assert.Equal(t, want, code(second(d.Give(ctx, edda, one, value, "see"))), value)
	}
	// Whoever looks after everything may look at anything, and that is noted, once in a while.
	require.NoError(t, second(d.SeenBy(ctx, edda, one, "keeper")))
	for range 3 {
		require.NoError(t, second(d.Dashboard(ctx, mara, "one", false)))
		require.NoError(t, second(d.Dashboard(ctx, edda, "one", false)))
	}
	log, err := d.Audit(ctx, mara, 0, 100)
	require.NoError(t, err)
	looks := slices.DeleteFunc(log, func(e workspace.AuditEntry) bool { return !strings.HasSuffix(e.What, "else's dashboard") })
	require.Len(t, looks, 1)
	assert.Equal(t, "Mara looked at somebody else's dashboard One, kept by Edda", looks[0].Who+" "+looks[0].What+" "+looks[0].About)
	assert.Equal(t, problem.Invalid, code(second(d.HandOver(ctx, edda, one, fmt.Sprint("team/", teams[0].ID)))))
}

// What viewers may do is what the author ticks: marks say more, and filters are set, only then; whatever a
// viewer sends, they see the rest as its author begins it.
func TestViewersMayWhatTheAuthorTicks(t *testing.T) {
	d := open(t, "ticked")
	keep := func(may string) {
		kind := `{"name":"kind","field":"kind"}`
		doc := `{"version":2,"name":"one","title":"One","filters":[` + kind + `],"pages":[{"title":"P","widgets":[` + widget("a", count(`"every row"`)) + `]}],"viewers_may":[` + may + `]}`
		on := workspace.On{}
		if st, err := d.Standing(ctx, edda, workspace.Dashboard, "one"); err == nil {
			on.Revision = st.Revision
		}
		require.NoError(t, second(d.SaveDashboard(ctx, edda, "one", []byte(doc), on)))
		require.NoError(t, second(d.Publish(ctx, edda, "one")))
	}
	kinds := func(who *identity.Caller) (groups int, silent, fixed bool) {
		state := dashboard.State{Filters: map[string]*dashboard.Setting{"kind": values("care")}}
		l, err := d.Look(ctx, who, "one", false, state)
		require.NoError(t, err)
		a, err := l.Widget("a", view.Drawing)
		require.NoError(t, err)
		line, err := l.Line("P")
		require.NoError(t, err)
		assert.Equal(t, len(l.State().Filters) == 0, line.Fixed)
		return len(a.Drawing.Groups), a.Drawing.Silent, line.Fixed
	}
	looks := viewer("one")
	keep(`"tips","filters"`)
	n, silent, fixed := kinds(looks)
	assert.True(t, n == 1 && !silent && !fixed)
	keep(`"records"`)
	n, silent, fixed = kinds(looks)
	assert.True(t, n > 1 && silent && fixed, "%d groups", n)
	l, err := d.Look(ctx, looks, "one", false, dashboard.State{})
	require.NoError(t, err)
	assert.Equal(t, problem.Forbidden, code(second(l.Values("kind", ""))))
	assert.Equal(t, problem.Forbidden, code(second(l.OfferedIn("a"))))
	n, silent, fixed = kinds(edda)
	assert.True(t, n == 1 && !silent && !fixed, "authors do as they do")
}
