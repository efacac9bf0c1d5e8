package workspace

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"eskadel/core/dashboard"
	"eskadel/core/delivery"
	"eskadel/core/problem"
	"eskadel/core/sentence"
	"eskadel/identity"
	"eskadel/live"
	"eskadel/rights"
	"eskadel/store"
	"eskadel/view"
)

// What the program does by itself, whichever instance does it: package deliver asks for it. Nothing here is done
// with more rights than those of the person in whose name it is done, at the moment at which it is done.

// late is from when on after its moment something is late.
const late = 5 * time.Minute

// lease is how long a run is an instance's before others take it for one that has failed.
const lease = 2 * time.Minute

// pauses are how long is waited before something that went wrong is tried again.
var pauses = []time.Duration{time.Minute, 5 * time.Minute, 15 * time.Minute, time.Hour, 3 * time.Hour}

// OnWork has f called whenever something may be to be done.
func (w *Workspace) OnWork(f func()) {
	w.store.OnTold(func(t store.Told) {
		if t.Kind == store.OfErrands || t.Kind == store.Anything {
			f()
		}
	})
}

// MailHost is the name of the machine that people reach Eskadel at, for the names of letters.
func (w *Workspace) MailHost() string {
	if u, err := url.Parse(w.address); err == nil && u.Hostname() != "" {
		return u.Hostname()
	}
	return "eskadel.invalid"
}

// Plan notes what is due: each moment once, and of those that were missed the last.
func (w *Workspace) Plan(ctx context.Context) error {
	calendars, err := w.store.Calendars(ctx)
	if err != nil {
		return err
	}
	now, zone := w.Now(), w.Calendar().Zone
	_, err = w.store.Plan(ctx, store.Delivery, now, late, func(e *store.Errand) ([]time.Time, time.Time) {
		o, err := order(e)
		if err != nil {
			warn("a delivery cannot be read", err, "delivery", e.ID)
			return nil, now.AddDate(1, 0, 0)
		}
		h := holidaysOf(calendars, o.Calendar)
		return o.Schedule.Between(e.LookedUntil, now, zone, h), cmp.Or(o.Schedule.Next(now, zone, h), now.AddDate(1, 0, 0))
	})
	return err
}

// Take takes something that is to be done, with the letters that are still to be sent; nil where there is nothing.
// What cannot be done at all is ended here.
func (w *Workspace) Take(ctx context.Context) (*Run, error) {
	run, err := w.store.TakeRun(ctx, lease)
	if run == nil || err != nil {
		return nil, err
	}
	if run.Errand.Keeper.Ended() {
		run.Letters = nil
		return run, w.stop(ctx, run)
	}
	var letters []Letter
	if len(run.Says) == 0 { // what an alert tells, and to whom, was noted with it
		if letters, err = w.letters(ctx, run); err != nil {
			return run, err
		}
	}
	run.Letters, err = w.store.Write(ctx, run.ID, letters)
	return run, err
}

// Hold keeps a run for longer, while it is being done.
func (w *Workspace) Hold(ctx context.Context, run *Run) error {
	return w.store.Hold(ctx, run.ID, lease)
}

// letters are to whom a run is told, each once; those who cannot be told come with why.
func (w *Workspace) letters(ctx context.Context, run *Run) (out []Letter, err error) {
	e := run.Errand
	left, err := w.store.Leavings(ctx, e.ID)
	if err != nil {
		return nil, err
	}
	add := func(who, label, state, said string) {
		if run.OnlyFor != "" && who != run.OnlyFor {
			return
		}
		if _, gone := left[who]; gone && run.OnlyFor == "" {
			state, said = store.Failed, "They want no more of it."
		}
		if !slices.ContainsFunc(out, func(l Letter) bool { return l.Who == who }) {
			out = append(out, Letter{Who: who, Label: label, State: state, Words: said})
		}
	}
	someone := func(p *store.Person) {
		state, said := store.Waiting, ""
		if p.Ended() {
			state, said = store.Failed, p.Name+" is let in no more."
		}
		add(fmt.Sprint(ofPerson, p.ID), p.Name, state, said)
	}
	for i := range e.Receivers {
		r := &e.Receivers[i]
		switch {
		case r.Person != nil:
			someone(r.Person)
		case r.Team != nil:
			for m := range r.Team.Members {
				someone(&r.Team.Members[m])
			}
		default:
			add(receiverOf(r), w.label(ctx, r), store.Waiting, "")
		}
	}
	if run.OnlyFor != "" && len(out) == 0 { // whoever tries it need not get it otherwise
		id, _ := strconv.ParseInt(strings.TrimPrefix(run.OnlyFor, ofPerson), 10, 64)
		p, err := w.store.Person(ctx, id)
		if err != nil {
			return nil, err
		}
		someone(p)
	}
	return out, nil
}

