package workspace

import (
	"cmp"
	"context"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// A Shared is what is shared: a document of a kind by its name, or a folder of documents of that kind.
type Shared struct {
	Kind, Name string
	Folder     bool
}

// what says what it is.
func (s Shared) what() string {
	if s.Folder {
		return "folder"
	}
	return s.Kind
}

// A shareable is a document or a folder, as far as sharing goes.
type shareable struct {
	Shared
	title    string
	doc      *store.Document
	folder   *store.Folder
	thing    rights.Thing
	grants   []store.Grant
	seen     string
	keeper   string
	keeperID *int64
}

// shareable finds what somebody wants to share, and tells why they may not.
func (w *Workspace) shareable(ctx context.Context, who *identity.Caller, of Shared) (*shareable, error) {
	if err := rights.Ever(who, rights.Share); err != nil {
		return nil, err
	}
	if of.Folder {
		return w.shareableFolder(ctx, who, of)
	}
	if of.Kind != Dashboard && of.Kind != Chart && of.Kind != Dataset {
		return nil, problem.New(problem.NotFound, "", "There is nothing of the kind that is shared.")
	}
	d, err := w.open(ctx, who, of.Kind, of.Name)
	if err != nil {
		return nil, err
	}
	out := &shareable{Shared: of, title: cmp.Or(d.Title, d.Name), doc: d, thing: thing(d), grants: d.Grants, seen: seen(d), keeper: d.Keeper, keeperID: d.KeeperID}
	return out, rights.May(who, rights.Share, out.thing)
}

// shareableFolder is a folder that somebody keeps, or the first says who sees: who edits something in it.
func (w *Workspace) shareableFolder(ctx context.Context, who *identity.Caller, of Shared) (*shareable, error) {
	said, err := w.folder(ctx, of.Kind, of.Name)
	if err != nil {
		return nil, err
	}
	if said == nil {
		docs, err := w.store.Documents(ctx, of.Kind)
		if err != nil {
			return nil, err
		}
		what := rights.Edit
		if of.Kind == Dataset {
			what = rights.Build
		}
		if of.Name == "" || !slices.ContainsFunc(docs, func(d store.Document) bool { return d.Folder == of.Name && rights.May(who, what, thing(&d)) == nil }) {
			return nil, problem.New(problem.NotFound, "folder", "There is no folder “%s” in which you keep something.", of.Name)
		}
		said = &store.Folder{Kind: of.Kind, Name: of.Name, Keeper: who.Name, KeeperID: &who.PersonID}
		if who.PersonID == 0 {
			said.KeeperID = nil
		}
	}
	t := rights.Thing{Kind: "folder", Name: said.Name, Keeper: said.KeeperID, KeptBy: said.Keeper, Private: said.Private, Team: said.TeamID, Grants: grantsOf(said.Grants)}
	out := &shareable{Shared: of, title: said.Name, folder: said, thing: t, grants: said.Grants, seen: audienceOf(said.Private, said.TeamID), keeper: said.Keeper, keeperID: said.KeeperID}
	return out, rights.May(who, rights.Share, t)
}

// folder is what somebody has said of a folder; nil where nobody has.
func (w *Workspace) folder(ctx context.Context, kind, name string) (*store.Folder, error) {
	all, err := w.store.Folders(ctx, kind)
	if err != nil {
		return nil, err
	}
	for i := range all {
		if all[i].Name == name {
			f := all[i]
			return &f, nil
		}
	}
	return nil, nil
}

var levels = map[string]rights.Level{store.MaySee: rights.Sees, store.MayEdit: rights.Edits, store.MayShare: rights.Shares}

func grantsOf(kept []store.Grant) (out []rights.Grant) {
	for _, g := range kept {
		one := rights.Grant{May: levels[g.May]}
		if g.PersonID != nil {
			one.Person = *g.PersonID
		}
		if g.TeamID != nil {
			one.Team = *g.TeamID
		}
		out = append(out, one)
	}
	return out
}

// A Whom is a person or a team that something is shared with.
type Whom struct {
	Value string // "person/7", "team/3"
	Label string
	May   string // what they have been let do
}

// Sharing is who may do what with something, for those who may say so.
type Sharing struct {
	Of        Shared
	Title     string
	What      string // "dashboard"
	Keeper    string
	Seen      string
	Audiences []Audience
	Granted   []Whom
	Levels    []Audience // what may be given, as much as whoever asks holds
	Follows   int        // of a folder: how much stands in it and is seen as it says
	Stays     int        // and how much is not
}

// Sharing tells who may do what with something.
func (w *Workspace) Sharing(ctx context.Context, who *identity.Caller, of Shared) (*Sharing, error) {
	it, err := w.shareable(ctx, who, of)
	if err != nil {
		return nil, err
	}
	out := &Sharing{Of: of, Title: it.title, What: of.what(), Keeper: it.keeper, Seen: it.seen, Levels: it.offered(who)}
	named, err := w.names(ctx)
	if err != nil {
		return nil, err
	}
	if out.Audiences, err = w.audiences(ctx, who, it); err != nil {
		return nil, err
	}
	for _, g := range it.grants {
		v := valueOf(g)
		out.Granted = append(out.Granted, Whom{v, cmp.Or(named[v], "somebody"), g.May})
	}
	if of.Folder {
		docs, err := w.store.Documents(ctx, of.Kind)
		if err != nil {
			return nil, err
		}
		for _, d := range docs {
			switch {
			case d.Folder != of.Name:
			case d.AsFolder:
				out.Follows++
			default:
				out.Stays++
			}
		}
	}
	return out, nil
}

// offered is what somebody may let others do: as much as they hold. Datasets are changed by builders alone.
func (s *shareable) offered(who *identity.Caller) []Audience {
	if s.Kind == Dataset {
		return []Audience{{store.MaySee, "may use it"}}
	}
	all := []Audience{{store.MaySee, "may see it"}, {store.MayEdit, "may edit it"}, {store.MayShare, "may share it"}}
	return all[:min(len(all), int(s.thing.Holds(who)))]
}

func valueOf(g store.Grant) string {
	if g.TeamID != nil {
		return ofTeam + fmt.Sprint(*g.TeamID)
	}
	return ofPerson + fmt.Sprint(*g.PersonID)
}

// ofPerson begins the value of a person.
const ofPerson = "person/"

// names are what people and teams are called, by their values.
func (w *Workspace) names(ctx context.Context) (map[string]string, error) {
	out := map[string]string{}
	people, err := w.store.People(ctx)
	if err != nil {
		return nil, err
	}
	twice := map[string]int{}
	for _, p := range people {
		twice[p.Name]++
	}
	for _, p := range people {
		out[ofPerson+fmt.Sprint(p.ID)] = p.Name
		if twice[p.Name] > 1 { // told apart by their address
			out[ofPerson+fmt.Sprint(p.ID)] += " (" + p.Email + ")"
		}
	}
	teams, err := w.store.Teams(ctx)
	for _, t := range teams {
		out[ofTeam+fmt.Sprint(t.ID)] = "the team " + t.Name
	}
	return out, err
}

// mostFound is how many people and teams a search offers.
const mostFound = 8

// FindWhom finds people who come in, and teams, by a few letters of their names.
func (w *Workspace) FindWhom(ctx context.Context, who *identity.Caller, find string) ([]Whom, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, err
	}
	named, err := w.names(ctx)
	if err != nil {
		return nil, err
	}
	people, err := w.store.People(ctx)
	if err != nil {
		return nil, err
	}
	for _, p := range people {
		if p.Ended() || p.ID == who.PersonID {
			delete(named, ofPerson+fmt.Sprint(p.ID))
		}
	}
	out := []Whom{}
	for value, label := range named {
		if contains(find, label) {
			out = append(out, Whom{Value: value, Label: label})
		}
	}
	slices.SortFunc(out, func(a, b Whom) int {
		return cmp.Or(cmp.Compare(strings.ToLower(a.Label), strings.ToLower(b.Label)), cmp.Compare(a.Value, b.Value))
	})
	return out[:min(len(out), mostFound)], nil
}

