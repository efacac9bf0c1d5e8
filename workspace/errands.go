package workspace

import (
	"cmp"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"time"

	"eskadel/core/alert"
	"eskadel/core/delivery"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/schedule"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// What is done by itself: deliveries. Each is done in the name of its keeper, with their rights at that moment.

// A Run is an errand done once; a Letter is what it told to one receiver.
type (
	Run    = store.Run
	Letter = store.Letter
)

// mostReceivers is to how many something is told, besides members of teams; mostErrands is how many errands a
// person keeps.
const (
	mostReceivers = 100
	mostErrands   = 200
)

// A Receiver is to whom something is told, in words.
type Receiver struct {
	ID    int64
	Who   string // "person/7", "team/3", "address/ops@example.org", "channel/2", "viewer/desk/17"
	Label string
	Note  string // what is to be said of them: that they left
	Own   bool   // they signed themselves up
	Later bool   // they are told only of what lasts
}

// An Errand is something done by itself, as it is told of.
type Errand struct {
	*store.Errand
	Order    delivery.Order
	Watch    alert.Watch // of an alert
	Says     string      // the whole of it
	When     string
	May      bool // change it
	Gets     bool // whoever asks gets it
	Last     *Run
	Where    string // the dashboard's address
	To       []Receiver
	Unopened bool // its dashboard may no longer be seen by whoever asks
}

// order reads what an errand is to do.
func order(e *store.Errand) (o delivery.Order, err error) {
	if e.Kind == store.Alert {
		w, err := watch(e)
		return asDelivered(w), err
	}
	return o, json.Unmarshal(e.Asks, &o)
}

// told says an errand for somebody.
func (w *Workspace) told(ctx context.Context, who *identity.Caller, e *store.Errand) (Errand, error) {
	o, err := order(e)
	if err != nil {
		return Errand{}, err
	}
	left, err := w.store.Leavings(ctx, e.ID)
	if err != nil {
		return Errand{}, err
	}
	out := Errand{Errand: e, Order: o, May: mayTend(who, e) == nil, Where: AddressOf(e.Dashboard, o.Page, "")}
	if e.Kind == store.Alert {
		if out.Watch, err = watch(e); err != nil {
			return Errand{}, err
		}
		out.When = cmp.Or(out.Watch.Label, "it") + " " + out.Watch.Words()
	} else {
		out.Says, out.When = o.Words(e.About), o.Schedule.Words()
	}
	for i := range e.Receivers {
		r := &e.Receivers[i]
		one := Receiver{ID: r.ID, Who: receiverOf(r), Own: r.Own, Later: r.Later}
		one.Label = w.label(ctx, r)
		if _, ok := left[one.Who]; ok {
			one.Note = "wants no more of it"
		}
		out.To = append(out.To, one)
		if _, gone := left[selfOf(who)]; receives(who, r) && !gone {
			out.Gets = true
		}
	}
	return out, nil
}

// mayTend tells in words why somebody may not change an errand.
func mayTend(who *identity.Caller, e *store.Errand) error {
	if err := rights.Ever(who, rights.Deliver); err != nil {
		return err
	}
	if who.Builder || who.PersonID != 0 && who.PersonID == e.KeeperID {
		return nil
	}
	return problem.New(problem.Forbidden, "", "This %s is kept by %s: only they and builders change it.", e.Kind, e.Keeper.Name)
}

// receiverOf is what a receiver is called among those of an errand.
func receiverOf(r *store.Receiver) string {
	switch {
	case r.PersonID != nil:
		return fmt.Sprint(ofPerson, *r.PersonID)
	case r.TeamID != nil:
		return fmt.Sprint(ofTeam, *r.TeamID)
	case r.ChannelID != nil:
		return fmt.Sprint("channel/", *r.ChannelID)
	case r.Subject != nil:
		return "viewer/" + *r.HostApp + "/" + *r.Subject
	}
	return "address/" + *r.Address
}

// selfOf is what somebody is called as a receiver.
func selfOf(who *identity.Caller) string {
	if who.PersonID != 0 {
		return fmt.Sprint(ofPerson, who.PersonID)
	}
	return "viewer/" + who.ID
}

// receives tells whether somebody is among a receiver.
func receives(who *identity.Caller, r *store.Receiver) bool {
	return receiverOf(r) == selfOf(who) || r.TeamID != nil && slices.Contains(who.Teams, *r.TeamID)
}

// label is what people call a receiver.
func (w *Workspace) label(ctx context.Context, r *store.Receiver) string {
	switch {
	case r.Person != nil:
		return r.Person.Name
	case r.Team != nil:
		return "the team " + r.Team.Name
	case r.Channel != nil:
		return "the channel " + r.Channel.Title
	case r.Subject != nil:
		if v, err := w.store.HostViewer(ctx, *r.HostApp, *r.Subject); err == nil {
			return v.Name
		}
		return "somebody of " + *r.HostApp
	case r.Address != nil:
		return *r.Address
	}
	return "somebody"
}

// Deliveries lists the deliveries that somebody keeps or gets, or may sign up for; for builders all.
func (w *Workspace) Deliveries(ctx context.Context, who *identity.Caller) ([]Errand, error) {
	return w.errandsOf(ctx, who, store.Delivery)
}

func (w *Workspace) errandsOf(ctx context.Context, who *identity.Caller, kind string) ([]Errand, error) {
	if err := rights.Ever(who, rights.Deliver); err != nil {
		return nil, err
	}
	last, err := w.store.LastRuns(ctx)
	if err != nil {
		return nil, err
	}
	return w.errands(ctx, who, kind, 0, func(e *Errand) bool {
		if run, ok := last[e.ID]; ok {
			e.Last = &run
		}
		return e.May || e.Gets || e.SignUp && !e.Unopened
	})
}

// errands are the deliveries or alerts of a dashboard, or all, that are wanted.
func (w *Workspace) errands(ctx context.Context, who *identity.Caller, kind string, documentID int64, wanted func(*Errand) bool) (out []Errand, err error) {
	all, err := w.store.Errands(ctx, kind, documentID)
	if err != nil {
		return nil, err
	}
	for i := range all {
		one, err := w.told(ctx, who, &all[i])
		if err != nil {
			return nil, err
		}
		d, err := w.store.Document(ctx, Dashboard, all[i].Dashboard)
		if err != nil {
			return nil, err
		}
		one.Unopened = rights.May(who, rights.See, thing(d)) != nil
		if wanted(&one) {
			out = append(out, one)
		}
	}
	return out, nil
}

// OpenTo lists the deliveries of a dashboard that somebody gets, or may sign up for.
func (w *Workspace) OpenTo(ctx context.Context, who *identity.Caller, name string) ([]Errand, *Opened, error) {
	o, err := w.subscribable(ctx, who, name)
	if err != nil {
		return nil, nil, err
	}
	var out []Errand
	for _, kind := range []string{store.Delivery, store.Alert} {
		all, err := w.errands(ctx, who, kind, o.kept.ID, func(e *Errand) bool { return e.Gets || e.SignUp })
		if err != nil {
			return nil, nil, err
		}
		out = append(out, all...)
	}
	return out, o, nil
}

// subscribable opens a dashboard for those who may sign up for what is delivered of it.
func (w *Workspace) subscribable(ctx context.Context, who *identity.Caller, name string) (*Opened, error) {
	return w.permitted(ctx, who, name, rights.Subscribe)
}

// permitted opens what is published of a dashboard for those who have a right to it.
func (w *Workspace) permitted(ctx context.Context, who *identity.Caller, name string, right rights.What) (*Opened, error) {
	o, err := w.Dashboard(ctx, who, name, false)
	if err != nil {
		return nil, err
	}
	on := thing(o.kept)
	on.ViewersMay = o.Doc.ViewersMay
	return o, rights.May(who, right, on)
}

// Delivery is a delivery with what came of it, for those who may change it.
func (w *Workspace) Delivery(ctx context.Context, who *identity.Caller, id int64) (*Errand, []Run, error) {
	e, err := w.tended(ctx, who, id)
	if err != nil {
		return nil, nil, err
	}
	out, err := w.told(ctx, who, e)
	if err != nil {
		return nil, nil, err
	}
	runs, err := w.store.Runs(ctx, id, 40)
	return &out, runs, err
}

// tended finds an errand that somebody may change.
func (w *Workspace) tended(ctx context.Context, who *identity.Caller, id int64) (*store.Errand, error) {
	if err := rights.Ever(who, rights.Deliver); err != nil {
		return nil, err
	}
	e, err := w.store.Errand(ctx, id)
	if err != nil {
		return nil, err
	}
	return e, mayTend(who, e)
}

// A DeliveryOrder is a delivery as somebody wants it kept.
type DeliveryOrder struct {
	ID, Revision int64
	Dashboard    string
	Title        string
	SignUp       bool
	Order        delivery.Order
}

// KeepDelivery keeps a delivery: a new one, which is told to whoever makes it, or one that is there.
func (w *Workspace) KeepDelivery(ctx context.Context, who *identity.Caller, d DeliveryOrder) (id int64, err error) {
	return w.keepErrand(ctx, who, &errandOrder{Kind: store.Delivery, ID: d.ID, Revision: d.Revision, Dashboard: d.Dashboard, Title: d.Title, SignUp: d.SignUp, Keepers: d.Order.Keepers, asks: d.Order,
		check: func(o *Opened) error {
			if err := d.Order.Check(o.Doc); err != nil {
				return err
			}
			_, err := w.calendar(ctx, d.Order.Calendar)
			return err
		}})
}

// An errandOrder is what is to be kept of an errand of either kind.
type errandOrder struct {
	Kind             string
	ID, Revision     int64
	Dashboard, Title string
	SignUp, Keepers  bool
	asks             any
	check            func(*Opened) error
}

func (w *Workspace) keepErrand(ctx context.Context, who *identity.Caller, d *errandOrder) (id int64, err error) {
	if err := rights.Ever(who, rights.Deliver); err != nil {
		return 0, err
	}
	e := &store.Errand{Kind: d.Kind, KeeperID: who.PersonID}
	if d.ID != 0 {
		if e, err = w.tended(ctx, who, d.ID); err != nil {
			return 0, err
		}
		if e.Kind != d.Kind {
			return 0, problem.New(problem.NotFound, "", "There is no such %s.", d.Kind)
		}
		d.Dashboard, e.Revision = e.Dashboard, int(d.Revision)
	}
	o, err := w.orderable(ctx, who, d.Dashboard)
	if err != nil {
		return 0, err
	}
	e.DocumentID, e.SignUp, e.LookedUntil = o.kept.ID, d.SignUp, w.Now()
	if e.Title = strings.Join(strings.Fields(d.Title), " "); e.Title == "" || len([]rune(e.Title)) > delivery.LongestTitle {
		return 0, problem.New(problem.Invalid, "title", "Say what it is called, in at most %d letters: its letters are called so.", delivery.LongestTitle)
	}
	if err := d.check(o); err != nil {
		return 0, err
	}
	if d.Keepers {
		if err := rights.May(who, rights.Share, thing(o.kept)); err != nil {
			return 0, problem.At("keepers", err)
		}
	}
	if e.Asks, err = json.Marshal(d.asks); err != nil {
		return 0, err
	}
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		made := e.ID == 0
		if made {
			all, err := tx.Errands(ctx, d.Kind, 0)
			if err != nil {
				return err
			}
			if n := len(slices.DeleteFunc(all, func(e store.Errand) bool { return e.KeeperID != who.PersonID })); n >= mostErrands {
				return problem.New(problem.TooMany, "", "A person keeps at most %d of them.", mostErrands)
			}
		}
		if err := tx.KeepErrand(ctx, e); err != nil {
			return err
		}
		if !made {
			if err := tx.ForgetKnown(ctx, e.ID); err != nil {
				return err
			}
			return tx.Audit(ctx, "changed the "+d.Kind, e.Title)
		}
		if err := tx.AddReceiver(ctx, &store.Receiver{ErrandID: e.ID, PersonID: &who.PersonID}, selfOf(who)); err != nil {
			return err
		}
		return tx.Audit(ctx, "made the "+d.Kind, e.Title)
	})
	return e.ID, err
}

