package workspace

import (
	"context"
	"strings"

	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// An As is as whom a dashboard is looked at: a person by their id, or a viewer of some roles and attributes.
type As struct {
	Person     int64
	Roles      []string
	Attributes map[string]any
}

// An AsRow is what they see of one dataset, beside all of it.
type AsRow struct {
	Title     string
	Some, All string   // how many records they see, and “of the 39,191 jobs”
	Rules     string   // which, in words
	Hidden    []string // the labels of fields that they do not see
	Trouble   string   // why it cannot be said
}

// An AsSummary is what somebody would see of a dashboard.
type AsSummary struct {
	Who    string // in words: "Orla Nairn", "a viewer who is foreman, with yard Tarn Quay"
	Unseen bool   // they may not see the dashboard
	Rows   []AsRow
}

// as is a look at a dashboard as somebody else, with whom they are.
func (w *Workspace) as(ctx context.Context, who *identity.Caller, name string, draft bool, as As) (look identity.Look, they *identity.Caller, err error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return look, nil, err
	}
	if who.PersonID == 0 {
		return look, nil, problem.New(problem.Forbidden, "", "Sign in to look as somebody else.")
	}
	look = identity.Look{By: who.PersonID, ByName: who.Name, Person: as.Person, Dashboard: name, Draft: draft}
	if as.Person != 0 {
		they, err = identity.ByID(ctx, w.store, as.Person)
		return look, they, err
	}
	look.Viewer = rule.Viewer{Name: "a viewer", Roles: as.Roles, Attributes: as.Attributes}
	they = &identity.Caller{Dashboards: []string{name}}
	they.Viewer = look.Viewer
	return look, they, nil
}

// LookAs begins a look at a dashboard as somebody else, which is noted, and returns what it is asked with.
func (w *Workspace) LookAs(ctx context.Context, who *identity.Caller, name string, draft bool, as As) (token string, err error) {
	look, they, err := w.as(ctx, who, name, draft, as)
	if err != nil {
		return "", err
	}
	if token, err = look.Token(w.store); err != nil {
		return "", err
	}
	return token, w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		return tx.Audit(ctx, "looked at a dashboard as somebody else", name+", as "+w.asWords(ctx, who, they, as))
	})
}

// asWords says as whom is looked.
func (w *Workspace) asWords(ctx context.Context, who, they *identity.Caller, as As) string {
	if as.Person != 0 {
		return they.Name
	}
	words := "a viewer without a role"
	if len(as.Roles) > 0 {
		words = "a viewer who is " + strings.Join(as.Roles, " and ")
	}
	known, err := w.Attributes(ctx, who)
	warn("attributes cannot be named", err)
	if has := Spelled(known, as.Attributes); len(has) > 0 {
		words += ", with " + strings.Join(has, " and ")
	}
	return words
}

// AsSummary says how much of each dataset of a dashboard somebody would see.
func (w *Workspace) AsSummary(ctx context.Context, who *identity.Caller, name string, draft bool, as As) (*AsSummary, error) {
	_, they, err := w.as(ctx, who, name, draft, as)
	if err != nil {
		return nil, err
	}
	o, err := w.Dashboard(ctx, who, name, draft)
	if err != nil {
		return nil, err
	}
	out := &AsSummary{Who: w.asWords(ctx, who, they, as), Unseen: rights.May(they, rights.See, thing(o.kept)) != nil}
	for _, set := range w.datasetsOf(ctx, o) {
		row := AsRow{Title: set}
		ds, err := w.reader.Dataset(ctx, set, who.Viewer)
		if err == nil {
			row.Title = ds.Title
			seen, e := w.reader.ViewAs(ctx, ds, they.Viewer)
			if err = e; err == nil {
				row.Some, row.All, row.Rules, row.Hidden = seen.Some, seen.All, seen.Rules, seen.Hidden
			}
		}
		if p := problem.Of(err); p != nil {
			row.Trouble = p.Words
		} else if err != nil {
			return nil, err
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}