// An Outgoing is what is told to a receiver: what they see, and where it goes.
type Outgoing struct {
	*Look
	Errand  *store.Errand
	Order   delivery.Order
	Page    *dashboard.Page
	State   dashboard.State // how it is looked at: as much of what was ordered as still suits
	Lost    bool            // not all of it does
	Caller  *identity.Caller
	Name    string // of the receiver
	Email   string // to which it goes, or
	Channel *Channel
	As      string // in whose name it is seen, where that is not the receiver's
	path    string // the same within Eskadel
	Address string // where it is looked at; "" where the receiver cannot
	Leave   string // where they end it; "" where it is no letter
	Key     string // by which what they see is known: the same for all who see it as one
}

// A Channel is a room of a chat, with the secret that its messages are signed with.
type Channel struct {
	*store.Channel
	Secret string
}

// Outgoing is what a run tells to the receiver of a letter.
func (w *Workspace) Outgoing(ctx context.Context, run *Run, letter *Letter) (*Outgoing, error) {
	e := run.Errand
	o, err := order(e)
	if err != nil {
		return nil, err
	}
	out := &Outgoing{Errand: e, Order: o, Name: letter.Label}
	keeper, err := identity.ByID(ctx, w.store, e.KeeperID)
	if err != nil {
		return nil, err
	}
	if out.Caller, err = w.receiver(ctx, letter, keeper, out); err != nil {
		return nil, err
	}
	// Whoever has no rules of their own gets what the keeper shares, and so does everybody where it is meant so.
	if out.Caller == nil || o.Keepers && !w.own(e, letter.Who) {
		out.Caller, out.As = keeper, keeper.Name
		d, err := w.store.Document(ctx, Dashboard, e.Dashboard)
		if err != nil {
			return nil, err
		}
		if letter.Who != selfOf(keeper) {
			if err := rights.May(keeper, rights.Share, thing(d)); err != nil {
				return nil, problem.New(problem.Forbidden, "", "%s may no longer share this dashboard with others.", keeper.Name)
			}
		}
	}
	they := *out.Caller
	they.Sending = true
	out.Caller = &they
	// All who are under the same rules with the same rights see the same, whoever they are.
	as, err := json.Marshal([]any{rights.Of(&they), they.Builder, they.Roles, they.Attributes, they.Language})
	if err != nil {
		return nil, err
	}
	out.Key = string(as)
	ctx = live.Patient(ctx)
	opened, err := w.subscribable(ctx, &they, e.Dashboard)
	if err != nil {
		return nil, err
	}
	out.State, out.Lost = o.State.Suiting(opened.Doc)
	out.State.Page = o.Page
	if out.Look, err = w.look(ctx, &they, opened, out.State); err != nil {
		return nil, err
	}
	out.Page, err = opened.Doc.Page(o.Page)
	if problem.Is(err, problem.NotFound) {
		err = problem.New(problem.NotFound, "", "The dashboard has no page “%s” any more.", o.Page)
	}
	if err == nil && they.Author && !strings.HasPrefix(letter.Who, "address/") && !strings.HasPrefix(letter.Who, "viewer/") {
		var id string
		id, err = out.Keep()
		if out.path = AddressOf(opened.Doc.Name, o.Page, id); w.address != "" {
			out.Address = w.address + out.path
		}
	}
	if out.Email != "" && w.address != "" {
		out.Leave = w.address + "/letters/leave/" + w.leavingToken(e.ID, letter.Who)
	}
	return out, err
}

// own tells whether a receiver signed themselves up: they get what their own rules let them see.
func (w *Workspace) own(e *store.Errand, who string) bool {
	return slices.ContainsFunc(e.Receivers, func(r store.Receiver) bool { return r.Own && receiverOf(&r) == who })
}