// orderable opens a published dashboard of which somebody may have something delivered.
func (w *Workspace) orderable(ctx context.Context, who *identity.Caller, name string) (*Opened, error) {
	if err := rights.Ever(who, rights.Deliver); err != nil {
		return nil, err
	}
	return w.permitted(ctx, who, name, rights.TakeAway)
}

// Ordering is a dashboard of which somebody may have something delivered, looked at as a view was kept.
func (w *Workspace) Ordering(ctx context.Context, who *identity.Caller, name, view string) (o *Opened, start delivery.Order, err error) {
	if o, err = w.orderable(ctx, who, name); err != nil {
		return nil, start, err
	}
	start = delivery.Order{As: []string{delivery.Pictures}, Schedule: schedule.Schedule{Every: "week", Weekdays: []string{"monday"}, At: []string{"07:00"}}}
	if view != "" {
		start.State, _, err = w.ViewOf(ctx, who, o, view)
	}
	return o, start, err
}

// Calendars lists the calendars of holidays.
func (w *Workspace) Calendars(ctx context.Context, who *identity.Caller) ([]store.Calendar, error) {
	if err := rights.Ever(who, rights.Deliver); err != nil {
		return nil, err
	}
	return w.store.Calendars(ctx)
}

// calendar are the holidays of a calendar; none for 0.
func (w *Workspace) calendar(ctx context.Context, id int64) (schedule.Holidays, error) {
	if id == 0 {
		return nil, nil
	}
	all, err := w.store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(all, func(c store.Calendar) bool { return c.ID == id }) {
		return nil, problem.New(problem.NotFound, "calendar", "There is no such calendar of holidays any more: choose another.")
	}
	return holidaysOf(all, id), nil
}