// whom reads the value of a person who comes in, or of a team, with those who are told.
func (w *Workspace) whom(ctx context.Context, value string) (g store.Grant, label string, told []int64, err error) {
	unknown := problem.New(problem.NotFound, "whom", "There is no such person or team.")
	kind, number, _ := strings.Cut(value, "/")
	id, _ := strconv.ParseInt(number, 10, 64)
	switch kind + "/" {
	case ofPerson:
		p, err := w.store.Person(ctx, id)
		if problem.Is(err, problem.NotFound) || err == nil && p.Ended() {
			err = unknown
		}
		if err != nil {
			return g, "", nil, err
		}
		return store.Grant{PersonID: &p.ID}, p.Name, []int64{p.ID}, nil
	case ofTeam:
		teams, err := w.store.Teams(ctx)
		if err != nil {
			return g, "", nil, err
		}
		for _, t := range teams {
			if t.ID == id {
				for _, m := range t.Members {
					told = append(told, m.ID)
				}
				return store.Grant{TeamID: &t.ID}, "the team " + t.Name, told, nil
			}
		}
	}
	return g, "", nil, unknown
}

// Give lets a person or a team see, edit or share something; "" takes it back. They are told of what they
// are given. Nobody gives more than they hold.
func (w *Workspace) Give(ctx context.Context, who *identity.Caller, of Shared, value, may string) (said string, err error) {
	it, err := w.shareable(ctx, who, of)
	if err != nil {
		return "", err
	}
	if may != "" && !slices.ContainsFunc(it.offered(who), func(a Audience) bool { return a.Value == may }) {
		return "", problem.New(problem.Forbidden, "may", "You cannot let others do with this %s what you may not do yourself.", of.what())
	}
	g, label, told, err := w.whom(ctx, value)
	if err != nil {
		return "", err
	}
	g.May = may
	held := slices.IndexFunc(it.grants, func(k store.Grant) bool { return valueOf(k) == valueOf(g) })
	if held >= 0 && levels[it.grants[held].May] > it.thing.Holds(who) {
		return "", problem.New(problem.Forbidden, "may", "%s may do more with this %s than you: its keeper can change that.", locale.Upper(label), of.what())
	}
	said = "%s may no longer do more than all who see it."
	switch {
	case may == store.MaySee && of.Kind == Dataset:
		said = "%s may use it."
	case may != "":
		said = "%s may " + may + " it."
	case held < 0:
		return "", problem.New(problem.NotFound, "whom", "%s has been given nothing here.", locale.Upper(label))
	}
	said = fmt.Sprintf(said, locale.Upper(label))
	return said, w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := it.kept(ctx, tx); err != nil {
			return err
		}
		if it.folder != nil {
			g.FolderID = &it.folder.ID
		} else {
			g.DocumentID = &it.doc.ID
		}
		if err := tx.Give(ctx, of.Kind, &g); err != nil {
			return err
		}
		if may != "" {
			told = slices.DeleteFunc(told, func(id int64) bool { return id == who.PersonID })
			err := tx.Tell(ctx, told, store.Notice{Kind: NoticeShared, ByName: who.Name, Words: "shares the " + of.what() + " “" + it.title + "” with you: you " + wordsOf(of, may), Address: of.address()})
			if err != nil {
				return err
			}
		}
		return tx.Audit(ctx, "said who may do what with the "+of.what(), it.title+": "+said)
	})
}

