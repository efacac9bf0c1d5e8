package workspace

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// longestFolder is how many letters the name of a folder has at most.
const longestFolder = 80

// Who sees a document, as an Audience is chosen: everybody who signs in, whoever keeps it, a team,
// "team/7", or whoever its folder says.
const (
	everybody = ""
	itsKeeper = "keeper"
	ofTeam    = "team/"
	asFolder  = "folder"
)

// seen tells by whom a document is seen.
func seen(d *store.Document) string {
	if d.AsFolder {
		return asFolder
	}
	return audienceOf(d.Private, d.TeamID)
}

func audienceOf(private bool, team *int64) string {
	switch {
	case private:
		return itsKeeper
	case team != nil:
		return ofTeam + fmt.Sprint(*team)
	}
	return everybody
}

// An Audience is who may see a document, as it is offered.
type Audience struct{ Value, Label string }

// A Filing is where a document stands and who sees it, with what may be chosen instead.
type Filing struct {
	Standing
	Folders   []string // that there are
	Audiences []Audience
	Others    int // how many people and teams have been let do something with it besides
}

// audiences are who may see something, as it is offered.
func (w *Workspace) audiences(ctx context.Context, who *identity.Caller, it *shareable) ([]Audience, error) {
	out := []Audience{{everybody, "all who sign in"}}
	if it.keeperID != nil {
		out = append(out, Audience{itsKeeper, "only its keeper"})
	}
	teams, err := w.store.Teams(ctx)
	if err != nil {
		return nil, err
	}
	for _, t := range teams {
		if value := ofTeam + fmt.Sprint(t.ID); value == it.seen || isIn(who, t.ID) {
			out = append(out, Audience{value, "the team " + t.Name})
		}
	}
	if it.doc != nil && it.doc.Folder != "" {
		said, err := w.folder(ctx, it.Kind, it.doc.Folder)
		if err != nil {
			return nil, err
		}
		if said != nil || it.seen == asFolder {
			out = append(out, Audience{asFolder, "whoever its folder says"})
		}
	}
	return out, nil
}

// Filing tells where a document stands and who sees it.
func (w *Workspace) Filing(ctx context.Context, who *identity.Caller, of Standing) (*Filing, error) {
	f := &Filing{Standing: of}
	d, err := w.store.Document(ctx, of.Kind, of.Name)
	if err != nil {
		return nil, err
	}
	it := &shareable{Shared: Shared{Kind: of.Kind, Name: of.Name}, doc: d, keeper: d.Keeper, keeperID: d.KeeperID, seen: of.Seen}
	if f.Audiences, err = w.audiences(ctx, who, it); err != nil {
		return nil, err
	}
	f.Others = len(d.Grants)
	kept, err := w.store.Documents(ctx, of.Kind)
	for _, d := range kept {
		if d.Folder != "" && rights.May(who, rights.See, thing(&d)) == nil {
			f.Folders = append(f.Folders, d.Folder)
		}
	}
	slices.Sort(f.Folders)
	f.Folders = slices.Compact(f.Folders)
	return f, err
}

// isIn tells whether somebody may keep something for a team: they are in it, or look after people.
func isIn(who *identity.Caller, team int64) bool {
	return slices.Contains(who.Teams, team) || rights.Ever(who, rights.Administer) == nil
}

// folderName is the name of a folder as it is kept.
func folderName(folder string) (string, error) {
	var parts []string
	for _, part := range strings.Split(folder, "/") {
		if part = strings.Join(strings.Fields(part), " "); part != "" {
			parts = append(parts, part)
		}
	}
	if folder = strings.Join(parts, " / "); len([]rune(folder)) > longestFolder {
		return "", problem.New(problem.Invalid, "folder", "The name of a folder has at most %d letters.", longestFolder)
	}
	return folder, nil
}

// File puts a document into a folder, "" for none, and has those see it whom an Audience names. A
// folder within another is named after it, with a slash between. It says what holds then.
func (w *Workspace) File(ctx context.Context, who *identity.Caller, kind, name, folder, audience string) (said string, err error) {
	if folder, err = folderName(folder); err != nil {
		return "", err
	}
	before, err := w.mine(ctx, who, kind, name)
	if err != nil {
		return "", err
	}
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		d, err := tx.Lock(ctx, kind, before.Name)
		if err != nil {
			return err
		}
		was, moved := seen(d), d.Folder != folder
		said, d.Folder = "It stands in no folder", folder
		if folder != "" {
			said = "It stands in " + folder
		}
		place, err := w.folder(ctx, kind, folder)
		if err != nil {
			return err
		}
		switch {
		case moved && place != nil && was == everybody && audience == everybody:
			audience = asFolder // what all see is seen as its new folder says
		case moved && place == nil && audience == asFolder:
			audience = everybody // nobody has said who sees that folder
		}
		if audience != was || moved && was == asFolder {
			if err := rights.May(who, rights.Share, thing(d)); err != nil {
				return err
			}
		}
		d.In = place
		by, err := w.show(ctx, who, d, audience)
		if err != nil {
			return err
		}
		said += "; " + by + "."
		if seen(d) == was {
			err = tx.Audit(ctx, "put the "+kind+" into a folder", d.Title+": "+folder)
		} else {
			err = tx.Audit(ctx, "said who sees the "+kind, d.Title+": "+by)
		}
		if err != nil {
			return err
		}
		return tx.File(ctx, d)
	})
	return said, err
}

