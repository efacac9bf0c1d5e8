package workspace

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"eskadel/core/alert"
	"eskadel/core/delivery"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
	"eskadel/view"
)

// looksAgain is when an alert is looked at again though no change was heard.
const looksAgain = 5 * time.Minute

// An AlertOrder is an alert as somebody wants it kept.
type AlertOrder struct {
	ID, Revision int64
	Dashboard    string
	Title        string
	SignUp       bool
	Watch        alert.Watch
}

// watch reads what an alert watches.
func watch(e *store.Errand) (w alert.Watch, err error) { return w, json.Unmarshal(e.Asks, &w) }

// asDelivered is an alert as what is shown of it is delivered.
func asDelivered(w alert.Watch) delivery.Order {
	return delivery.Order{Page: w.Page, Widgets: []string{w.Widget}, State: w.State, As: []string{delivery.Pictures}, Keepers: w.Keepers, Note: w.Note}
}

// Watching is a widget of a dashboard that somebody may watch, looked at as a view was kept.
func (w *Workspace) Watching(ctx context.Context, who *identity.Caller, name string, of alert.Watch, view string) (o *Opened, start alert.Watch, can *view.Watchable, err error) {
	if o, err = w.orderable(ctx, who, name); err != nil {
		return nil, of, nil, err
	}
	if view != "" {
		if of.State, _, err = w.ViewOf(ctx, who, o, view); err != nil {
			return nil, of, nil, err
		}
	}
	state, _ := of.State.Suiting(o.Doc)
	state.Page = of.Page
	l, err := w.look(ctx, who, o, state)
	if err == nil {
		can, err = l.view.Watchable(of.Widget)
	}
	return o, of, can, err
}

// Alerts lists the alerts that somebody keeps or is told, or may sign up for; for builders all.
func (w *Workspace) Alerts(ctx context.Context, who *identity.Caller) ([]Errand, error) {
	return w.errandsOf(ctx, who, store.Alert)
}

// KeepAlert keeps an alert: a new one, which tells whoever makes it, or one that is there.
func (w *Workspace) KeepAlert(ctx context.Context, who *identity.Caller, a AlertOrder) (id int64, err error) {
	return w.keepErrand(ctx, who, &errandOrder{Kind: store.Alert, ID: a.ID, Revision: a.Revision, Dashboard: a.Dashboard, Title: a.Title, SignUp: a.SignUp, Keepers: a.Watch.Keepers, asks: &a.Watch,
		check: func(o *Opened) error {
			if err := a.Watch.Check(o.Doc); err != nil {
				return err
			}
			_, _, can, err := w.Watching(ctx, who, o.Name, a.Watch, "")
			if err != nil {
				return err
			}
			a.Watch.Label = watched(a.Watch, can)
			switch {
			case a.Watch.Points() && a.Watch.Measure >= len(can.Measures):
				return problem.New(problem.Invalid, "measure", "“%s” has no such figure to watch.", can.Title)
			case (a.Watch.When == alert.Rises || a.Watch.When == alert.Falls) && !can.Compared:
				return problem.New(problem.Invalid, "when", "“%s” is not compared with the time before: its sentence can say so.", can.Title)
			}
			return nil
		}})
}

// watched is what an alert watches, as people call it.
func watched(a alert.Watch, can *view.Watchable) string {
	switch {
	case !a.Points() || a.Measure >= len(can.Measures):
		return "“" + can.Title + "”"
	case can.Grouped:
		return can.Measures[a.Measure] + " of any group of “" + can.Title + "”"
	}
	return can.Measures[a.Measure]
}

// SnoozeAlert has an alert tell nothing for so long; it tells again at once for nothing.
func (w *Workspace) SnoozeAlert(ctx context.Context, who *identity.Caller, id int64, span time.Duration) error {
	return w.tend(ctx, who, id, "snoozed the", func(tx *store.Tx, e *store.Errand) error {
		if span <= 0 {
			return tx.Snooze(ctx, id, nil)
		}
		until := w.Now().Add(min(span, 31*24*time.Hour))
		return tx.Snooze(ctx, id, &until)
	})
}

// TellLater says whether a receiver of an alert is told only of what lasts.
func (w *Workspace) TellLater(ctx context.Context, who *identity.Caller, id, receiver int64, later bool) error {
	return w.tend(ctx, who, id, "changed when receivers are told of the", func(tx *store.Tx, e *store.Errand) error { return tx.Later(ctx, id, receiver, later) })
}