// holidaysOf are the holidays of one of the calendars; none where it is not among them.
func holidaysOf(all []store.Calendar, id int64) schedule.Holidays {
	out := schedule.Holidays{}
	for _, c := range all {
		if c.ID != id {
			continue
		}
		for _, d := range c.DayList() {
			if at, err := time.Parse(time.DateOnly, d); err == nil {
				out[schedule.DateOf(at)] = true
			}
		}
	}
	return out
}

// Moments are the next times at which something is due.
func (w *Workspace) Moments(ctx context.Context, who *identity.Caller, s schedule.Schedule, calendar int64, most int) (out []time.Time, err error) {
	if err := rights.Ever(who, rights.Deliver); err != nil {
		return nil, err
	}
	if err := s.Check(); err != nil {
		return nil, err
	}
	h, err := w.calendar(ctx, calendar)
	if err != nil {
		return nil, err
	}
	for at := w.Now(); len(out) < most; {
		if at = s.Next(at, w.Calendar().Zone, h); at.IsZero() {
			break
		}
		out = append(out, at)
	}
	return out, nil
}

// PauseErrand has an errand not be done until it goes on.
func (w *Workspace) PauseErrand(ctx context.Context, who *identity.Caller, id int64) error {
	return w.tend(ctx, who, id, "paused the", func(tx *store.Tx, e *store.Errand) error { return tx.PauseErrand(ctx, id, "") })
}

