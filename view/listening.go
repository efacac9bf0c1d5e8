package view

import (
	"maps"
	"slices"

	"eskadel/core/dashboard"
	"eskadel/live"
)

// A Listening is told which widgets of a dashboard have changed.
type Listening struct {
	sub     *live.Subscription
	widgets []dashboard.Widget
	depends map[string]map[string]bool
}

// Listen begins to listen for changes of what some widgets show. What one widget cannot tell
// of itself does not keep the others from being listened for.
func (v *View) Listen(widgets []dashboard.Widget) (*Listening, error) {
	depends, concerns, err := v.Tables(widgets)
	if err != nil && len(depends) == 0 {
		return nil, err
	}
	return &Listening{v.Engine.Hub.Subscribe(concerns), widgets, depends}, nil
}

// Close ends it.
func (l *Listening) Close() { l.sub.Close() }

// C is ready when Take has something.
func (l *Listening) C() <-chan struct{} { return l.sub.C() }

// Take returns which widgets have changed since the last time, and whether changes are no
// longer heard.
func (l *Listening) Take() (changed []string, lost bool) {
	e := l.sub.Take()
	changed = []string{}
	for _, w := range l.widgets {
		for t := range l.depends[w.ID] {
			if e.Tables[t] {
				changed = append(changed, w.ID)
				break
			}
		}
	}
	return changed, e.Lost
}

// A Hearing is told of changes of tables, and of whom each concerns.
type Hearing struct {
	sub *live.Subscription
	of  map[string][]int64
}

// Hears begins to listen for changes of tables, each with numbers of what they concern.
func (e *Reader) Hears(tables map[string][]int64) *Hearing {
	concerns := map[string]live.Concern{}
	for t := range tables {
		concerns[t] = nil
	}
	return &Hearing{e.Hub.Subscribe(concerns), tables}
}

// Close ends it, C is ready when Take has something.
func (h *Hearing) Close()             { h.sub.Close() }
func (h *Hearing) C() <-chan struct{} { return h.sub.C() }

// Take returns the numbers that changes have concerned since the last time.
func (h *Hearing) Take() (out []int64) {
	for t := range h.sub.Take().Tables {
		for _, n := range h.of[t] {
			if !slices.Contains(out, n) {
				out = append(out, n)
			}
		}
	}
	return out
}

// TablesOf are the tables whose changes concern a widget, as the hub calls them.
func (v *View) TablesOf(w *dashboard.Widget) []string {
	depends, _, err := v.Tables([]dashboard.Widget{*w})
	if err != nil {
		return nil
	}
	return slices.Sorted(maps.Keys(depends[w.ID]))
}