// LookAtAlerts looks at one alert that is to be looked at, and notes what is to be told; false where there is none.
func (w *Workspace) LookAtAlerts(ctx context.Context) (did bool, err error) {
	e, err := w.store.ClaimAlert(ctx, looksAgain)
	if e == nil || err != nil {
		return false, err
	}
	if e.Keeper.Ended() {
		return true, w.store.Change(ctx, "Eskadel", func(tx *store.Tx) error { return stopAllOf(ctx, tx, &e.Keeper) })
	}
	looked, err := w.lookAt(ctx, e)
	if err != nil {
		return true, err
	}
	return true, w.store.Change(ctx, "Eskadel", func(tx *store.Tx) error {
		kept, err := tx.Looked(ctx, e, looked.Looked)
		if err != nil || !kept {
			return err
		}
		for _, n := range looked.notices {
			if err := tx.Tell(ctx, []int64{n.to}, n.Notice); err != nil {
				return err
			}
		}
		return nil
	})
}

// notice is for one person.
type notice struct {
	store.Notice
	to int64
}

// lookedAt is what came of looking at an alert, with notices for people.
type lookedAt struct {
	store.Looked
	notices []notice
}

// lookAt looks at an alert for each of its receivers, whose word is their own.
func (w *Workspace) lookAt(ctx context.Context, e *store.Errand) (*lookedAt, error) {
	began := time.Now()
	watched, err := watch(e)
	if err != nil {
		return nil, err
	}
	before, err := w.store.Known(ctx, e.ID)
	if err != nil {
		return nil, err
	}
	run := &store.Run{ErrandID: e.ID, Errand: e, Why: store.BecauseDue}
	letters, err := w.letters(ctx, run)
	if err != nil {
		return nil, err
	}
	at := w.Now()
	quiet := watched.Quiet.At(at) || e.SnoozedTo != nil && at.Before(*e.SnoozedTo)
	out := &lookedAt{Looked: store.Looked{Looks: e.Looks, Known: map[string][]byte{}, Says: map[string][]string{}}}
	seen := map[string]alert.Seen{}
	for _, l := range letters {
		if l.State != store.Waiting {
			continue
		}
		o, err := w.Outgoing(ctx, run, &l)
		if problem.Lasting(err) != nil {
			continue // they may not see it, and hear nothing
		}
		if err != nil {
			return nil, err
		}
		now, there := seen[o.Key]
		if !there {
			if now, err = o.seen(watched); err != nil {
				if problem.Lasting(err) != nil {
					continue // what is wrong with it is said where it stands
				}
				return nil, err
			}
			seen[o.Key] = now
		}
		var known alert.Known
		if b := before[l.Who]; b != nil {
			if err := json.Unmarshal(b, &known); err != nil {
				return nil, err
			}
		}
		after, told := watched.Step(known, now, at, quiet)
		if out.Known[l.Who], err = json.Marshal(after); err != nil {
			return nil, err
		}
		if next := watched.Due(after, at); !next.IsZero() {
			if in := time.Now().Add(next.Sub(at)); out.Next.IsZero() || in.Before(out.Next) {
				out.Next = in
			}
		}
		out.tells(e, watched, o, l, w.said(watched, told, toldLater(e, l.Who)))
	}
	out.Took = time.Since(began)
	return out, nil
}

// toldLater tells whether a receiver hears only of what lasts: by each way in which they are one.
func toldLater(e *store.Errand, who string) bool {
	is := func(r *store.Receiver) bool {
		if r.Team != nil {
			return slices.ContainsFunc(r.Team.Members, func(p Person) bool { return fmt.Sprint(ofPerson, p.ID) == who })
		}
		return receiverOf(r) == who
	}
	for i := range e.Receivers {
		if r := &e.Receivers[i]; !r.Later && is(r) {
			return false
		}
	}
	return true
}

// seen is what an alert sees for a receiver.
func (o *Outgoing) seen(w alert.Watch) (out alert.Seen, err error) {
	if w.Points() {
		out.Points, err = o.view.Points(w.Widget, w.Measure)
	} else {
		out.Records, err = o.view.WatchedRecords(w.Widget)
	}
	return out, err
}

// said are events as they are told, each with since when; who is told later hears only of what lasts, and of its end.
func (w *Workspace) said(of alert.Watch, told []alert.Event, later bool) (out []string) {
	cal := w.Calendar()
	for _, t := range told {
		words := locale.Upper(t.Words)
		switch {
		case later && t.Kind == alert.Fired, later && t.Kind == alert.Came:
			continue
		case t.Kind == alert.Lasts:
			words = strings.TrimSpace(of.Again + " " + words + ", and has been so since " + cal.Manner.Time(t.Since.In(cal.Zone)))
		case t.Kind != alert.Came:
			words += ", since " + cal.Manner.Time(t.Since.In(cal.Zone))
		}
		out = append(out, words+".")
	}
	return out
}

