package workspace

import (
	"context"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// longestNote is how many letters somebody may write with what they pass on.
const longestNote = 500

// A Lack is what somebody to whom a dashboard is passed on would not see of it.
type Lack struct {
	Value, Name string
	Unseen      bool     // they may not see the dashboard
	Nothing     []string // datasets of which the rules let them see no record
}

// A Passing is a dashboard about to be passed on.
type Passing struct {
	Name, Title string
	Keeper      string
	MayGive     bool // let others see it
	To          Whom
	People      int // how many are told
	Lacks       []Lack
}

// Passing tells what those to whom a dashboard is to be passed on would not see of it; to nobody yet for "".
func (w *Workspace) Passing(ctx context.Context, who *identity.Caller, name, to string) (*Passing, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, err
	}
	o, err := w.Dashboard(ctx, who, name, false)
	if err != nil {
		return nil, err
	}
	out := &Passing{Name: o.Name, Title: o.Doc.Title, Keeper: o.Keeper, MayGive: o.Shares, To: Whom{Value: to}}
	if to == "" {
		return out, nil
	}
	_, label, told, err := w.whom(ctx, to)
	if err != nil {
		return nil, err
	}
	told = slices.DeleteFunc(told, func(id int64) bool { return id == who.PersonID })
	out.To.Label, out.People = label, len(told)
	for _, id := range told {
		lack, err := w.lack(ctx, o, id)
		if problem.Is(err, problem.NotFound) {
			continue // let in no more
		}
		if err != nil {
			return nil, err
		}
		if lack.Unseen || len(lack.Nothing) > 0 {
			out.Lacks = append(out.Lacks, lack)
		}
	}
	return out, nil
}

// lack is what a person would not see of a dashboard.
func (w *Workspace) lack(ctx context.Context, o *Opened, id int64) (Lack, error) {
	they, err := identity.ByID(ctx, w.store, id)
	if err != nil {
		return Lack{}, err
	}
	out := Lack{Value: fmt.Sprint(ofPerson, id), Name: they.Name, Unseen: rights.May(they, rights.See, thing(o.kept)) != nil}
	for _, set := range w.datasetsOf(ctx, o) {
		ds, err := w.reader.Dataset(ctx, set, they.Viewer)
		if err != nil {
			continue // what is wrong with it is said where it is shown
		}
		if rule.Nothing(ds, they.Viewer) {
			out.Nothing = append(out.Nothing, ds.Title)
		}
	}
	return out, nil
}

// datasetsOf are the names of the datasets that a dashboard shows.
func (w *Workspace) datasetsOf(ctx context.Context, o *Opened) (out []string) {
	for _, x := range o.Doc.Widgets() {
		if x.Chart == nil {
			continue
		}
		doc := x.Chart.Own
		if x.Chart.Library != "" {
			var err error
			if doc, err = w.reader.Chart(ctx, x.Chart.Library, x.Chart.Version); err != nil {
				continue
			}
		}
		for _, set := range doc.Datasets() {
			if !slices.Contains(out, set) {
				out = append(out, set)
			}
		}
	}
	return out
}

// PassOn tells somebody of a dashboard, with a line, and leads them to how it is looked at.
func (w *Workspace) PassOn(ctx context.Context, who *identity.Caller, name, to, note, page, view string) (said string, err error) {
	note = strings.TrimSpace(note)
	if len([]rune(note)) > longestNote {
		return "", problem.New(problem.Invalid, "note", "A line has at most %d letters.", longestNote)
	}
	p, err := w.Passing(ctx, who, name, to)
	if err != nil {
		return "", err
	}
	_, label, told, err := w.whom(ctx, to)
	if err != nil {
		return "", err
	}
	told = slices.DeleteFunc(told, func(id int64) bool { return id == who.PersonID })
	if len(told) == 0 {
		return "", problem.New(problem.Invalid, "whom", "Nobody but you would be told.")
	}
	mentioned, unseen, err := w.mentioned(ctx, name, note, append(told, who.PersonID))
	if err != nil {
		return "", err
	}
	said = label + " is told."
	if len(unseen) > 0 {
		said += fmt.Sprintf(" %s may not see it, and %s not told.", strings.Join(unseen, ", "), map[bool]string{true: "is", false: "are"}[len(unseen) == 1])
	}
	return said, w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		notice := store.Notice{Kind: NoticePassed, ByName: who.Name, Words: "passes “" + p.Title + "” on to you", Note: note, Address: AddressOf(p.Name, page, view)}
		if err := tx.Tell(ctx, told, notice); err != nil {
			return err
		}
		notice.Kind, notice.Words = NoticeMentioned, "mentions you with “"+p.Title+"”"
		return tx.Tell(ctx, mentioned, notice)
	})
}

