package workspace

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"time"

	"eskadel/core/dashboard"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/proof"
	"eskadel/core/rule"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
	"eskadel/view"
)

// MarkMenu tells what may be done with a mark of a widget.
func (l *Look) MarkMenu(widget string) (*view.MarkMenu, error) {
	return l.view.MarkMenu(widget, l.target)
}

// target finds what a way leads to, as readers see it.
func (l *Look) target(name string) (*dashboard.Document, error) {
	o, err := l.w.Dashboard(l.ctx, l.who, name, false)
	if err != nil {
		return nil, err
	}
	return o.Doc, nil
}

// A Passage is where a drill-through leads: to an address of the host app, or to a dashboard as it is
// looked at, of which View is the short name.
type Passage struct {
	*view.Passage
	View string
}

// Follow follows a way from a mark of a widget.
func (l *Look) Follow(widget string, mark marks.Reference, way string) (*Passage, error) {
	p, err := l.view.Follow(widget, mark, way, l.target)
	if err != nil || p.Address != "" {
		return &Passage{Passage: p}, err
	}
	to := l.kept
	if p.Dashboard != "" {
		if to, err = l.w.seen(l.ctx, l.who, p.Dashboard); err != nil {
			return nil, err
		}
	}
	out := &Passage{Passage: p}
	p.Dashboard = to.Name
	out.View, err = l.w.keepView(l.ctx, to, p.State)
	return out, err
}

// Keep keeps how the dashboard is looked at now by a short name; "" is the standard view.
func (l *Look) Keep() (string, error) { return l.w.keepView(l.ctx, l.kept, l.state) }

// mostState is how many bytes a view has at most.
const mostState = 200_000

func (w *Workspace) keepView(ctx context.Context, d *store.Document, state dashboard.State) (string, error) {
	b, err := json.Marshal(state)
	if err != nil || string(b) == "{}" {
		return "", err
	}
	if len(b) > mostState {
		return "", problem.New(problem.TooMany, "state", "So many choices cannot be kept: lift some.")
	}
	sum := sha256.Sum256(b)
	id := base64.RawURLEncoding.EncodeToString(sum[:12])
	return id, w.store.KeepView(ctx, d.ID, id, b)
}

// ViewOf is how a dashboard that somebody may see was looked at, by its short name: as much of it as
// still suits what they are shown, the standard view where there is none of that name. lost tells
// whether something of it does not.
func (w *Workspace) ViewOf(ctx context.Context, who *identity.Caller, o *Opened, id string) (state dashboard.State, lost bool, err error) {
	if err := rights.May(who, rights.See, thing(o.kept)); err != nil && who.Author {
		return state, false, err
	}
	b, err := w.store.View(ctx, o.kept.ID, id)
	if problem.Is(err, problem.NotFound) {
		return state, true, nil
	}
	if err != nil {
		return state, false, err
	}
	if err := problem.Decode(b, &state); err != nil {
		return dashboard.State{}, true, nil
	}
	state, lost = state.Suiting(o.Doc)
	return state, lost, nil
}

// Why takes the difference between two marks of a widget apart.
func (l *Look) Why(widget string, two view.Two) (*view.Why, error) { return l.view.Why(widget, two) }

// A WhySide is the records of one side of a difference.
type WhySide struct {
	Before bool
	Field  string     // by which it was taken apart, with one of its values; "" for all of them
	Key    *marks.Key // the value
	Only   bool       // those that are at this side only
}

// WhyRecords lists the records of one side of a difference.
func (l *Look) WhyRecords(widget string, two view.Two, of WhySide, p Paging) (*view.Page, error) {
	if err := rights.May(l.who, rights.Records, l.thing()); err != nil {
		return nil, err
	}
	return l.view.WhyRecords(widget, two, of.Before, of.Field, of.Key, of.Only, p)
}

// Prove says how the figure of a mark comes about.
func (l *Look) Prove(widget string, mark marks.Reference, words string) (*proof.Proof, error) {
	if err := rights.May(l.who, rights.Records, l.thing()); err != nil {
		return nil, err
	}
	signer := l.w.store.Signer()
	p, err := l.view.Prove(widget, mark, signer)
	if err != nil {
		return nil, err
	}
	p.Made, p.By, p.Key, p.Title, p.Words = time.Now().UTC(), l.who.Signs(), signer.ID, l.Doc.Title, words
	if rights.Ever(l.who, rights.Make) != nil { // how tables are called is not for viewers
		p.Statements = nil
	}
	return p, nil
}

// ProofFile is a proof as a signed file.
func (l *Look) ProofFile(p *proof.Proof) ([]byte, error) { return p.Write(l.w.store.Signer().Sign) }

// CheckProof works a proof out again, under the rules of whoever it was made for, and says what is
// other now; none where it is the same.
func (w *Workspace) CheckProof(ctx context.Context, who *identity.Caller, file []byte) (was *proof.Proof, changes []string, err error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, nil, err
	}
	var signer store.Signer
	var unknown error
	was, err = proof.Read(file, func(key string, body []byte, signature string) bool {
		signer, unknown = w.store.SignerOf(key)
		return unknown == nil && signer.Signed(body, signature)
	})
	if err != nil {
		if p := problem.Of(err); unknown != nil && p != nil && p.Code == problem.Forbidden {
			return nil, nil, p.Because(unknown)
		}
		return nil, nil, err
	}
	kept, err := w.store.Document(ctx, Dashboard, was.Dashboard)
	if err != nil {
		return was, nil, err
	}
	doc, err := w.draft(ctx, kept)
	if was.DashboardVersion > 0 {
		doc, err = w.published(ctx, kept, was.DashboardVersion)
	}
	if err != nil {
		return was, nil, err
	}
	viewer := rule.Viewer{ID: was.Viewer.ID, Name: was.Viewer.Name, Roles: was.Viewer.Roles, Attributes: was.Viewer.Attributes, Builder: was.Viewer.Builder}
	v, err := w.reader.NewView(ctx, doc, was.DashboardVersion, viewer, was.State)
	if err != nil {
		return was, nil, err
	}
	v.Free = true // by whatever it was taken apart
	now, err := v.Prove(was.Widget, was.Mark, signer)
	if err != nil {
		return was, nil, err
	}
	return was, was.Changes(now), nil
}
