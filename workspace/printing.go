package workspace

import (
	"context"
	"crypto/rand"
	"slices"
	"sync"
	"time"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
)

// A Print is what is printed, for the browser that prints it.
type Print struct {
	Dashboard string
	Title     string
	Draft     bool
	Pages     []string // their titles
	Only      []string // the widgets that are printed, by their ids; all of them when there are none
	State     dashboard.State
	For       string // who takes it away
	At        time.Time
	Bearer    string // what the browser asks with, until it has ended
	who       *identity.Caller
}

// printing is what is being printed. It is known to this process alone, whose browser it is.
type printing struct {
	mu      sync.Mutex
	tickets map[string]*Print // each is taken once
	bearers map[string]*identity.Caller
}

// by is for whom a browser asks that has been let in.
func (p *printing) by(bearer string) *identity.Caller {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.bearers[bearer]
}

// Print readies pages of a dashboard to be printed as somebody sees them: all of its pages, or those
// that are named, and of these some widgets where any is named, with its lists whole or as they are on the screen. The ticket lets one browser in, once, until it has ended.
func (w *Workspace) Print(ctx context.Context, who *identity.Caller, name string, draft bool, state dashboard.State, pages, only []string, whole bool) (p *Print, ticket string, end func(), err error) {
	l, err := w.Look(ctx, who, name, draft, state)
	if err == nil {
		err = rights.May(who, rights.TakeAway, l.thing())
	}
	if err != nil {
		return nil, "", nil, err
	}
	p = &Print{Dashboard: l.Doc.Name, Title: l.Doc.Title, Draft: draft, State: state, Only: only, For: who.Signs(), At: w.Now(), Bearer: rand.Text()}
	for _, on := range l.Doc.Pages {
		if len(pages) == 0 || slices.Contains(pages, on.Title) {
			p.Pages = append(p.Pages, on.Title)
		}
	}
	if len(p.Pages) == 0 {
		return nil, "", nil, problem.New(problem.Missing, "print", "Choose a page to print.")
	}
	if err := w.took(ctx, who, "pages", l.Doc.Title); err != nil {
		return nil, "", nil, err
	}
	they := *who
	they.Printing, they.Whole, they.CSRF = true, whole, ""
	p.who = &they
	ticket = rand.Text()
	w.printing.mu.Lock()
	defer w.printing.mu.Unlock()
	w.printing.tickets[ticket] = p
	return p, ticket, func() {
		w.printing.mu.Lock()
		defer w.printing.mu.Unlock()
		delete(w.printing.tickets, ticket)
		delete(w.printing.bearers, p.Bearer)
	}, nil
}

// TakeTicket lets the browser in that prints.
func (w *Workspace) TakeTicket(ticket string) (*Print, error) {
	w.printing.mu.Lock()
	defer w.printing.mu.Unlock()
	p := w.printing.tickets[ticket]
	if p == nil {
		return nil, problem.New(problem.NotFound, "", "There is nothing to print here.")
	}
	delete(w.printing.tickets, ticket)
	w.printing.bearers[p.Bearer] = p.who
	return p, nil
}
