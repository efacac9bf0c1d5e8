package workspace

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"eskadel/core/alert"
	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/core/snapshot"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
	"eskadel/view"
)

// mostFrozen is how many bytes a snapshot has at most.
const mostFrozen = 8 << 20

// A Snapshot is a page of a dashboard as it was seen, with what is drawn on it.
type Snapshot struct {
	*store.Snapshot
	Frozen view.Frozen
	Notes  []snapshot.Note
	May    bool       // draw on it, share and remove it
	Until  *time.Time // it is kept; nil for ever
}

// Freeze keeps a page of a dashboard, or one widget of it, as somebody sees it now.
func (w *Workspace) Freeze(ctx context.Context, who *identity.Caller, name string, state dashboard.State, page, widget, title string) (id int64, err error) {
	if err := rights.Ever(who, rights.Deliver); err != nil {
		return 0, err
	}
	title = strings.Join(strings.Fields(title), " ")
	if title == "" || len([]rune(title)) > longestName {
		return 0, problem.New(problem.Invalid, "title", "Say what it shows, in at most %d letters: it is found by that.", longestName)
	}
	state.Page = page
	l, err := w.Look(ctx, who, name, false, state)
	if err == nil {
		err = rights.May(who, rights.TakeAway, l.thing())
	}
	if err != nil {
		return 0, err
	}
	on, err := l.Doc.Page(page)
	if err != nil {
		return 0, err
	}
	frozen, err := l.view.Freeze(on, widget)
	if err != nil {
		return 0, err
	}
	b, err := json.Marshal(frozen)
	if err != nil {
		return 0, err
	}
	if len(b) > mostFrozen {
		return 0, problem.New(problem.TooMany, "", "This page shows too much to be frozen, %d MB: freeze one part of it, or narrow it.", len(b)>>20)
	}
	of := &store.Snapshot{DocumentID: &l.kept.ID, About: l.Doc.Title, Title: title, MakerID: who.PersonID, Frozen: b}
	err = w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := tx.AddSnapshot(ctx, of); err != nil {
			return err
		}
		return tx.Audit(ctx, "froze a snapshot of", l.Doc.Title+": "+title)
	})
	return of.ID, err
}

// Snapshots lists the snapshots that somebody made, and those that are shared of dashboards that they may see.
func (w *Workspace) Snapshots(ctx context.Context, who *identity.Caller) (out []store.Snapshot, err error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, err
	}
	all, err := w.store.Snapshots(ctx)
	if err != nil {
		return nil, err
	}
	for i := range all {
		may, err := w.mayOpen(ctx, who, &all[i])
		if err != nil {
			return nil, err
		}
		if may && (all[i].Shared || all[i].MakerID == who.PersonID) {
			out = append(out, all[i])
		}
	}
	return out, nil
}

// mayOpen tells whether somebody may know of a snapshot: not yet whether all that it shows is theirs to see.
func (w *Workspace) mayOpen(ctx context.Context, who *identity.Caller, s *store.Snapshot) (bool, error) {
	if who.PersonID != 0 && s.MakerID == who.PersonID || who.Builder {
		return true, nil
	}
	if !s.Shared || s.Dashboard == "" {
		return false, nil
	}
	d, err := w.store.Document(ctx, Dashboard, s.Dashboard)
	if problem.Is(err, problem.NotFound) {
		return false, nil
	}
	return err == nil && rights.May(who, rights.See, thing(d)) == nil, err
}

