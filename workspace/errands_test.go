package workspace_test

import (
	"encoding/base64"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"net/netip"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-smtp"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/delivery"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/schedule"
	"eskadel/deliver"
	"eskadel/deliver/chat"
	"eskadel/demo/mailbox"
	"eskadel/identity"
	"eskadel/live"
	"eskadel/mail"
	"eskadel/mail/mailtest"
	"eskadel/store"
	"eskadel/workspace"
)

// A post is a desk whose letters can be read.
type post struct {
	*desk
	*mailtest.Server
	own    *pgx.Conn
	runner *deliver.Runner
	engine *live.Engine
}

func posted(t *testing.T, name string) *post {
	p := &post{desk: open(t, name), Server: mailtest.Start(t)}
	var err error
	p.own, err = pgx.Connect(ctx, p.desk.own)
	require.NoError(t, err)
	t.Cleanup(func() { _ = p.own.Close(ctx) })
	p.Workspace, p.store, p.engine = clocked(t, p.desk.own)
	p.runner = p.run(t, p.Workspace)
	return p
}

func (p *post) run(t *testing.T, w *workspace.Workspace) *deliver.Runner {
	m, err := mail.New(p.Address, "Eskadel <eskadel@boards.example>")
	require.NoError(t, err)
	return &deliver.Runner{Workspace: w, Mail: m, Chat: chat.New([]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")})}
}

// one publishes a dashboard with how many jobs there are by kind, and as one figure.
func (p *post) one(t *testing.T, who *identity.Caller, may string) {
	doc := `{"version":2,"name":"one","title":"One","pages":[{"title":"P","widgets":[` + widget("a", count(`"every row"`)) + `,` +
		`{"id":"b","at":[4,0,4,4],"chart":{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"key figures"}}]}],"viewers_may":[` + may + `]}`
	on := workspace.On{}
	if st, err := p.Standing(ctx, who, workspace.Dashboard, "one"); err == nil {
		on.Revision = st.Revision
	}
	require.NoError(t, second(p.SaveDashboard(ctx, who, "one", []byte(doc), on)))
	require.NoError(t, second(p.Publish(ctx, who, "one")))
}

var monday = schedule.Schedule{Every: "week", Weekdays: []string{"monday"}, At: []string{"07:00"}}

func ordered(change func(*workspace.DeliveryOrder)) workspace.DeliveryOrder {
	d := workspace.DeliveryOrder{Dashboard: "one", Title: "Weekly", Order: delivery.Order{As: []string{delivery.Pictures}, Schedule: monday}}
	if change != nil {
		change(&d)
	}
	return d
}

// all does all that is due, with what waits for another try at once.
func (p *post) all(t require.TestingT, runners ...*deliver.Runner) {
	if len(runners) == 0 {
		runners = []*deliver.Runner{p.runner}
	}
	for {
		did := false
		for _, r := range runners {
			one, err := r.Once(ctx)
			require.NoError(t, err)
			did = did || one
		}
		if !did {
			return
		}
	}
}

// letters are those that have come, by whom they went to.
func (p *post) letters() map[string][]*mailbox.Letter {
	out := map[string][]*mailbox.Letter{}
	for {
		select {
		case l := <-p.Arrived:
			out[l.To[0]] = append(out[l.To[0]], l)
		default:
			return out
		}
	}
}

// counted is the figure that a letter says.
func counted(l *mailbox.Letter) string {
	m := regexp.MustCompile(`(?m)^Number of jobs ([\d,]+)$`).FindStringSubmatch(l.Text)
	if m == nil {
		return ""
	}
	return m[1]
}

// A delivery is made in somebody's name, sent under whose rules it says, and ended by whoever gets it.
func TestDeliveries(t *testing.T) {
	p := posted(t, "deliveries")
	crew(t, p.desk, "ansa", "bree", "cato")
	yards(t, p.desk)
	mara := as(t, p.desk, "mara@example.org", []string{"director"}, nil)
	edda := as(t, p.desk, "edda@example.org", []string{"director"}, nil)
	ansa := as(t, p.desk, "ansa@example.org", []string{"foreman"}, filter.Attributes{"yard": "1"})
	bree := as(t, p.desk, "bree@example.org", []string{}, nil)
	assert.Equal(t, problem.NotFound, code(second(p.KeepDelivery(ctx, edda, ordered(nil)))), "of nothing")
	p.one(t, edda, `"records"`)
	for name, change := range map[string]func(*workspace.DeliveryOrder){
		"without a name":            func(d *workspace.DeliveryOrder) { d.Title = "  " },
		"a page that there is not":  func(d *workspace.DeliveryOrder) { d.Order.Page = "Q" },
		"a part that there is not":  func(d *workspace.DeliveryOrder) { d.Order.Widgets = []string{"z"} },
		"in no form":                func(d *workspace.DeliveryOrder) { d.Order.As = nil },
		"holidays of no calendar":   func(d *workspace.DeliveryOrder) { d.Order.Schedule.Holidays = "skip" },
		"by a calendar that is not": func(d *workspace.DeliveryOrder) { d.Order.Calendar = 99 },
		"never":                     func(d *workspace.DeliveryOrder) { d.Order.Schedule.Weekdays = nil },
	} {
		assert.NotEmpty(t, code(second(p.KeepDelivery(ctx, edda, ordered(change)))), name)
	}
	assert.Equal(t, problem.Forbidden, code(second(p.KeepDelivery(ctx, ansa, ordered(func(d *workspace.DeliveryOrder) { d.Order.Keepers = true })))), "who may not share it shows nobody what they see")
	program := *edda
	program.Program = true
	assert.Equal(t, problem.Forbidden, code(second(p.KeepDelivery(ctx, &program, ordered(nil)))))
	id, err := p.KeepDelivery(ctx, edda, ordered(func(d *workspace.DeliveryOrder) { d.SignUp = true; d.Order.Note = "<b>Hello</b>" }))
	require.NoError(t, err)

	// Whom it is told to.
	add := func(who *identity.Caller, to string) error { return second(p.AddReceiver(ctx, who, id, to)) }
	assert.Equal(t, problem.Forbidden, code(add(ansa, fmt.Sprint("person/", ansa.PersonID))), "it is not theirs")
	require.NoError(t, add(edda, fmt.Sprint("person/", ansa.PersonID)))
	require.NoError(t, add(edda, fmt.Sprint("person/", bree.PersonID)))
	require.NoError(t, p.KeepTeam(ctx, mara, 0, "Crew", []int64{ansa.PersonID, bree.PersonID}))
	teams, err := p.Teams(ctx, mara)
	require.NoError(t, err)
	require.NoError(t, add(edda, fmt.Sprint("team/", teams[0].ID)), "whose members get it once")
	assert.Equal(t, problem.Forbidden, code(add(edda, "address/harbour@elsewhere.example")), "nobody allows it")
	assert.Equal(t, problem.Forbidden, code(p.Allow(ctx, edda, "elsewhere.example")))
	assert.Equal(t, problem.Invalid, code(p.Allow(ctx, mara, "no domain")))
	require.NoError(t, p.Allow(ctx, mara, "@elsewhere.example"))
	require.NoError(t, add(edda, "address/Harbour@elsewhere.example"))
	for _, wrong := range []string{"address/no address", "address/ansa@example.org", "channel/7", "person/999", "team/999", "nobody"} {
		assert.NotEmpty(t, code(add(edda, wrong)), wrong)
	}
	require.NoError(t, p.DoErrand(ctx, edda, id, false))
	p.all(t)
	got := p.letters()
	assert.Len(t, got, 4)
	for to, n := range map[string]string{"edda@example.org": "60", "harbour@elsewhere.example": "60", "ansa@example.org": "30", "bree@example.org": "0"} {
		require.Len(t, got[to], 1, to)
		assert.Equal(t, n, counted(got[to][0]), to)
	}
	letter := got["ansa@example.org"][0]
	assert.Contains(t, letter.HTML, "&lt;b&gt;Hello&lt;/b&gt;", "a line is a line")
	assert.Contains(t, letter.HTML, `src="cid:chart-1.png"`)
	assert.NotEmpty(t, letter.Pictures["chart-1.png"].Bytes)
	assert.Contains(t, letter.Text, "Look at it: https://boards.example/dashboards/one")
	assert.NotContains(t, got["harbour@elsewhere.example"][0].Text, "/dashboards/one", "who does not sign in")
	assert.Contains(t, got["harbour@elsewhere.example"][0].Text, "It shows what Edda sees.")

	// Whoever gets it ends it: by the link, as often as they like, and by no other.
	assert.Equal(t, "List-Unsubscribe=One-Click", letter.Header.Get("List-Unsubscribe-Post"))
	token := strings.TrimSuffix(strings.TrimPrefix(letter.Header.Get("List-Unsubscribe"), "<https://boards.example/letters/leave/"), ">")
	title, err := p.Leaving(ctx, token)
	require.NoError(t, err)
	assert.Equal(t, "Weekly", title)
	for range 2 {
		require.NoError(t, second(p.LeaveBy(ctx, token)))
	}
	for _, wrong := range []string{"", "x", token[:len(token)-2], base64.RawURLEncoding.EncodeToString([]byte(`{"e":1,"w":"person/1"}`))} {
		assert.Equal(t, problem.NotFound, code(second(p.LeaveBy(ctx, wrong))), wrong)
	}
	// Others sign themselves up, and see what is theirs whatever its keeper says of the others.
	cato := as(t, p.desk, "cato@example.org", []string{"foreman"}, filter.Attributes{"yard": "2"})
	require.NoError(t, p.SignUp(ctx, cato, id))
	_, err = p.KeepDelivery(ctx, edda, ordered(func(d *workspace.DeliveryOrder) { d.ID, d.Revision, d.Order.Keepers = id, 1, true }))
	require.NoError(t, err)
	assert.Equal(t, problem.Conflict, code(second(p.KeepDelivery(ctx, edda, ordered(func(d *workspace.DeliveryOrder) { d.ID, d.Revision = id, 1 })))), "made from an older state")
	require.NoError(t, p.DoErrand(ctx, edda, id, false))
	p.all(t)
	got = p.letters()
	assert.Empty(t, got["ansa@example.org"])
	assert.Equal(t, "60", counted(got["bree@example.org"][0]), "as its keeper sees it")
	assert.Equal(t, "30", counted(got["cato@example.org"][0]))
	require.NoError(t, p.SignUp(ctx, ansa, id), "who ended it may want it again")
	require.NoError(t, p.Leave(ctx, ansa, id))
	assert.Equal(t, problem.NotFound, code(p.SignUp(ctx, ansa, 0)), "no such one")

	// Who tries it gets it alone.
	require.NoError(t, p.DoErrand(ctx, mara, id, true))
	p.all(t)
	got = p.letters()
	assert.Len(t, got, 1)
	assert.Contains(t, got["mara@example.org"][0].Subject, "Trial: Weekly")

	// What cannot be sent to somebody is said, and the others get theirs.
	require.NoError(t, p.Forbid(ctx, mara, "elsewhere.example"))
	require.NoError(t, p.EndPerson(ctx, mara, bree.PersonID))
	require.NoError(t, second(p.SeenBy(ctx, edda, workspace.Shared{Kind: workspace.Dashboard, Name: "one"}, "keeper")))
	require.NoError(t, p.DoErrand(ctx, edda, id, false))
	p.all(t)
	assert.Len(t, p.letters(), 1, "its keeper alone sees it now")
	_, runs, err := p.Delivery(ctx, edda, id)
	require.NoError(t, err)
	said := map[string]string{}
	for _, l := range runs[0].Letters {
		said[l.Label] = l.Words
	}
	assert.Contains(t, said["harbour@elsewhere.example"], "Nothing may be sent to")
	assert.Contains(t, said["bree"], "let in no more")
	assert.Contains(t, said["ansa"], "no more of it")
	assert.Contains(t, said["cato"], "There is no dashboard")

	// Who leaves stops theirs.
	require.NoError(t, p.KeepTeam(ctx, mara, teams[0].ID, "Crew", []int64{ansa.PersonID, edda.PersonID}))
	require.NoError(t, p.EndPerson(ctx, mara, edda.PersonID))
	e, _, err := p.Delivery(ctx, mara, id)
	require.NoError(t, err)
	assert.NotNil(t, e.PausedAt)
	notices, err := p.Notices(ctx, ansa, 0, 1)
	require.NoError(t, err)
	assert.Equal(t, "is let in no more, so that “Weekly” of theirs is not sent any longer", notices[0].Words)
	assert.Equal(t, problem.Conflict, code(p.ResumeErrand(ctx, mara, id)))
	require.NoError(t, p.DoErrand(ctx, mara, id, false))
	p.all(t)
	assert.Empty(t, p.letters(), "not even when somebody asks for it")
	require.NoError(t, p.RemoveErrand(ctx, mara, id))
	assert.Equal(t, problem.NotFound, code(second(p.Leaving(ctx, token))))
}

// What is sent only when it is needed.
func TestDeliveriesThatNobodyNeeds(t *testing.T) {
	p := posted(t, "unneeded")
	yards(t, p.desk)
	edda := as(t, p.desk, "edda@example.org", []string{"director"}, nil)
	crew(t, p.desk, "ansa")
	ansa := as(t, p.desk, "ansa@example.org", []string{}, nil)
	p.one(t, edda, `"records"`)
	send := func(only string, change func()) map[string][]*mailbox.Letter {
		id, err := p.KeepDelivery(ctx, edda, ordered(func(d *workspace.DeliveryOrder) { d.Order.Only = only }))
		require.NoError(t, err)
		require.NoError(t, second(p.AddReceiver(ctx, edda, id, fmt.Sprint("person/", ansa.PersonID))))
		for i := range 2 {
			if i == 1 && change != nil {
				change()
			}
			require.NoError(t, p.DoErrand(ctx, edda, id, false))
			p.all(t)
		}
		return p.letters()
	}
	got := send("", nil)
	assert.Len(t, got["edda@example.org"], 2)
	assert.Len(t, got["ansa@example.org"], 2, "who sees nothing is told so")
	got = send(delivery.Something, nil)
	assert.Len(t, got["edda@example.org"], 2)
	assert.Empty(t, got["ansa@example.org"])
	assert.Len(t, send(delivery.Changed, nil)["edda@example.org"], 1)
	assert.Len(t, send(delivery.Changed, func() {
		_, err := p.records.Exec(ctx, "update job set kind = 'care' where id = (select min(id) from job where kind <> 'care')")
		require.NoError(t, err)
		_, err = p.own.Exec(ctx, "select 1")
		require.NoError(t, err)
		p.Workspace, p.store = instance(t, p.desk.own) // nothing is kept
		p.runner = p.run(t, p.Workspace)
	})["edda@example.org"], 2)
}

// Whatever the rules and whoever they are: each gets what a query of one's own finds for them, and a part of it
// to nobody else.
func TestNobodyGetsWhatTheyMayNotSee(t *testing.T) {
	p := posted(t, "theirs")
	names := []string{"ansa", "bree", "cato"}
	ids := crew(t, p.desk, names...)
	yards(t, p.desk)
	edda := as(t, p.desk, "edda@example.org", []string{"director"}, nil)
	p.one(t, edda, `"records"`)
	_, err := p.records.Exec(ctx, "insert into yard values (3, 'Holm', 'north'); update job set yard_id = id % 3 + 1")
	require.NoError(t, err)
	rapid.Check(t, func(t2 *rapid.T) {
		keepers := rapid.Bool().Draw(t2, "as its keeper sees it")
		id, err := p.KeepDelivery(ctx, edda, ordered(func(d *workspace.DeliveryOrder) {
			d.SignUp, d.Order.Keepers, d.Order.As = true, keepers, []string{"csv"}
		}))
		require.NoError(t2, err)
		want := map[string]string{"edda@example.org": "60"}
		for i, name := range names {
			roles, yards := []string{"foreman"}, rapid.SliceOfNDistinct(rapid.IntRange(1, 4), 0, 3, rapid.ID).Draw(t2, name)
			if rapid.IntRange(0, 5).Draw(t2, "without a role") == 0 {
				roles = []string{}
			}
			var held []any
			for _, y := range yards {
				held = append(held, fmt.Sprint(y))
			}
			who := as(t, p.desk, name+"@example.org", roles, filter.Attributes{"yard": held})
			own := rapid.Bool().Draw(t2, "signs up")
			if own {
				require.NoError(t2, p.SignUp(ctx, who, id))
			} else {
				require.NoError(t2, second(p.AddReceiver(ctx, edda, id, fmt.Sprint("person/", ids[i]))))
			}
			var n int
			require.NoError(t2, p.records.QueryRow(ctx, "select count(*) from job where yard_id = any($1) and $2", yards, len(roles) > 0).Scan(&n))
			want[name+"@example.org"] = fmt.Sprint(n)
			if keepers && !own {
				want[name+"@example.org"] = "60"
			}
		}
		require.NoError(t2, p.DoErrand(ctx, edda, id, false))
		p.all(t2)
		got := map[string]string{}
		for to, all := range p.letters() {
			require.Len(t2, all, 1)
			got[to] = counted(all[0])
		}
		assert.Equal(t2, want, got)
		require.NoError(t2, p.RemoveErrand(ctx, edda, id))
	})
}

// Viewers of a host app sign up where the author lets them; they get what their last pass lets them see, as long as
// the app vouches for them.
func TestViewersGetLetters(t *testing.T) {
	p := posted(t, "vouched")
	yards(t, p.desk)
	edda := as(t, p.desk, "edda@example.org", []string{"director"}, nil)
	require.NoError(t, p.RegisterHost(ctx, mara, workspace.Registration{Name: "desk", Title: "Desk", Origins: []string{"https://desk.example"}}))
	_, err := p.MakeHostKey(ctx, mara, "desk", "k1")
	require.NoError(t, err)
	came := func(email string, dashboards ...string) *identity.Caller {
		require.NoError(t, p.store.SeenViewer(ctx, store.HostViewer{HostApp: "desk", HostKey: "k1", Subject: "7", Name: "Orla", Email: email}, []string{"foreman"}, dashboards, filter.Attributes{"yard": "1"}))
		c, _, err := identity.ByHost(ctx, p.store, "desk", "7")
		require.NoError(t, err)
		return c
	}
	orla := came("orla@skerrin.example", "one")
	p.one(t, edda, `"records"`)
	id, err := p.KeepDelivery(ctx, edda, ordered(func(d *workspace.DeliveryOrder) { d.SignUp, d.Order.As = true, []string{delivery.Pictures, "xlsx"} }))
	require.NoError(t, err)
	assert.Equal(t, problem.Forbidden, code(p.SignUp(ctx, orla, id)), "the author has not ticked it")
	p.one(t, edda, `"records","subscribe"`)
	assert.Equal(t, problem.Missing, code(p.SignUp(ctx, came("", "one"), id)), "nobody knows where letters reach them")
	assert.Equal(t, problem.Forbidden, code(p.SignUp(ctx, came("orla@skerrin.example", "another"), id)), "their pass is not for it")
	require.NoError(t, p.SignUp(ctx, came("orla@skerrin.example", "one"), id))
	send := func() (*mailbox.Letter, string) {
		require.NoError(t, p.DoErrand(ctx, edda, id, false))
		p.all(t)
		_, runs, err := p.Delivery(ctx, edda, id)
		require.NoError(t, err)
		i := slices.IndexFunc(runs[0].Letters, func(l workspace.Letter) bool { return l.Who == "viewer/desk/7" })
		require.GreaterOrEqual(t, i, 0)
		if got := p.letters()["orla@skerrin.example"]; len(got) > 0 {
			return got[0], ""
		}
		return nil, runs[0].Letters[i].Words
	}
	letter, _ := send()
	require.NotNil(t, letter)
	assert.Equal(t, "30", counted(letter))
	assert.Empty(t, letter.Files, "readers may not take it away")
	assert.Contains(t, letter.Text, "may not take it away")
	p.one(t, edda, `"records","subscribe","download"`)
	letter, _ = send()
	require.NotNil(t, letter)
	assert.Len(t, letter.Files, 1)
	for why, change := range map[string]struct{ do, undo string }{
		"has not come for 45 days": {"update host_viewers set seen_at = now() - interval '46 days'", "update host_viewers set seen_at = now()"},
		"let in no more":           {"insert into ended_viewers values ('desk', '7', 'Orla', 'Mara', now())", "delete from ended_viewers"},
		"has been ended":           {"update host_keys set revoked_at = now()", "update host_keys set revoked_at = null"},
		"not for this dashboard":   {`update host_viewers set dashboards = '["another"]'`, `update host_viewers set dashboards = '["one"]'`},
	} {
		_, err := p.own.Exec(ctx, change.do)
		require.NoError(t, err)
		letter, words := send()
		assert.Nil(t, letter, why)
		assert.Contains(t, words, why)
		_, err = p.own.Exec(ctx, change.undo)
		require.NoError(t, err)
	}
	p.one(t, edda, `"records"`)
	_, words := send()
	assert.Contains(t, words, "does not let its readers sign up")
}

// A year, its clock running in leaps, back too: each moment is done once, or is one that was passed over while
// nothing ran; whatever the mail server does, and whether an instance dies while it sends, nobody gets a letter twice
// and none is lost.
func TestAYearOfDeliveries(t *testing.T) {
	p := posted(t, "year")
	yards(t, p.desk)
	edda := as(t, p.desk, "edda@example.org", []string{"director"}, nil)
	crew(t, p.desk, "ansa")
	ansa := as(t, p.desk, "ansa@example.org", []string{"director"}, nil)
	p.one(t, edda, `"records"`)
	require.NoError(t, p.KeepCalendar(ctx, mara, "Skerrin", []string{"2027-12-27", "2028-01-03", "2028-02-29", "2028-05-01"}))
	calendars, err := p.Calendars(ctx, edda)
	require.NoError(t, err)
	holidays := schedule.Holidays{}
	for _, d := range calendars[0].DayList() {
		at, err := time.Parse(time.DateOnly, d)
		require.NoError(t, err)
		holidays[schedule.DateOf(at)] = true
	}
	chance := rand.New(rand.NewPCG(2028, 17))
	begin := time.Date(2027, 12, 20, 0, 0, 0, 0, time.UTC)
	instances, engines, stores := make([]*deliver.Runner, 2), make([]*live.Engine, 2), make([]*store.Store, 2)
	now := begin
	start := func(i int) {
		w, s, e := clocked(t, p.desk.own)
		e.Hub.Pin(now)
		instances[i], engines[i], stores[i] = p.run(t, w), e, s
	}
	for i := range 2 {
		start(i)
	}
	schedules := map[int64]schedule.Schedule{}
	for _, s := range []schedule.Schedule{
		{Every: "working day", At: []string{"07:00", "01:30"}, Zone: "Europe/London"},
		{Every: "month", On: &schedule.On{Nth: -1, Of: "working day"}, At: []string{"02:30"}, Zone: "America/New_York"},
		{Every: "week", Weekdays: []string{"sunday", "tuesday"}, At: []string{"02:15"}, Zone: "Australia/Lord_Howe", Holidays: "after"},
	} {
		id, err := instances[0].Workspace.KeepDelivery(ctx, edda, ordered(func(d *workspace.DeliveryOrder) {
			d.Order.Schedule, d.Order.Calendar, d.Order.As = s, calendars[0].ID, []string{"csv"}
		}))
		require.NoError(t, err)
		schedules[id] = s
		require.NoError(t, second(p.AddReceiver(ctx, edda, id, fmt.Sprint("person/", ansa.PersonID))))
	}
	fails, deaths, dies := 0, 0, func() {}
	p.Ends = func([]string) error {
		switch n := chance.IntN(12); {
		case n == 0:
			fails++
			return &smtp.SMTPError{Code: 451, Message: "not just now"}
		case n == 1 && deaths < 8:
			deaths++
			dies() // once the letter is whole, before anybody hears that it was taken
		}
		return nil
	}
	soon := func() {
		_, err := p.own.Exec(ctx, "update runs set try_at = now() where state = 'waiting'; update letters set try_at = now() where state = 'waiting'; update runs set lease_until = now() - interval '1 second' where state = 'running'")
		require.NoError(t, err)
	}
	work := func(i int) bool {
		died := false
		dies = func() { died = true; _ = stores[i].Close() }
		did, err := instances[i].Once(ctx)
		if died {
			start(i)
			return true
		}
		require.NoError(t, err)
		return did
	}
	expected := map[int64]map[time.Time]bool{}
	for id := range schedules {
		expected[id] = map[time.Time]bool{}
	}
	for now.Before(begin.AddDate(1, 0, 10)) {
		leap := time.Duration(chance.IntN(60)+1) * time.Hour
		if chance.IntN(15) == 0 {
			leap = -time.Duration(chance.IntN(30)+2) * time.Hour // the clock is put back
		}
		next := now.Add(leap)
		for id, s := range schedules {
			if moments := s.Between(now, next, time.UTC, holidays); len(moments) > 0 {
				expected[id][moments[len(moments)-1].UTC()] = true
			}
		}
		now = next
		for i := range engines {
			engines[i].Hub.Pin(now)
		}
		if chance.IntN(40) == 0 { // an instance starts again
			start(chance.IntN(2))
		}
		for range 3 { // what failed is tried again, and what died is taken up
			for work(chance.IntN(2)) {
			}
			soon()
		}
	}
	p.Ends, dies = nil, func() {}
	soon()
	p.all(t, instances...)
	assert.Greater(t, fails, 20, "the server failed often enough to tell")

	rows, err := p.own.Query(ctx, "select errand_id, due_at from runs where why = 'due'")
	require.NoError(t, err)
	done := map[int64]map[time.Time]bool{}
	for id := range schedules {
		done[id] = map[time.Time]bool{}
	}
	for rows.Next() {
		var id int64
		var at time.Time
		require.NoError(t, rows.Scan(&id, &at))
		assert.False(t, done[id][at.UTC()], "%d twice at %s", id, at)
		done[id][at.UTC()] = true
	}
	require.NoError(t, rows.Err())
	assert.Equal(t, expected, done)
	var open, handed, sent, failed int
	require.NoError(t, p.own.QueryRow(ctx, "select count(*) filter (where state not in ('sent', 'handed', 'failed')), count(*) filter (where state = 'handed'), count(*) filter (where state = 'sent'), count(*) filter (where state = 'failed') from letters").Scan(&open, &handed, &sent, &failed))
	assert.Zero(t, open, "all were told")
	came := map[string]int{}
	for _, all := range p.letters() {
		for _, l := range all {
			came[l.Header.Get("Message-Id")]++
		}
	}
	for id, n := range came {
		assert.Equal(t, 1, n, id)
	}
	assert.Len(t, came, sent+handed, "what was handed over came, though nobody heard so")
	assert.Zero(t, failed, "nothing failed so often that it was given up")
	assert.Positive(t, handed)
}

// A channel gets a signed message, once; addresses inside are closed unless they are listed.
func TestChannels(t *testing.T) {
	p := posted(t, "channels")
	p.one(t, edda, `"records"`)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	room := mailbox.New()
	server := &http.Server{Handler: room.Handler(), ReadHeaderTimeout: time.Minute}
	go func() { _ = server.Serve(l) }()
	t.Cleanup(func() { _ = server.Close() })
	assert.Equal(t, problem.Forbidden, code(second(p.AddChannel(ctx, edda, "Yards", "https://chat.example"))))
	for _, wrong := range [][2]string{{"", "https://chat.example"}, {"Yards", "chat"}, {"Yards", "ftp://chat.example"}, {"Yards", "https://u:p@chat.example"}} {
		assert.Equal(t, problem.Invalid, code(second(p.AddChannel(ctx, mara, wrong[0], wrong[1]))), wrong)
	}
	secret, err := p.AddChannel(ctx, mara, "Yards", "http://"+l.Addr().String()+"/chat/yards")
	require.NoError(t, err)
	assert.Equal(t, problem.Conflict, code(second(p.AddChannel(ctx, mara, "Yards", "https://chat.example"))))
	id, err := p.KeepDelivery(ctx, edda, ordered(nil))
	require.NoError(t, err)
	require.NoError(t, second(p.AddReceiver(ctx, edda, id, "channel/1")))
	send := func() string {
		require.NoError(t, p.DoErrand(ctx, edda, id, false))
		p.all(t)
		_, runs, err := p.Delivery(ctx, edda, id)
		require.NoError(t, err)
		return runs[0].Letters[1].Words
	}
	assert.Contains(t, send(), "does not take the message", "it does not know the secret")
	room.Signed(map[string]string{"1": secret})
	assert.Empty(t, send())
	said := room.Chat()
	require.Len(t, said, 1)
	assert.Equal(t, "Weekly", said[0].Title)
	assert.Contains(t, said[0].Text, "Number of jobs 60")
	p.runner.Chat = chat.New(nil)
	assert.Contains(t, send(), "lies inside the own network")
	require.NoError(t, p.RemoveChannel(ctx, mara, 1))
	e, _, err := p.Delivery(ctx, edda, id)
	require.NoError(t, err)
	assert.Len(t, e.To, 1)
}

// What an administrator sees of what is done by itself, and what is tried again.
func TestWhatIsDoneByItself(t *testing.T) {
	p := posted(t, "itself")
	p.one(t, edda, `"records"`)
	id, err := p.KeepDelivery(ctx, edda, ordered(nil))
	require.NoError(t, err)
	assert.Equal(t, problem.Forbidden, code(second(p.Working(ctx, edda))))
	p.Ends = func([]string) error { return &smtp.SMTPError{Code: 451, Message: "not just now"} }
	require.NoError(t, p.DoErrand(ctx, edda, id, false))
	tries := 0
	for ; ; tries++ {
		p.all(t)
		w, err := p.Working(ctx, mara)
		require.NoError(t, err)
		if len(w.Waiting) == 0 {
			require.Len(t, w.Failed, 1)
			break
		}
		assert.Contains(t, w.Waiting[0].Letters[0].Words, "The mail server")
		assert.True(t, w.Waiting[0].TryAt.After(time.Now()), "later")
		_, err = p.own.Exec(ctx, "update runs set try_at = now(); update letters set try_at = now()")
		require.NoError(t, err)
	}
	assert.Equal(t, 5, tries, "so often it is tried again")
	notices, err := p.Notices(ctx, edda, 0, 1)
	require.NoError(t, err)
	assert.Equal(t, "could not send “Weekly” to anybody", notices[0].Words)
}