func wordsOf(of Shared, may string) string {
	if of.Kind == Dataset && !of.Folder {
		return "may use it"
	}
	return "may " + may + " it"
}

// kept has a folder be one that somebody has said who sees.
func (s *shareable) kept(ctx context.Context, tx *store.Tx) error {
	if s.folder == nil || s.folder.ID != 0 {
		return nil
	}
	return tx.KeepFolder(ctx, s.folder)
}

// address is where something is looked at.
func (s Shared) address() string {
	name := url.PathEscape(s.Name)
	switch {
	case s.Folder && s.Kind == Dataset:
		return "/data"
	case s.Folder && s.Kind == Chart:
		return "/charts"
	case s.Folder:
		return "/"
	case s.Kind == Dataset:
		return "/data/datasets/" + name
	case s.Kind == Chart:
		return "/charts/edit?at=library/" + url.QueryEscape(s.Name)
	}
	return "/dashboards/" + name
}

// SeenBy has those see something whom an Audience names. What stands in a folder, and all who sign in see,
// is seen as the folder says from then on, where whoever says so may share it.
func (w *Workspace) SeenBy(ctx context.Context, who *identity.Caller, of Shared, audience string) (said string, err error) {
	it, err := w.shareable(ctx, who, of)
	if err != nil {
		return "", err
	}
	if it.doc != nil {
		return w.File(ctx, who, of.Kind, of.Name, it.doc.Folder, audience)
	}
	docs, err := w.store.Documents(ctx, of.Kind)
	if err != nil {
		return "", err
	}
	follow := 0
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		like := store.Document{Keeper: it.keeper, KeeperID: it.keeperID, Private: it.folder.Private, TeamID: it.folder.TeamID}
		if said, err = w.show(ctx, who, &like, audience); err != nil {
			return err
		}
		first := it.folder.ID == 0
		it.folder.Private, it.folder.TeamID = like.Private, like.TeamID
		if err := tx.KeepFolder(ctx, it.folder); err != nil {
			return err
		}
		for i := range docs {
			d := &docs[i]
			if d.Folder != of.Name || d.AsFolder || seen(d) != everybody || !first || rights.May(who, rights.Share, thing(d)) != nil {
				continue
			}
			locked, err := tx.Lock(ctx, of.Kind, d.Name)
			if err != nil {
				return err
			}
			locked.AsFolder = true
			if err := tx.File(ctx, locked); err != nil {
				return err
			}
			follow++
		}
		return tx.Audit(ctx, "said who sees the folder", of.Name+": "+said)
	})
	said = locale.Upper(said) + "."
	if follow > 0 {
		said += fmt.Sprintf(" What stands in it follows: %d.", follow)
	}
	return said, err
}