// Snapshot opens a snapshot, for those who may see all that it shows: no more than they hold themselves, whoever
// made it. A builder's look at what another keeps to themselves is noted.
func (w *Workspace) Snapshot(ctx context.Context, who *identity.Caller, id int64) (*Snapshot, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, err
	}
	kept, err := w.store.Snapshot(ctx, id)
	if err != nil {
		return nil, err
	}
	may, err := w.mayOpen(ctx, who, kept)
	if err != nil {
		return nil, err
	}
	if !may {
		return nil, problem.New(problem.NotFound, "", "There is no such snapshot.")
	}
	out := &Snapshot{Snapshot: kept, May: who.Builder || who.PersonID != 0 && kept.MakerID == who.PersonID}
	if err := json.Unmarshal(kept.Frozen, &out.Frozen); err != nil {
		return nil, fmt.Errorf("read snapshot %d: %w", id, err)
	}
	if err := json.Unmarshal(kept.Notes, &out.Notes); err != nil {
		return nil, fmt.Errorf("read the notes of snapshot %d: %w", id, err)
	}
	if lacks := w.reader.Lacks(ctx, &out.Frozen, who.Viewer); len(lacks) > 0 {
		return nil, problem.New(problem.Forbidden, "", "This snapshot shows records of %s that you may not see. %s made it; you see your own on the dashboard “%s”.", joined(lacks), kept.Maker.Name, kept.About)
	}
	if w.keeps > 0 {
		until := kept.MadeAt.Add(w.keeps)
		out.Until = &until
	}
	if !kept.Shared && kept.MakerID != who.PersonID {
		return out, w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
			return tx.Audit(ctx, "looked at somebody else's snapshot", kept.Title+", made by "+kept.Maker.Name)
		})
	}
	return out, nil
}

// drawable opens a snapshot for those who may draw on it.
func (w *Workspace) drawable(ctx context.Context, who *identity.Caller, id int64) (*Snapshot, error) {
	s, err := w.Snapshot(ctx, who, id)
	if err == nil && !s.May {
		err = problem.New(problem.Forbidden, "", "This snapshot is %s's: only they and builders draw on it, share and remove it.", s.Maker.Name)
	}
	return s, err
}

// DrawOn keeps what is drawn on a snapshot, in the place of what was.
func (w *Workspace) DrawOn(ctx context.Context, who *identity.Caller, id int64, revision int, notes []snapshot.Note) error {
	s, err := w.drawable(ctx, who, id)
	if err != nil {
		return err
	}
	var widgets []string
	for _, x := range s.Frozen.Widgets {
		widgets = append(widgets, x.ID)
	}
	if err := snapshot.Check(notes, widgets); err != nil {
		return err
	}
	b, err := json.Marshal(slices.Concat([]snapshot.Note{}, notes))
	if err != nil {
		return err
	}
	return w.snapshotChange(ctx, who, s, "drew on the snapshot", func(tx *store.Tx) error { return tx.KeepNotes(ctx, id, revision, b) })
}

// ShareSnapshot has others look at a snapshot who may see the dashboard and all that it shows, or no longer.
func (w *Workspace) ShareSnapshot(ctx context.Context, who *identity.Caller, id int64, shared bool) error {
	s, err := w.drawable(ctx, who, id)
	if err != nil {
		return err
	}
	what := map[bool]string{true: "shared the snapshot", false: "kept to themselves the snapshot"}[shared]
	return w.snapshotChange(ctx, who, s, what, func(tx *store.Tx) error { return tx.ShareSnapshot(ctx, id, shared) })
}

// RemoveSnapshot forgets a snapshot.
func (w *Workspace) RemoveSnapshot(ctx context.Context, who *identity.Caller, id int64) error {
	s, err := w.drawable(ctx, who, id)
	if err != nil {
		return err
	}
	return w.snapshotChange(ctx, who, s, "removed the snapshot", func(tx *store.Tx) error { return tx.RemoveSnapshot(ctx, id) })
}

func (w *Workspace) snapshotChange(ctx context.Context, who *identity.Caller, s *Snapshot, did string, do func(*store.Tx) error) error {
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := do(tx); err != nil {
			return err
		}
		return tx.Audit(ctx, did, s.Title)
	})
}