// receiver is who a letter is for, and where it goes; nil for who is not known here.
func (w *Workspace) receiver(ctx context.Context, letter *Letter, keeper *identity.Caller, out *Outgoing) (*identity.Caller, error) {
	kind, rest, _ := strings.Cut(letter.Who, "/")
	switch kind {
	case "person":
		id, _ := strconv.ParseInt(rest, 10, 64)
		they, err := identity.ByID(ctx, w.store, id)
		if err != nil {
			return nil, err
		}
		out.Email = they.Email
		return they, nil
	case "viewer":
		app, subject, _ := strings.Cut(rest, "/")
		they, email, err := identity.ByHost(ctx, w.store, app, subject)
		if err == nil && email == "" {
			err = problem.New(problem.Missing, "", "Their application has not told where letters reach them.")
		}
		out.Email = email
		return they, err
	case "channel":
		id, _ := strconv.ParseInt(rest, 10, 64)
		all, err := w.store.Channels(ctx)
		if err != nil {
			return nil, err
		}
		i := slices.IndexFunc(all, func(c store.Channel) bool { return c.ID == id })
		if i < 0 {
			return nil, problem.New(problem.NotFound, "", "There is no such channel any more.")
		}
		secret, err := w.store.Unseal(all[i].SealedSecret)
		out.Channel = &Channel{&all[i], secret}
		return nil, err
	}
	out.Email = rest
	return nil, w.allowed(ctx, rest)
}

// Parts are what is told of the page, in reading order: what each shows to the receiver.
func (o *Outgoing) Parts() (out []*view.Leaving, err error) {
	for _, x := range o.Page.InOrder() {
		if x.Chart == nil || len(o.Order.Widgets) > 0 && !slices.Contains(o.Order.Widgets, x.ID) {
			continue
		}
		one, err := o.view.Leaving(x.ID, view.Drawing|view.Figures)
		if p := problem.Lasting(err); p != nil {
			one, err = &view.Leaving{Answer: &view.Answer{Title: o.titleOf(&x), Nothing: p.Words}}, nil // as its place on the page says
		}
		if err != nil {
			return nil, err
		}
		out = append(out, one)
	}
	if len(out) == 0 {
		return nil, problem.New(problem.NotFound, "", "Nothing of what is to be delivered stands on the page any more.")
	}
	return out, nil
}

func (o *Outgoing) titleOf(x *dashboard.Widget) string {
	if doc, ds, err := o.view.Document(x); err == nil && doc != nil {
		return sentence.Title(doc, ds)
	}
	return "A part of the page"
}

// Reads is the reading line of the page, in words.
func (o *Outgoing) Reads() (string, error) {
	l, err := o.Line(o.Page.Title)
	if err != nil {
		return "", err
	}
	return l.Words(cmp.Or(o.As, "you")), nil
}

// ErrElsewhere says that another instance sends a letter.
var ErrElsewhere = errors.New("another instance sends it")

// Hand claims a letter for whoever is about to hand it over; nobody else does then, whatever becomes of it.
func (w *Workspace) Hand(ctx context.Context, letter *Letter, shown string) error {
	mine, err := w.store.Hand(ctx, letter.ID, shown)
	if err == nil && !mine {
		err = ErrElsewhere
	}
	if err == nil {
		letter.State, letter.Tries = store.Handed, letter.Tries+1
	}
	return err
}

// Same tells whether a receiver was told the same the last time.
func (w *Workspace) Same(ctx context.Context, run *Run, letter *Letter, shown string) (bool, error) {
	before, err := w.store.Shown(ctx, run.ErrandID, letter.Who)
	return before == shown, err
}

