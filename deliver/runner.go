// Package deliver does what is done by itself: it looks what is due, writes letters and messages with what their
// receivers may see, and hands them over, once each. Any number of instances do it side by side; what is to be done
// stands in Eskadel's database (package workspace), and nothing in a process.
package deliver

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"time"

	"eskadel/core/delivery"
	"eskadel/core/problem"
	"eskadel/deliver/chat"
	"eskadel/deliver/letter"
	"eskadel/deliver/print"
	"eskadel/deliver/sheet"
	"eskadel/mail"
	"eskadel/observe"
	"eskadel/view"
	"eskadel/workspace"
)

const (
	looks   = 5 * time.Second  // how often it is looked what is due
	holds   = 30 * time.Second // how often a run that is being done is held on to
	rests   = 1100 * time.Millisecond
	workers = 2 // runs that an instance does at once
)

// A Runner does it.
type Runner struct {
	Workspace *workspace.Workspace
	Mail      *mail.Mailer // nil where no letters are sent
	Chat      *chat.Sender
	Printer   *print.Printer
}

// Run does what is due until ctx ends.
func (r *Runner) Run(ctx context.Context) {
	wake := make(chan struct{}, workers)
	soon := func() {
		select {
		case wake <- struct{}{}:
		default:
		}
	}
	r.Workspace.OnWork(soon)
	var all sync.WaitGroup
	all.Go(func() {
		r.Workspace.Watched(ctx, func() {
			soon()
			time.AfterFunc(rests, soon) // those that looked just now rest for a moment
		})
	})
	for range workers {
		all.Go(func() {
			tick := time.NewTicker(looks)
			defer tick.Stop()
			for ctx.Err() == nil {
				did, err := r.Once(ctx)
				if err != nil && ctx.Err() == nil {
					slog.Warn("what is to be delivered cannot be looked at", "error", err)
				}
				if did && err == nil {
					continue
				}
				select {
				case <-ctx.Done():
				case <-wake:
				case <-tick.C:
				}
			}
		})
	}
	all.Wait()
}

// Once looks what is due, and does one thing that is; false where there is nothing.
func (r *Runner) Once(ctx context.Context) (did bool, err error) {
	if err := r.Workspace.Plan(ctx); err != nil {
		return false, err
	}
	looked := false
	err = safely(func() (err error) {
		looked, err = r.Workspace.LookAtAlerts(ctx)
		return err
	})
	if err != nil {
		slog.Warn("an alert cannot look at what it watches", "error", err)
	}
	run, err := r.Workspace.Take(ctx)
	if run == nil || err != nil || len(run.Letters) == 0 && run.Errand.Keeper.Ended() {
		return looked || run != nil, err
	}
	began := time.Now()
	err = r.do(ctx, run)
	if ctx.Err() != nil {
		return true, nil // another instance takes it up, or this one when it starts again
	}
	if e := r.Workspace.Finish(ctx, run); err == nil {
		err = e
	}
	observe.Delivered(time.Since(began))
	return true, err
}

// safely does something of which a mistake of the program ends this and nothing else: others wait to be told.
func safely(do func() error) (err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("a mistake of the program: %v\n%s", p, debug.Stack())
		}
	}()
	return do()
}

// do sends what a run has to tell, to one receiver after the other.
func (r *Runner) do(ctx context.Context, run *workspace.Run) error {
	done := make(chan struct{})
	defer close(done)
	go func() {
		tick := time.NewTicker(holds)
		defer tick.Stop()
		for {
			select {
			case <-done:
				return
			case <-tick.C:
				if err := r.Workspace.Hold(ctx, run); err != nil {
					slog.Warn("what is being delivered cannot be held on to", "error", err)
				}
			}
		}
	}()
	written := map[string]*written{}
	for i := range run.Letters {
		l := &run.Letters[i]
		if l.State != "waiting" || l.TryAt.After(time.Now()) {
			continue
		}
		nothing := ""
		err := safely(func() (err error) {
			nothing, err = r.tell(ctx, run, l, written)
			return err
		})
		if ctx.Err() != nil && l.State == "waiting" {
			return ctx.Err()
		}
		if errors.Is(err, workspace.ErrElsewhere) {
			l.State = "handed"
			continue
		}
		// What became of it is noted even when everything ends just now.
		if err := r.Workspace.Settle(context.WithoutCancel(ctx), l, nothing, err); err != nil {
			return err
		}
		observe.Letter(l.State)
	}
	return nil
}