// PassSnapshot shares a snapshot and tells a person or a team of it, with a line. Who may not see all that it shows is
// not told, and that is said.
func (w *Workspace) PassSnapshot(ctx context.Context, who *identity.Caller, id int64, to, note string) (said string, err error) {
	s, err := w.drawable(ctx, who, id)
	if err != nil {
		return "", err
	}
	if note = strings.TrimSpace(note); len([]rune(note)) > longestNote {
		return "", problem.New(problem.Invalid, "note", "A line has at most %d letters.", longestNote)
	}
	_, label, told, err := w.whom(ctx, to)
	if err != nil {
		return "", err
	}
	kept := *s.Snapshot
	kept.Shared = true
	var sees []int64
	var not []string
	for _, id := range told {
		they, err := identity.ByID(ctx, w.store, id)
		if problem.Is(err, problem.NotFound) || id == who.PersonID {
			continue
		}
		if err != nil {
			return "", err
		}
		may, err := w.mayOpen(ctx, they, &kept)
		if err != nil {
			return "", err
		}
		if !may || len(w.reader.Lacks(ctx, &s.Frozen, they.Viewer)) > 0 {
			not = append(not, they.Name)
			continue
		}
		sees = append(sees, id)
	}
	if len(sees) == 0 && len(not) == 0 {
		return "", problem.New(problem.Invalid, "whom", "Nobody but you would be told.")
	}
	said = label + " is told."
	if len(not) > 0 {
		said = fmt.Sprintf("%s may not see all that it shows, and %s not told.", joined(not), map[bool]string{true: "is", false: "are"}[len(not) == 1])
		if len(sees) > 0 {
			said = label + " is told, but " + said
		}
	}
	if len(sees) == 0 {
		return said, nil
	}
	return said, w.snapshotChange(ctx, who, s, "passed on the snapshot", func(tx *store.Tx) error {
		if err := tx.ShareSnapshot(ctx, id, true); err != nil {
			return err
		}
		return tx.Tell(ctx, sees, store.Notice{Kind: NoticeSnapshot, ByName: who.Name, Words: "passes the snapshot “" + s.Title + "” on to you", Note: note, Address: fmt.Sprint("/snapshots/", id)})
	})
}

// Compared is what has become of a widget since it was frozen.
type Compared struct {
	Title   string
	Trouble string // why it cannot be told
	Figures []ComparedFigures
}

// ComparedFigures are the figures of a measure, then and now.
type ComparedFigures struct {
	Label       string
	Differences []snapshot.Difference // those that are others now, as many as are told
	Same, More  int                   // how many are as they were, and how many others are not told
}

// Changed tells whether anything of it is another now.
func (c Compared) Changed() bool {
	return slices.ContainsFunc(c.Figures, func(f ComparedFigures) bool { return len(f.Differences) > 0 })
}

// mostDifferences is how many differences of a measure are told.
const mostDifferences = 25

// differing are figures then and now of which those are told that changed.
func differing(label string, all []snapshot.Difference) ComparedFigures {
	out := ComparedFigures{Label: label}
	for _, d := range all {
		switch {
		case d.Then == d.Now:
			out.Same++
		case len(out.Differences) == mostDifferences:
			out.More++
		default:
			out.Differences = append(out.Differences, d)
		}
	}
	return out
}

// CompareSnapshot sets what was frozen beside what is so now, as whoever asks sees it.
func (w *Workspace) CompareSnapshot(ctx context.Context, who *identity.Caller, id int64) (out []Compared, err error) {
	s, err := w.Snapshot(ctx, who, id)
	if err != nil {
		return nil, err
	}
	if s.Dashboard == "" {
		return nil, problem.New(problem.NotFound, "", "The dashboard “%s” is no longer there: there is nothing to compare with.", s.About)
	}
	o, err := w.Dashboard(ctx, who, s.Dashboard, false)
	if err != nil {
		return nil, err
	}
	state, _ := s.Frozen.State.Suiting(o.Doc)
	l, err := w.look(ctx, who, o, state)
	if err != nil {
		return nil, err
	}
	for _, x := range s.Frozen.Widgets {
		if len(x.Figures) == 0 {
			continue
		}
		one := Compared{Title: x.Answer.Title}
		now, err := l.view.FiguresOf(x.ID)
		if p := problem.Lasting(err); p != nil {
			one.Trouble = p.Words
			out = append(out, one)
			continue
		}
		if err != nil {
			return nil, err
		}
		for i, then := range x.Figures {
			var points []alert.Point
			if i < len(now) {
				points = now[i].Points
			}
			one.Figures = append(one.Figures, differing(then.Label, snapshot.Compare(then.Points, points)))
		}
		out = append(out, one)
	}
	return out, nil
}