// HandOver gives something to another keeper. Whoever kept it may edit it still, until the new keeper says
// otherwise.
func (w *Workspace) HandOver(ctx context.Context, who *identity.Caller, of Shared, value string) (said string, err error) {
	it, err := w.shareable(ctx, who, of)
	if err != nil {
		return "", err
	}
	if it.thing.Keeper == nil || *it.thing.Keeper != who.PersonID {
		if err := rights.Ever(who, rights.Administer); err != nil {
			return "", problem.New(problem.Forbidden, "", "This %s is kept by %s: only they and builders hand it over.", of.what(), it.keeper)
		}
	}
	g, label, told, err := w.whom(ctx, value)
	if err != nil {
		return "", err
	}
	if g.PersonID == nil {
		return "", problem.New(problem.Invalid, "whom", "A person keeps it, not a team.")
	}
	said = label + " keeps it now."
	return said, w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		before := it.keeperID
		if err := it.keptBy(ctx, tx, label, g.PersonID); err != nil {
			return err
		}
		if before != nil && *before != *g.PersonID && of.Kind != Dataset {
			still := store.Grant{PersonID: before, May: store.MayEdit}
			if it.folder != nil {
				still.FolderID = &it.folder.ID
			} else {
				still.DocumentID = &it.doc.ID
			}
			if err := tx.Give(ctx, of.Kind, &still); err != nil {
				return err
			}
		}
		if *g.PersonID != who.PersonID {
			if err := tx.Tell(ctx, told, store.Notice{Kind: NoticeShared, ByName: who.Name, Words: "hands the " + of.what() + " “" + it.title + "” over to you: you keep it now", Address: of.address()}); err != nil {
				return err
			}
		}
		return tx.Audit(ctx, "handed over the "+of.what(), it.title+": "+said)
	})
}

// keptBy gives it another keeper.
func (s *shareable) keptBy(ctx context.Context, tx *store.Tx, name string, id *int64) error {
	if s.folder != nil {
		s.folder.Keeper, s.folder.KeeperID = name, id
		return tx.KeepFolder(ctx, s.folder)
	}
	d, err := tx.Lock(ctx, s.Kind, s.Name)
	if err != nil {
		return err
	}
	d.Keeper, d.KeeperID = name, id
	return tx.File(ctx, d)
}