// ResumeErrand has an errand be done again. What it has missed meanwhile stays undone.
func (w *Workspace) ResumeErrand(ctx context.Context, who *identity.Caller, id int64) error {
	return w.tend(ctx, who, id, "let go on the", func(tx *store.Tx, e *store.Errand) error {
		if e.Keeper.Ended() {
			return problem.New(problem.Conflict, "", "%s, in whose name it is done, is let in no more.", e.Keeper.Name)
		}
		return tx.ResumeErrand(ctx, id, w.Now())
	})
}

// RemoveErrand forgets an errand, with what came of it.
func (w *Workspace) RemoveErrand(ctx context.Context, who *identity.Caller, id int64) error {
	return w.tend(ctx, who, id, "removed the", func(tx *store.Tx, e *store.Errand) error { return tx.RemoveErrand(ctx, id) })
}

// DoErrand has an errand be done now: for all receivers or, to try it, for whoever asks alone.
func (w *Workspace) DoErrand(ctx context.Context, who *identity.Caller, id int64, trial bool) error {
	if trial && who.PersonID == 0 {
		return problem.New(problem.Forbidden, "", "Somebody who signs in tries it.")
	}
	what := map[bool]string{true: "tried the", false: "sent now the"}[trial]
	return w.tend(ctx, who, id, what, func(tx *store.Tx, e *store.Errand) error {
		run := &store.Run{ErrandID: id, Why: store.BecauseNow, AskedBy: who.Name}
		if trial {
			run.Why, run.OnlyFor = store.BecauseTrial, selfOf(who)
		}
		return tx.AddRun(ctx, run)
	})
}

// tend does something to an errand that somebody may change.
func (w *Workspace) tend(ctx context.Context, who *identity.Caller, id int64, did string, do func(*store.Tx, *store.Errand) error) error {
	e, err := w.tended(ctx, who, id)
	if err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := do(tx, e); err != nil {
			return err
		}
		return tx.Audit(ctx, did+" "+e.Kind, e.Title)
	})
}