// tells notes what a receiver is told, and in which ways.
func (l *lookedAt) tells(e *store.Errand, w alert.Watch, o *Outgoing, to Letter, says []string) {
	if len(says) == 0 {
		return
	}
	l.Says[to.Who] = says
	who, isPerson := strings.CutPrefix(to.Who, ofPerson)
	if !isPerson || slices.Contains(w.By, "mail") {
		l.To = append(l.To, store.Letter{Who: to.Who, Label: to.Label, State: store.Waiting})
	}
	if isPerson && slices.Contains(w.By, "notice") {
		var id int64
		_, _ = fmt.Sscan(who, &id)
		note := strings.Join(says, " ")
		if r := []rune(note); len(r) > longestNote {
			note = string(r[:longestNote-1]) + "…"
		}
		l.notices = append(l.notices, notice{store.Notice{Kind: NoticeAlert, ByName: e.Title, Words: "tells you", Note: note, Address: cmp.Or(o.path, AddressOf(e.Dashboard, w.Page, ""))}, id})
	}
}

// A Spent is what an alert costs.
type Spent struct {
	ID           int64
	Title        string
	Keeper       string
	Looks        int64
	Each, Latest time.Duration
}

// Costs lists what alerts cost, the dearest first.
func (w *Workspace) Costs(ctx context.Context, who *identity.Caller) (out []Spent, err error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	all, err := w.store.Errands(ctx, store.Alert, 0)
	if err != nil {
		return nil, err
	}
	for _, e := range all {
		s := Spent{ID: e.ID, Title: e.Title, Keeper: e.Keeper.Name, Looks: e.Looks, Latest: time.Duration(e.LastMs * float64(time.Millisecond))}
		if e.Looks > 0 {
			s.Each = time.Duration(e.SpentMs / float64(e.Looks) * float64(time.Millisecond))
		}
		out = append(out, s)
	}
	slices.SortStableFunc(out, func(a, b Spent) int { return cmp.Compare(b.Each*time.Duration(b.Looks), a.Each*time.Duration(a.Looks)) })
	return out, nil
}

// Watched tells alerts of changes of the records that they watch, until ctx ends; woken is called when one is to be
// looked at.
func (w *Workspace) Watched(ctx context.Context, woken func()) {
	changed := make(chan struct{}, 1)
	w.OnWork(func() {
		select {
		case changed <- struct{}{}:
		default:
		}
	})
	before := map[string][]int64{}
	for ctx.Err() == nil {
		tables, err := w.watchedTables(ctx)
		warn("what alerts watch cannot be looked up", err)
		w.wakes(ctx, tables, before, changed, woken)
		before = tables
	}
}

// wakes has alerts be looked at when tables of theirs change, until what they watch may have changed.
func (w *Workspace) wakes(ctx context.Context, tables, before map[string][]int64, changed <-chan struct{}, woken func()) {
	heard := w.reader.Hears(tables)
	defer heard.Close()
	wake := func(ids []int64) {
		warn("alerts cannot be told of a change", w.store.WakeAlerts(ctx, ids))
		woken()
	}
	if fresh := fresh(tables, before); len(fresh) > 0 { // what changed before they were listened for
		wake(fresh)
	}
	again := time.NewTimer(10 * time.Minute) // datasets may have changed meanwhile
	defer again.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-changed:
			if now, err := w.watchedTables(ctx); err != nil || !sameTables(now, tables) {
				return
			}
		case <-again.C:
			return
		case <-heard.C():
			wake(heard.Take())
		}
	}
}

// fresh are the alerts that watch a table which they did not watch before.
func fresh(tables, before map[string][]int64) (out []int64) {
	for t, ids := range tables {
		for _, id := range ids {
			if !slices.Contains(before[t], id) && !slices.Contains(out, id) {
				out = append(out, id)
			}
		}
	}
	return out
}

func sameTables(a, b map[string][]int64) bool {
	return fmt.Sprint(a) == fmt.Sprint(b)
}

// watchedTables are the alerts that watch records of tables, by these.
func (w *Workspace) watchedTables(ctx context.Context) (map[string][]int64, error) {
	all, err := w.store.Errands(ctx, store.Alert, 0)
	if err != nil {
		return nil, err
	}
	out := map[string][]int64{}
	for i := range all {
		e := &all[i]
		if e.PausedAt != nil || e.Keeper.Ended() {
			continue
		}
		o, err := w.Outgoing(ctx, &store.Run{ErrandID: e.ID, Errand: e}, &store.Letter{Who: fmt.Sprint(ofPerson, e.KeeperID)})
		if err != nil {
			continue // it is looked at by the clock
		}
		of, err := watch(e)
		if err != nil {
			return nil, err
		}
		x, err := o.Doc.Widget(of.Widget)
		if err != nil {
			continue
		}
		for _, t := range o.view.TablesOf(x) {
			out[t] = append(out[t], e.ID)
		}
	}
	return out, nil
}