// show has those see a document whom an Audience names, and says in words who that is.
func (w *Workspace) show(ctx context.Context, who *identity.Caller, d *store.Document, audience string) (words string, err error) {
	team, isTeam := strings.CutPrefix(audience, ofTeam)
	switch {
	case audience == everybody:
		d.Private, d.TeamID, d.AsFolder = false, nil, false
		return "all who sign in see it", nil
	case audience == itsKeeper && d.KeeperID != nil:
		d.Private, d.TeamID, d.AsFolder = true, nil, false
		return "only " + d.Keeper + " sees it", nil
	case audience == asFolder && d.In != nil:
		d.Private, d.TeamID, d.AsFolder = false, nil, true
		like := store.Document{Keeper: d.In.Keeper, KeeperID: d.In.KeeperID, TeamID: d.In.TeamID}
		by, err := w.show(ctx, who, &like, audienceOf(d.In.Private, d.In.TeamID))
		return "as its folder says, " + by, err
	case isTeam:
		teams, err := w.store.Teams(ctx)
		if err != nil {
			return "", err
		}
		id, _ := strconv.ParseInt(team, 10, 64)
		at := slices.IndexFunc(teams, func(t store.Team) bool { return t.ID == id })
		if at >= 0 && (audience == seen(d) || isIn(who, id)) {
			d.Private, d.TeamID, d.AsFolder = false, &id, false
			return "the team " + teams[at].Name + " sees it", nil
		}
	}
	return "", problem.New(problem.Invalid, "seen", "It can be seen by all who sign in, by its keeper, or by a team that you are in.")
}

// listed is how documents stand in lists for somebody: with who alone sees one, in words.
func (w *Workspace) listed(ctx context.Context, who *identity.Caller) (func(*store.Document) Standing, error) {
	teams, err := w.store.Teams(ctx)
	if err != nil {
		return nil, err
	}
	return func(d *store.Document) Standing {
		st, t := standing(who, d), thing(d)
		given := len(t.Grants) > 0
		switch {
		case t.Private && d.KeeperID != nil && *d.KeeperID == who.PersonID && !given:
			st.Only = "only you see it"
		case t.Private && given:
			st.Only = cmp.Or(d.Keeper, "whoever keeps it") + " and those they chose see it"
		case t.Private:
			st.Only = "only " + d.Keeper + " sees it"
		case t.Team != nil:
			if at := slices.IndexFunc(teams, func(of store.Team) bool { return of.ID == *t.Team }); at >= 0 {
				st.Only = "the team " + teams[at].Name + " sees it"
			}
		}
		return st
	}, nil
}

// A Group is a part of a list: favourites, or what stands in a folder and is seen by the same.
type Group[T interface{ Stands() Standing }] struct {
	Title  string
	Folder string // in which all of it stands
	Rows   []T
}

// May tells whether somebody may say who sees the folder: they may change something in it.
func (g Group[T]) May() bool {
	return g.Folder != "" && slices.ContainsFunc(g.Rows, func(r T) bool { return r.Stands().May })
}

// Grouped groups a list: what only its keeper sees, what teams see, then what all do, each folder
// by folder.
func Grouped[T interface{ Stands() Standing }](rows []T) (out []Group[T]) {
	type place struct {
		rank         int
		only, folder string
	}
	at := func(row T) place {
		st := row.Stands()
		rank := 2
		if st.Seen == itsKeeper {
			rank = 0
		} else if st.Only != "" {
			rank = 1
		}
		return place{rank, st.Only, st.Folder}
	}
	rows = slices.Clone(rows)
	slices.SortStableFunc(rows, func(a, b T) int {
		p, q := at(a), at(b)
		return cmp.Or(cmp.Compare(p.rank, q.rank), cmp.Compare(p.only, q.only), cmp.Compare(p.folder, q.folder))
	})
	last := place{rank: -1}
	for _, row := range rows {
		if p := at(row); p != last {
			last = p
			title := cmp.Or(p.folder, "All")
			if only := strings.TrimSuffix(p.only, " it"); only != "" {
				title = strings.ToUpper(only[:1]) + only[1:]
				if p.folder != "" {
					title += ", in " + p.folder
				}
			}
			out = append(out, Group[T]{Title: title, Folder: p.folder})
		}
		g := &out[len(out)-1]
		g.Rows = append(g.Rows, row)
	}
	if len(out) == 1 && out[0].Title == "All" {
		out[0].Title = ""
	}
	return out
}