// written is what all get who see the same.
type written struct {
	body  *letter.Body
	files []mail.File
	err   error
}

// tell tells one receiver, or says that there is nothing to tell.
func (r *Runner) tell(ctx context.Context, run *workspace.Run, l *workspace.Letter, known map[string]*written) (nothing string, err error) {
	out, err := r.Workspace.Outgoing(ctx, run, l)
	if err != nil {
		return "", err
	}
	if out.Channel == nil && r.Mail == nil {
		return "", problem.New(problem.Forbidden, "", "No letters are sent from here: no mail server is set up (ESKADEL_MAIL).")
	}
	says := run.SaysTo(l.Who)
	key := strings.Join(append([]string{out.Key}, says...), "\n")
	w := known[key]
	if w == nil {
		w = &written{}
		w.body, w.err = r.write(run, out, says)
		known[key] = w
	}
	if w.err != nil {
		return "", w.err
	}
	trial := run.Why == "trial"
	if !w.body.Some && out.Order.Only != "" && !trial {
		return "There was nothing to show.", nil
	}
	if out.Order.Only == delivery.Changed && !trial {
		if same, err := r.Workspace.Same(ctx, run, l, w.body.Shown); err != nil || same {
			return "Nothing has changed since the last time.", err
		}
	}
	handing := func() error { return r.Workspace.Hand(ctx, l, w.body.Shown) }
	id := fmt.Sprintf("eskadel-%d-%d", run.ID, l.ID)
	to := letter.To{Why: why(run, out), As: out.As, Address: out.Address, Leave: out.Leave}
	if out.Channel != nil {
		m := chat.Message{ID: id, Title: out.Errand.Title, Text: w.body.Text(to), Link: out.Address, At: r.Workspace.Now()}
		for i := range w.body.Parts {
			m.Parts = append(m.Parts, chat.Part{Title: w.body.Parts[i].Title, Text: w.body.Parts[i].Text()})
		}
		return "", r.Chat.Send(ctx, out.Channel.Address, fmt.Sprint(out.Channel.ID), out.Channel.Secret, m, handing)
	}
	if w.files == nil {
		if w.files, err = r.attach(ctx, out); err != nil {
			return "", err
		}
	}
	m, err := w.body.Letter(to)
	if err != nil {
		return "", err
	}
	m.Name, m.To, m.Files, m.ID = out.Name, out.Email, w.files, id+"@"+r.Workspace.MailHost()
	m.Subject = out.Errand.Title + ", " + r.Workspace.Calendar().Manner.Day(r.Workspace.Now())
	if len(says) > 0 {
		m.Subject = out.Errand.Title + ": " + says[0]
	}
	if trial {
		m.Subject = "Trial: " + m.Subject
	}
	return "", r.Mail.Send(ctx, m, handing)
}

// why says to its receiver why they get it.
func why(run *workspace.Run, out *workspace.Outgoing) string {
	if run.Why == "trial" {
		return "You are trying this: nobody else got it."
	}
	if out.Errand.Kind == "alert" {
		return "You are told of this by an alert that " + out.Errand.Keeper.Name + " keeps."
	}
	said := "This comes " + out.Order.Schedule.Words() + "; " + out.Errand.Keeper.Name + " keeps it."
	if run.Why == "now" {
		said += " " + run.AskedBy + " sent it just now."
	}
	return said
}