// Settle says what became of a letter: sent where there is no error, and nothing where there was nothing to tell. What
// may be otherwise later is tried again, after pauses that grow; of what was handed over without an answer nobody
// knows, and it is not sent again.
func (w *Workspace) Settle(ctx context.Context, letter *Letter, nothing string, err error) error {
	state, said := store.Sent, ""
	var again *time.Time
	switch p := problem.Of(err); {
	case nothing != "":
		state, said = store.Nothing, nothing
	case err == nil:
	case p != nil && p.Code == problem.Slow && letter.State == store.Handed:
		state, said = store.Handed, p.Words
	case p == nil || p.Code == problem.Down || p.Code == problem.Slow:
		state, said = store.Failed, "Something went wrong here."
		if p != nil {
			said = p.Words
		} else {
			warn("a letter cannot be sent", err, "letter", letter.ID)
		}
		tries := letter.Tries
		if letter.State == store.Handed {
			tries--
		}
		if tries < len(pauses) {
			at := time.Now().Add(pauses[tries])
			again, state = &at, store.Waiting
		}
	default:
		state, said = store.Failed, p.Words
	}
	letter.State, letter.Words = state, said
	if again != nil {
		letter.TryAt = *again
	}
	return w.store.Settle(ctx, letter.ID, state, said, again)
}

// Finish ends a run, or has it be taken up again for the letters that wait; the audit log says what was sent to whom,
// and its keeper is told what was not.
func (w *Workspace) Finish(ctx context.Context, run *Run) error {
	var to, not []string
	var again *time.Time
	state := store.Nothing
	for _, l := range run.Letters {
		switch l.State {
		case store.Sent, store.Handed:
			to = append(to, l.Label)
		case store.Failed:
			not = append(not, l.Label)
		case store.Waiting:
			if again == nil || l.TryAt.Before(*again) {
				again = &l.TryAt
			}
		}
	}
	switch {
	case len(to) > 0:
		state = store.Done
	case len(not) > 0 || len(run.Letters) == 0:
		state = store.Failed
	}
	e := run.Errand
	said := ""
	if len(run.Letters) == 0 {
		said = "There is nobody to tell it to."
	}
	return w.store.Change(ctx, e.Keeper.Name, func(tx *store.Tx) error {
		if err := tx.EndRun(ctx, run.ID, state, said, again); err != nil || again != nil {
			return err
		}
		if state == store.Failed && run.Why != store.BecauseTrial {
			if err := tx.Tell(ctx, []int64{e.KeeperID}, store.Notice{Kind: NoticeUnsent, ByName: "Eskadel", Words: "could not send “" + e.Title + "” to anybody", Note: noteOf(run), Address: fmt.Sprint("/deliveries/delivery/", e.ID)}); err != nil {
				return err
			}
		}
		if len(to) == 0 {
			return nil
		}
		return tx.Audit(ctx, "sent the "+e.Kind, e.Title+" to "+strings.Join(to, ", "))
	})
}

// noteOf is why a run told nobody.
func noteOf(run *Run) string {
	for _, l := range run.Letters {
		if l.Words != "" {
			return l.Words
		}
	}
	return ""
}

// stop ends what is done in the name of somebody who is let in no more, where it was not when they left.
func (w *Workspace) stop(ctx context.Context, run *Run) error {
	return w.store.Change(ctx, "Eskadel", func(tx *store.Tx) error {
		if err := stopAllOf(ctx, tx, &run.Errand.Keeper); err != nil {
			return err
		}
		return tx.EndRun(ctx, run.ID, store.Failed, run.Errand.Keeper.Name+" is let in no more.", nil)
	})
}

// stopAllOf pauses what is done in the name of somebody, and tells their teams.
func stopAllOf(ctx context.Context, tx *store.Tx, p *Person) error {
	stopped, err := tx.PauseAllOf(ctx, p.ID, p.Name+" is let in no more.")
	if err != nil || len(stopped) == 0 {
		return err
	}
	var titles []string
	for _, e := range stopped {
		titles = append(titles, "“"+e.Title+"”")
	}
	mates, err := tx.TeamMates(ctx, p.ID)
	if err != nil {
		return err
	}
	if len(mates) == 0 {
		if mates, err = tx.Builders(ctx); err != nil {
			return err
		}
	}
	if err := tx.Tell(ctx, mates, store.Notice{Kind: NoticeUnsent, ByName: p.Name, Words: "is let in no more, so that " + joined(titles) + " of theirs is not sent any longer", Address: "/deliveries"}); err != nil {
		return err
	}
	return tx.Audit(ctx, "stopped what was sent in the name of", p.Name)
}

// joined lists texts with commas and “and”.
func joined(all []string) string {
	if n := len(all); n > 1 {
		return strings.Join(all[:n-1], ", ") + " and " + all[n-1]
	}
	return strings.Join(all, "")
}
