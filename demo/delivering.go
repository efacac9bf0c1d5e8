package demo

import (
	"context"
	"fmt"
	"strconv"

	"eskadel/core/alert"
	"eskadel/core/dashboard"
	"eskadel/core/delivery"
	"eskadel/core/schedule"
	"eskadel/core/snapshot"
	"eskadel/deliver/holidays"
	"eskadel/identity"
	"eskadel/view"
	"eskadel/workspace"
)

// room is the room of the chat that the demonstration tells things to.
const room = "Yards"

// deliver sets up what is sent by itself, unless it is there: the ways by which it goes, and a weekly delivery.
func (d *Demo) deliver(ctx context.Context) error {
	mara, err := d.person(ctx, BuilderEmail)
	if err != nil {
		return err
	}
	edda, err := d.person(ctx, AuthorEmail)
	if err != nil {
		return err
	}
	ways, err := d.Workspace.Ways(ctx, mara)
	if err != nil {
		return err
	}
	if len(ways.Channels) == 0 {
		if err := d.ways(ctx, mara); err != nil {
			return err
		}
		if err := d.weekly(ctx, edda); err != nil {
			return err
		}
		if err := d.busy(ctx, edda); err != nil {
			return err
		}
		if err := d.frozen(ctx, edda); err != nil {
			return err
		}
	}
	// The chat knows the secrets of its channels.
	channels, err := d.Store.Channels(ctx)
	if err != nil {
		return err
	}
	secrets := map[string]string{}
	for _, c := range channels {
		if secrets[fmt.Sprint(c.ID)], err = d.Store.Unseal(c.SealedSecret); err != nil {
			return err
		}
	}
	d.Post.Signed(secrets)
	return nil
}

// person is one of the demonstration's people.
func (d *Demo) person(ctx context.Context, email string) (*identity.Caller, error) {
	p, err := d.Store.PersonByEmail(ctx, email)
	if err != nil {
		return nil, err
	}
	return identity.ByID(ctx, d.Store, p.ID)
}

func (d *Demo) ways(ctx context.Context, who *identity.Caller) error {
	if _, err := d.Workspace.AddChannel(ctx, who, room, d.PostPage+"/chat/yards"); err != nil {
		return err
	}
	if err := d.Workspace.Allow(ctx, who, "harbour.example"); err != nil {
		return err
	}
	f, err := documents.Open("documents/holidays/skerrin.ics")
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	now := d.Workspace.Now().Year()
	days, err := holidays.Read(f, now-1, now+10)
	if err != nil {
		return err
	}
	return d.Workspace.KeepCalendar(ctx, who, "Skerrin", days)
}

// weekly is what is sent of the yards at the start of each week.
func (d *Demo) weekly(ctx context.Context, who *identity.Caller) error {
	calendars, err := d.Workspace.Calendars(ctx, who)
	if err != nil {
		return err
	}
	order := delivery.Order{Page: "Today", As: []string{delivery.Pictures, delivery.PDF}, Note: "Good morning. This is how the yards stand.", Calendar: calendars[0].ID,
		Schedule: schedule.Schedule{Every: "week", Weekdays: []string{"monday"}, At: []string{"07:00"}, Holidays: "after"}}
	id, err := d.Workspace.KeepDelivery(ctx, who, workspace.DeliveryOrder{Dashboard: "yard-today", Title: "The yards on Monday", SignUp: true, Order: order})
	if err != nil {
		return err
	}
	channels, err := d.Workspace.Channels(ctx, who)
	if err != nil {
		return err
	}
	for _, to := range []string{"address/office@harbour.example", fmt.Sprint("channel/", channels[0].ID)} {
		if _, err := d.Workspace.AddReceiver(ctx, who, id, to); err != nil {
			return err
		}
	}
	return nil
}

// busy is an alert that tells of more jobs under way than at first, as a busy day makes them.
func (d *Demo) busy(ctx context.Context, who *identity.Caller) error {
	l, err := d.Workspace.Look(ctx, who, "yard-today", false, dashboard.State{Page: "Today"})
	if err != nil {
		return err
	}
	a, err := l.Widget("open", view.Figures)
	if err != nil {
		return err
	}
	now, err := strconv.Atoi(a.Figures[0].Exact)
	if err != nil {
		return err
	}
	id, err := d.Workspace.KeepAlert(ctx, who, workspace.AlertOrder{Dashboard: "yard-today", Title: "A busy day", SignUp: true,
		Watch: alert.Watch{Page: "Today", Widget: "open", When: alert.Above, Than: fmt.Sprint(now + 5), By: []string{"mail", "notice"}, After: 60, Again: "Still so: call the yards."}})
	if err != nil {
		return err
	}
	channels, err := d.Workspace.Channels(ctx, who)
	if err == nil {
		_, err = d.Workspace.AddReceiver(ctx, who, id, fmt.Sprint("channel/", channels[0].ID))
	}
	return err
}

// frozen is a snapshot with notes.
func (d *Demo) frozen(ctx context.Context, who *identity.Caller) error {
	id, err := d.Workspace.Freeze(ctx, who, "yard-today", dashboard.State{}, "Today", "", "How autumn ended")
	if err != nil {
		return err
	}
	notes := []snapshot.Note{
		{Kind: "note", From: snapshot.Anchor{Widget: "parts", Mark: "0 0", Words: "the longest bar"}, Text: "Engines again: half of them from one supplier."},
		{Kind: "ring", From: snapshot.Anchor{Widget: "late", Cell: 1, Words: "jobs started late"}, Text: "Look at Tarn Quay."},
		{Kind: "arrow", From: snapshot.Anchor{Widget: "starts", X: 0.3, Y: 0.25}, To: &snapshot.Anchor{Widget: "starts", Mark: "2 5", Words: "Tarn Quay at its worst"}, Text: "It falls behind its plan."},
	}
	if err := d.Workspace.DrawOn(ctx, who, id, 1, notes); err != nil {
		return err
	}
	return d.Workspace.ShareSnapshot(ctx, who, id, true)
}