// write writes what a receiver sees.
func (r *Runner) write(run *workspace.Run, out *workspace.Outgoing, says []string) (*letter.Body, error) {
	parts, err := out.Parts()
	if err != nil {
		return nil, err
	}
	reads, err := out.Reads()
	if err != nil {
		return nil, err
	}
	notes := append(slices.Clone(says), out.Order.Note)
	if run.Late && len(says) == 0 {
		notes = append(notes, "This is late: it was due "+r.Workspace.Calendar().Manner.Time(run.DueAt.In(r.Workspace.Calendar().Zone))+".")
	}
	if run.Missed > 0 {
		notes = append(notes, fmt.Sprintf("%d before it %s left out.", run.Missed, map[bool]string{true: "was", false: "were"}[run.Missed == 1]))
	}
	if out.Lost {
		notes = append(notes, "The dashboard has changed: not all that it was narrowed to suits it any more.")
	}
	for _, as := range out.Order.As {
		if as != delivery.Pictures && !out.MayTakeAway() {
			notes = append(notes, "Files are left out: readers of this dashboard may not take it away.")
			break
		}
	}
	return letter.Write(out.Errand.Title, notes, reads, parts, letter.How{Pictures: slices.Contains(out.Order.As, delivery.Pictures), Sentences: out.Errand.Kind == "alert"})
}

// attach makes the files that go with a letter. An empty list is one, too.
func (r *Runner) attach(ctx context.Context, out *workspace.Outgoing) ([]mail.File, error) {
	files := []mail.File{}
	if !out.MayTakeAway() {
		return files, nil
	}
	for _, as := range out.Order.As {
		switch as {
		case delivery.Pictures:
		case delivery.PDF:
			b, err := r.paper(ctx, out)
			if err != nil {
				return nil, err
			}
			files = append(files, mail.File{Name: workspace.Slug(out.Errand.Title) + ".pdf", Type: "application/pdf", Bytes: b})
		default:
			more, err := figures(out, as)
			if err != nil {
				return nil, err
			}
			files = append(files, more...)
		}
	}
	return files, nil
}

// paper is the page as a PDF.
func (r *Runner) paper(ctx context.Context, out *workspace.Outgoing) ([]byte, error) {
	if err := r.Printer.Ready(); err != nil {
		return nil, err
	}
	p, ticket, end, err := r.Workspace.Print(ctx, out.Caller, out.Doc.Name, false, out.State, []string{out.Page.Title}, out.Order.Widgets, true)
	if err != nil {
		return nil, err
	}
	defer end()
	how, err := print.How{Kind: "pdf"}.Whole()
	if err != nil {
		return nil, err
	}
	how.Foot = p.Title + " · " + p.For + ", " + r.Workspace.Calendar().Manner.Time(p.At)
	return r.Printer.Print(ctx, "/print/"+ticket, how, func(int64, int64) error { return ctx.Err() })
}

// figures are the figures of what is shown: one spreadsheet with a sheet for each part, or a file for each.
func figures(out *workspace.Outgoing, kind string) (files []mail.File, err error) {
	k, err := sheet.KindOf(kind)
	if err != nil {
		return nil, err
	}
	all, err := out.PageFigures(out.Page.Title, out.Order.Widgets, true, k.Name)
	if problem.Is(err, problem.NotFound) {
		return nil, nil // nothing in it is a table of figures
	}
	if err != nil {
		return nil, err
	}
	write := func(name string, of []*view.Leaving) error {
		var b strings.Builder
		if err := sheet.Leaving(of, k, &b); err != nil {
			return err
		}
		files = append(files, mail.File{Name: workspace.Slug(name) + "." + k.Ending, Type: k.Type, Bytes: []byte(b.String())})
		return nil
	}
	if k.Ending == "xlsx" {
		err = write(out.Errand.Title, all)
		return files, err
	}
	for i, one := range all {
		if err := write(fmt.Sprintf("%d %s", i+1, one.Title), all[i:i+1]); err != nil {
			return nil, err
		}
	}
	return files, nil
}