// mentioned are the people whom a line names by an @, besides some: those who may see a dashboard by their ids, and
// the others by their names.
func (w *Workspace) mentioned(ctx context.Context, name, line string, besides []int64) (ids []int64, unseen []string, err error) {
	if !strings.Contains(line, "@") {
		return nil, nil, nil
	}
	people, err := w.store.People(ctx)
	if err != nil {
		return nil, nil, err
	}
	d, err := w.store.Document(ctx, Dashboard, name)
	if err != nil {
		return nil, nil, err
	}
	// A longer name first, so that nobody is taken for somebody whose name begins with theirs.
	slices.SortStableFunc(people, func(a, b store.Person) int { return len(b.Name) - len(a.Name) })
	for _, p := range people {
		before := line
		line = mentionOf(p.Name).ReplaceAllString(line, "$1")
		if before == line || p.Ended() || slices.Contains(besides, p.ID) {
			continue
		}
		they, err := identity.ByID(ctx, w.store, p.ID)
		if err != nil {
			return nil, nil, err
		}
		if rights.May(they, rights.See, thing(d)) != nil {
			unseen = append(unseen, p.Name)
			continue
		}
		ids = append(ids, p.ID)
	}
	return ids, unseen, nil
}

// mentionOf is how a line names somebody.
func mentionOf(name string) *regexp.Regexp {
	return regexp.MustCompile(`(?i)@` + regexp.QuoteMeta(name) + `($|[^\p{L}\p{N}])`)
}

// AddressOf is where a dashboard is read: a page of it, as it is looked at by the short name of a view.
func AddressOf(name, page, view string) string {
	q := url.Values{}
	if page != "" {
		q.Set("page", page)
	}
	if view != "" {
		q.Set("view", view)
	}
	out := "/dashboards/" + url.PathEscape(name)
	if len(q) > 0 {
		out += "?" + q.Encode()
	}
	return out
}

// AskFor asks those who can to let somebody see what they lack of a dashboard: its keeper, or builders.
func (w *Workspace) AskFor(ctx context.Context, who *identity.Caller, name, person string) (said string, err error) {
	p, err := w.Passing(ctx, who, name, person)
	if err != nil {
		return "", err
	}
	if len(p.Lacks) != 1 {
		return "", problem.New(problem.Conflict, "", "Nothing is missing any more.")
	}
	lack, kept := p.Lacks[0], shareableOf(name)
	d, err := w.store.Document(ctx, Dashboard, name)
	if err != nil {
		return "", err
	}
	builders, err := w.store.Builders(ctx)
	if err != nil {
		return "", err
	}
	var asked []string
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if lack.Unseen {
			of, words := builders, "the builders"
			if d.KeeperID != nil {
				of, words = []int64{*d.KeeperID}, d.Keeper
			}
			asked = append(asked, words)
			if err := tx.Tell(ctx, of, store.Notice{Kind: NoticeAsked, ByName: who.Name, Words: "asks that " + lack.Name + " may see the dashboard “" + p.Title + "”", Address: kept}); err != nil {
				return err
			}
		}
		if len(lack.Nothing) == 0 {
			return nil
		}
		if !slices.Contains(asked, "the builders") {
			asked = append(asked, "the builders")
		}
		return tx.Tell(ctx, builders, store.Notice{Kind: NoticeAsked, ByName: who.Name, Words: "asks that " + lack.Name + " sees records of " + strings.Join(lack.Nothing, ", "),
			Address: "/people/person/" + strings.TrimPrefix(lack.Value, ofPerson)})
	})
	return "Asked: " + strings.Join(asked, " and ") + ".", err
}

// shareableOf is where it is said who sees a dashboard.
func shareableOf(name string) string {
	return "/sharing?" + url.Values{"kind": {Dashboard}, "name": {name}}.Encode()
}