// AddReceiver has an errand be told to a person or a team, an address outside, or a channel, as Receiver.Who says.
func (w *Workspace) AddReceiver(ctx context.Context, who *identity.Caller, id int64, to string) (said string, err error) {
	e, err := w.tended(ctx, who, id)
	if err != nil {
		return "", err
	}
	if len(e.Receivers) >= mostReceivers {
		return "", problem.New(problem.TooMany, "to", "It is told to at most %d people, teams, addresses and channels: a team may have as many members as you like.", mostReceivers)
	}
	r := &store.Receiver{ErrandID: id}
	label := ""
	switch kind, rest, _ := strings.Cut(to, "/"); kind {
	case "address":
		label, err = w.outside(ctx, e, r, rest, who)
	case "channel":
		label, err = w.toChannel(ctx, e, r, rest, who)
	default:
		var g store.Grant
		g, label, _, err = w.whom(ctx, to)
		r.PersonID, r.TeamID = g.PersonID, g.TeamID
	}
	if err != nil {
		return "", err
	}
	if said, err = w.unfit(ctx, who, e, to, label); err != nil {
		return "", err
	}
	return said, w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := tx.AddReceiver(ctx, r, receiverOf(r)); err != nil {
			return err
		}
		return tx.Audit(ctx, "added to the receivers of the "+e.Kind, e.Title+": "+label)
	})
}

// outside is an address outside that an administrator allows. Nobody there has rules of their own, so that whoever
// sends something there shares it.
func (w *Workspace) outside(ctx context.Context, e *store.Errand, r *store.Receiver, address string, who *identity.Caller) (string, error) {
	at, err := mail.ParseAddress(strings.TrimSpace(address))
	if err != nil {
		return "", problem.New(problem.Invalid, "to", "“%s” is no e-mail address, such as harbour@example.org.", address)
	}
	to := identity.Email(at.Address)
	if p, err := w.store.PersonByEmail(ctx, to); err == nil {
		return "", problem.New(problem.Invalid, "to", "This is the address of %s, who signs in here: choose them, and they get what their own rules let them see.", p.Name)
	}
	if err := w.allowed(ctx, to); err != nil {
		return "", err
	}
	r.Address = &to
	return to, w.shares(ctx, who, e)
}

// allowed tells in words why no letter may be sent to an address.
func (w *Workspace) allowed(ctx context.Context, address string) error {
	all, err := w.store.Outsiders(ctx)
	if err != nil {
		return err
	}
	_, domain, _ := strings.Cut(address, "@")
	if !slices.ContainsFunc(all, func(o store.Outsider) bool { return o.Address == address || o.Address == domain }) {
		return problem.New(problem.Forbidden, "to", "Nothing may be sent to %s: a builder allows addresses outside, and domains, under Deliveries, ways.", address)
	}
	return nil
}

// toChannel is a room of a chat.
func (w *Workspace) toChannel(ctx context.Context, e *store.Errand, r *store.Receiver, id string, who *identity.Caller) (string, error) {
	all, err := w.store.Channels(ctx)
	if err != nil {
		return "", err
	}
	for i := range all {
		if fmt.Sprint(all[i].ID) == id {
			r.ChannelID = &all[i].ID
			return "the channel " + all[i].Title, w.shares(ctx, who, e)
		}
	}
	return "", problem.New(problem.NotFound, "to", "There is no such channel.")
}

// shares tells in words why somebody may not show a dashboard to those who have no rules of their own.
func (w *Workspace) shares(ctx context.Context, who *identity.Caller, e *store.Errand) error {
	d, err := w.store.Document(ctx, Dashboard, e.Dashboard)
	if err != nil {
		return err
	}
	return problem.At("to", rights.May(who, rights.Share, thing(d)))
}

// unfit says what receivers lack of what they are to get.
func (w *Workspace) unfit(ctx context.Context, who *identity.Caller, e *store.Errand, to, label string) (string, error) {
	if strings.HasPrefix(to, "address/") || strings.HasPrefix(to, "channel/") {
		return locale.Upper(label) + " gets it as " + e.Keeper.Name + " sees it.", nil
	}
	p, err := w.Passing(ctx, who, e.Dashboard, to)
	if err != nil {
		return "", err
	}
	said := locale.Upper(label) + " gets it."
	for _, l := range p.Lacks {
		if l.Unseen {
			said += " " + l.Name + " may not see the dashboard, and gets nothing until then."
		} else {
			said += " " + l.Name + " sees no records of " + strings.Join(l.Nothing, ", ") + "."
		}
	}
	return said, nil
}

