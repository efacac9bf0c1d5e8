package workspace

import (
	"context"
	"slices"
	"strings"
	"time"

	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// LongestLink is how long an open link may show something.
const LongestLink = 366 * 24 * time.Hour

// longestLinkTitle is how many letters may be said of what a link is for.
const longestLinkTitle = 100

// An OpenLink shows a dashboard to whoever has it, as one viewer sees it.
type OpenLink = store.OpenLink

// A LinkOrder is what is given of an open link that is to be made.
type LinkOrder struct {
	Title      string
	Expires    time.Time
	Password   string            // "" for none
	Roles      []string          // of its viewer; whoever makes it must hold them
	Attributes filter.Attributes // likewise
	Page, View string            // what it shows first: a page, the short name of a view
}

// Holding is the most that somebody may give the viewer of a link.
type Holding struct {
	Any        bool // whatever is wanted: they see every record
	Roles      []string
	Attributes filter.Attributes
}

// Holds is the most that somebody may give the viewer of a link.
func (w *Workspace) Holds(who *identity.Caller) Holding {
	return Holding{who.Builder, who.Roles, who.Attributes}
}

// exceeds tells in words what a viewer would have that is not held.
func (h Holding) exceeds(roles []string, attributes filter.Attributes) error {
	if h.Any {
		return nil
	}
	for _, r := range roles {
		if !slices.Contains(h.Roles, r) {
			return problem.New(problem.Forbidden, "roles", "You cannot give the role “%s”, which you do not have.", r)
		}
	}
	for name := range attributes {
		for _, v := range attributes.Values(name) {
			if !slices.Contains(h.Attributes.Values(name), v) {
				return problem.New(problem.Forbidden, "attributes", "You cannot give “%s %s”, which you do not have.", name, v)
			}
		}
	}
	return nil
}

// OpenLinks lists the open links of a dashboard: all of them for its keeper and for builders, one's own for
// others who may share it.
func (w *Workspace) OpenLinks(ctx context.Context, who *identity.Caller, name string) ([]OpenLink, error) {
	d, err := w.shareable(ctx, who, Shared{Kind: Dashboard, Name: name})
	if err != nil {
		return nil, err
	}
	links, err := w.store.OpenLinks(ctx, d.doc.ID)
	if who.Builder || d.keeperID != nil && *d.keeperID == who.PersonID {
		return links, err
	}
	return slices.DeleteFunc(links, func(l OpenLink) bool { return l.MakerID != who.PersonID }), err
}

// MakeOpenLink makes an open link to a dashboard, and returns what it is opened with, this once.
func (w *Workspace) MakeOpenLink(ctx context.Context, who *identity.Caller, name string, o LinkOrder) (token string, err error) {
	d, err := w.shareable(ctx, who, Shared{Kind: Dashboard, Name: name})
	if err != nil {
		return "", err
	}
	o.Title = strings.Join(strings.Fields(o.Title), " ")
	now := time.Now()
	switch {
	case who.PersonID == 0:
		return "", problem.New(problem.Forbidden, "", "Links are made by people, in whose name they show something.")
	case d.doc.Published == 0:
		return "", problem.New(problem.Conflict, "", "This dashboard has not been published yet.")
	case o.Title == "" || len([]rune(o.Title)) > longestLinkTitle:
		return "", problem.New(problem.Invalid, "title", "Say whom the link is for, in at most %d letters: it is found by that.", longestLinkTitle)
	case !o.Expires.After(now):
		return "", problem.New(problem.Invalid, "expires", "The link would have ended already.")
	case o.Expires.After(now.Add(LongestLink)):
		return "", problem.New(problem.Invalid, "expires", "A link shows something for a year at most.")
	case o.Password != "" && len(o.Password) < identity.ShortestPassword:
		return "", problem.New(problem.Invalid, "password", "A password has at least %d characters.", identity.ShortestPassword)
	}
	if err := w.Holds(who).exceeds(o.Roles, o.Attributes); err != nil {
		return "", err
	}
	l := &store.OpenLink{DocumentID: d.doc.ID, Title: o.Title, MakerID: who.PersonID, ExpiresAt: o.Expires, Page: o.Page, View: o.View}
	return token, w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if token, err = identity.MakeLink(ctx, tx, l, o.Password, o.Roles, o.Attributes); err != nil {
			return err
		}
		return tx.Audit(ctx, "made an open link to the dashboard", d.title+", for "+o.Title)
	})
}

// EndOpenLink ends an open link at once, with all that it is showing.
func (w *Workspace) EndOpenLink(ctx context.Context, who *identity.Caller, name string, id int64) error {
	links, err := w.OpenLinks(ctx, who, name)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(links, func(l OpenLink) bool { return l.ID == id })
	if i < 0 {
		return problem.New(problem.NotFound, "", "There is no such link.")
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := tx.EndOpenLink(ctx, id); err != nil {
			return err
		}
		return tx.Audit(ctx, "ended an open link to the dashboard", name+", for "+links[i].Title)
	})
}

// Link is an open link that shows something.
func (w *Workspace) Link(ctx context.Context, token string) (*OpenLink, error) {
	l, err := identity.Link(ctx, w.store, token)
	if err != nil {
		return nil, err
	}
	return l, w.stillHeld(ctx, l)
}

// Visit begins a visit by an open link.
func (w *Workspace) Visit(ctx context.Context, token, password, address string) (bearer string, expires time.Time, l *OpenLink, err error) {
	bearer, expires, l, err = identity.Visit(ctx, w.store, token, password, address)
	if err != nil {
		return "", expires, nil, err
	}
	return bearer, expires, l, w.stillHeld(ctx, l)
}

// stillHeld tells in words why a link shows nothing any more though it has not ended: whoever made it must
// still be let in, may still share what it shows, and hold what its viewer has.
func (w *Workspace) stillHeld(ctx context.Context, l *OpenLink) error {
	nothing := problem.New(problem.NotFound, "", "This link shows nothing any more: whoever made it may no longer show it.")
	maker, err := identity.ByID(ctx, w.store, l.MakerID)
	if problem.Is(err, problem.NotFound) {
		return nothing
	}
	if err != nil {
		return err
	}
	d, err := w.store.Document(ctx, Dashboard, l.Dashboard)
	if problem.Is(err, problem.NotFound) {
		return nothing
	}
	if err != nil {
		return err
	}
	if rights.May(maker, rights.Share, thing(d)) != nil || w.Holds(maker).exceeds(l.RoleList(), l.AttributeMap()) != nil {
		return nothing
	}
	return nil
}
