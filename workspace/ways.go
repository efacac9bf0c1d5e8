package workspace

import (
	"context"
	"net/mail"
	"net/url"
	"regexp"
	"strings"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// What letters may go to, where chats are, and which days are holidays: builders say so.

// Ways are by which ways something may be told, and what waits to be.
type Ways struct {
	Outsiders []store.Outsider
	Channels  []store.Channel
	Calendars []store.Calendar
	Mails     bool // letters are sent
}

// longestWay is how many letters a channel or a calendar is called by.
const longestWay = 60

// Ways lists them.
func (w *Workspace) Ways(ctx context.Context, who *identity.Caller) (out Ways, err error) {
	if err = rights.Ever(who, rights.Administer); err != nil {
		return out, err
	}
	out.Mails = w.mail != nil
	if out.Outsiders, err = w.store.Outsiders(ctx); err != nil {
		return out, err
	}
	if out.Channels, err = w.store.Channels(ctx); err != nil {
		return out, err
	}
	out.Calendars, err = w.store.Calendars(ctx)
	return out, err
}

// Channels lists the rooms of chats that something may be told to.
func (w *Workspace) Channels(ctx context.Context, who *identity.Caller) ([]store.Channel, error) {
	if err := rights.Ever(who, rights.Deliver); err != nil {
		return nil, err
	}
	return w.store.Channels(ctx)
}

// domain is the name of one, with a dot.
var domain = regexp.MustCompile(`^([a-z0-9]([a-z0-9-]*[a-z0-9])?\.)+[a-z][a-z0-9-]*[a-z0-9]$`)

// way changes one of the ways, for those who look after them.
func (w *Workspace) way(ctx context.Context, who *identity.Caller, do func(*store.Tx) (did, about string, err error)) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		did, about, err := do(tx)
		if err != nil {
			return err
		}
		return tx.Audit(ctx, did, about)
	})
}

// Allow lets letters be sent to an address outside, or to all of a domain.
func (w *Workspace) Allow(ctx context.Context, who *identity.Caller, address string) error {
	address = identity.Email(strings.TrimPrefix(strings.TrimSpace(address), "@"))
	if at, err := mail.ParseAddress(address); (err != nil || at.Address != address) && !domain.MatchString(address) {
		return problem.New(problem.Invalid, "address", "“%s” is neither an address, such as harbour@example.org, nor a domain, such as example.org.", address)
	}
	return w.way(ctx, who, func(tx *store.Tx) (string, string, error) {
		return "allowed letters to", address, tx.AddOutsider(ctx, address)
	})
}

// Forbid allows no more letters to it.
func (w *Workspace) Forbid(ctx context.Context, who *identity.Caller, address string) error {
	return w.way(ctx, who, func(tx *store.Tx) (string, string, error) {
		return "allowed no more letters to", address, tx.RemoveOutsider(ctx, address)
	})
}

// AddChannel keeps a room of a chat by the address of its webhook, and returns the secret that its messages are signed
// with, this once.
func (w *Workspace) AddChannel(ctx context.Context, who *identity.Caller, title, address string) (secret string, err error) {
	title, address = strings.Join(strings.Fields(title), " "), strings.TrimSpace(address)
	if title == "" || len([]rune(title)) > longestWay {
		return "", problem.New(problem.Invalid, "title", "Say what the channel is called, in at most %d letters.", longestWay)
	}
	if u, err := url.Parse(address); err != nil || u.Host == "" || u.User != nil || u.Scheme != "https" && u.Scheme != "http" || len(address) > 500 {
		return "", problem.New(problem.Invalid, "address", "“%s” is no address of a webhook, such as https://chat.example.org/hooks/yards.", address)
	}
	secret = identity.NewSecret()
	return secret, w.way(ctx, who, func(tx *store.Tx) (string, string, error) {
		return "added the channel", title, tx.AddChannel(ctx, &store.Channel{Title: title, Address: address, MadeBy: who.Name}, secret)
	})
}

// RemoveChannel has nothing be told there any more.
func (w *Workspace) RemoveChannel(ctx context.Context, who *identity.Caller, id int64) error {
	return w.way(ctx, who, func(tx *store.Tx) (string, string, error) {
		title, err := tx.RemoveChannel(ctx, id)
		return "removed the channel", title, err
	})
}

// KeepCalendar keeps days on which nobody works, in the place of those of the same title.
func (w *Workspace) KeepCalendar(ctx context.Context, who *identity.Caller, title string, days []string) error {
	title = strings.Join(strings.Fields(title), " ")
	if title == "" || len([]rune(title)) > longestWay {
		return problem.New(problem.Invalid, "title", "Say which holidays these are, in at most %d letters.", longestWay)
	}
	return w.way(ctx, who, func(tx *store.Tx) (string, string, error) {
		return "kept the calendar of holidays", title, tx.KeepCalendar(ctx, title, days)
	})
}

// RemoveCalendar forgets a calendar that nothing goes by.
func (w *Workspace) RemoveCalendar(ctx context.Context, who *identity.Caller, id int64) error {
	return w.way(ctx, who, func(tx *store.Tx) (string, string, error) {
		title, err := tx.RemoveCalendar(ctx, id)
		return "removed the calendar of holidays", title, err
	})
}

// A Working is what is done by itself just now, waits to be, or went wrong lately.
type Working struct{ Running, Waiting, Failed []Run }

// Working lists it.
func (w *Workspace) Working(ctx context.Context, who *identity.Caller) (out Working, err error) {
	if err = rights.Ever(who, rights.Administer); err != nil {
		return out, err
	}
	for _, of := range []struct {
		to    *[]Run
		state string
	}{{&out.Running, store.Running}, {&out.Waiting, store.Waiting}, {&out.Failed, store.Failed}} {
		if *of.to, err = w.store.Working(ctx, 50, of.state); err != nil {
			return out, err
		}
	}
	return out, nil
}
