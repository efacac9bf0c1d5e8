package view

import (
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