// RemoveReceiver has an errand not be told to somebody any more.
func (w *Workspace) RemoveReceiver(ctx context.Context, who *identity.Caller, id, receiver int64) error {
	return w.tend(ctx, who, id, "took from the receivers of the", func(tx *store.Tx, e *store.Errand) error { return tx.RemoveReceiver(ctx, id, receiver) })
}

// SignUp has somebody get what is open for it, under their own rules.
func (w *Workspace) SignUp(ctx context.Context, who *identity.Caller, id int64) error {
	e, err := w.store.Errand(ctx, id)
	if err != nil {
		return err
	}
	if _, err := w.subscribable(ctx, who, e.Dashboard); err != nil {
		return err
	}
	one, err := w.told(ctx, who, e)
	if err != nil {
		return err
	}
	in := slices.ContainsFunc(e.Receivers, func(r store.Receiver) bool { return receives(who, &r) })
	if !e.SignUp && !in {
		return problem.New(problem.Forbidden, "", "“%s” is not open for signing up: %s says who gets it.", e.Title, e.Keeper.Name)
	}
	if one.Gets {
		return nil
	}
	r := &store.Receiver{ErrandID: id, Own: true}
	if who.PersonID != 0 {
		r.PersonID = &who.PersonID
	} else {
		subject := strings.TrimPrefix(who.ID, who.HostApp+"/")
		_, email, err := identity.ByHost(ctx, w.store, who.HostApp, subject)
		if err != nil {
			return err
		}
		if email == "" {
			return problem.New(problem.Missing, "email", "Your application has not told where letters reach you.")
		}
		r.HostApp, r.Subject = &who.HostApp, &subject
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := tx.AddReceiver(ctx, r, selfOf(who)); err != nil {
			return err
		}
		return tx.Audit(ctx, "signed up for the "+e.Kind, e.Title)
	})
}

// Leave has somebody get no more of it.
func (w *Workspace) Leave(ctx context.Context, who *identity.Caller, id int64) error {
	e, err := w.store.Errand(ctx, id)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(e.Receivers, func(r store.Receiver) bool { return receives(who, &r) }) {
		return problem.New(problem.NotFound, "", "You do not get this.")
	}
	return w.leave(ctx, who.Name, e, selfOf(who))
}

func (w *Workspace) leave(ctx context.Context, name string, e *store.Errand, who string) error {
	return w.store.Change(ctx, name, func(tx *store.Tx) error {
		if err := tx.Leave(ctx, e.ID, who); err != nil {
			return err
		}
		return tx.Audit(ctx, "wants no more of the "+e.Kind, e.Title)
	})
}

// A leaving is what the link in a letter says, by which its receiver ends it.
type leaving struct {
	Errand int64  `json:"e"`
	Who    string `json:"w"`
}

// leavingToken seals who ends what.
func (w *Workspace) leavingToken(errand int64, who string) string {
	b, _ := json.Marshal(leaving{errand, who})
	return base64.RawURLEncoding.EncodeToString(w.store.Seal(string(b)))
}

// Leaving is what the link of a letter ends: nothing is done yet.
func (w *Workspace) Leaving(ctx context.Context, token string) (title string, err error) {
	e, _, err := w.leavingOf(ctx, token)
	if err != nil {
		return "", err
	}
	return e.Title, nil
}

func (w *Workspace) leavingOf(ctx context.Context, token string) (*store.Errand, leaving, error) {
	var l leaving
	none := problem.New(problem.NotFound, "", "This link ends nothing: what it was for is no longer sent.")
	sealed, err := base64.RawURLEncoding.DecodeString(token)
	if err != nil {
		return nil, l, none
	}
	plain, err := w.store.Unseal(sealed)
	if err != nil || json.Unmarshal([]byte(plain), &l) != nil || l.Errand == 0 {
		return nil, l, none
	}
	e, err := w.store.Errand(ctx, l.Errand)
	if problem.Is(err, problem.NotFound) {
		err = none
	}
	return e, l, err
}

// LeaveBy ends what the link of a letter is for, for whoever got it.
func (w *Workspace) LeaveBy(ctx context.Context, token string) (title string, err error) {
	e, l, err := w.leavingOf(ctx, token)
	if err != nil {
		return "", err
	}
	return e.Title, w.leave(ctx, "the receiver of a letter", e, l.Who)
}
