package alert

import (
	"fmt"
	"maps"
	"slices"
	"time"
)

// A Mark is what is known of a point, or of the silence of records.
type Mark struct {
	Label string     `json:"label"`
	Text  string     `json:"text"`            // as it was shown last
	Since time.Time  `json:"since"`           // when it was first seen so
	Told  *time.Time `json:"told,omitempty"`  // when it was told
	Again bool       `json:"again,omitempty"` // it was told again, since it lasted
	Back  bool       `json:"back,omitempty"`  // it is no longer so, which has not been told
}

// Known is what is known from before. The zero value is nothing yet.
type Known struct {
	Marks map[string]Mark `json:"marks,omitempty"`
	Seen  []string        `json:"seen,omitempty"` // the records, by their keys, in order
	Began bool            `json:"began,omitempty"`
	Last  time.Time       `json:"last,omitzero"` // when the last record came
}

// A Record is one that is watched.
type Record struct{ Key, Name string }

// Seen is what is there now: points, or records.
type Seen struct {
	Points  []Point
	Records []Record
}

// Kinds of events.
const (
	Fired     = "fired"
	Recovered = "recovered"
	Lasts     = "lasts"
	Came      = "came"
)

// An Event is told.
type Event struct {
	Kind  string    `json:"kind"`
	Words string    `json:"words"`
	Since time.Time `json:"since"`
}

// MostNamed is how many new records are told by name.
const MostNamed = 10

// silence is the mark of records that do not come.
const silence = "silence"

// Step goes from what is known to what is seen at a moment, and says what is to be told of it. While it is quiet
// nothing is told; what still is so when it ends is told then.
func (w Watch) Step(before Known, seen Seen, at time.Time, quiet bool) (after Known, told []Event) {
	after = Known{Marks: map[string]Mark{}, Seen: before.Seen, Began: true, Last: before.Last}
	now := map[string]Point{}
	if w.Points() {
		for _, p := range seen.Points {
			if _, twice := now[p.Key]; !twice && w.Meets(p) {
				now[p.Key] = p
			}
		}
	} else if event := after.records(w, before, seen, at, quiet); event != nil {
		told = append(told, *event)
	}
	if w.When == Silent && at.Sub(after.Last) >= time.Duration(w.Hours)*time.Hour {
		now[silence] = Point{Key: silence, Label: "It", Text: "the last came " + after.Last.Format("2 Jan 2006, 15:04")}
	}
	labels := map[string]Point{}
	for _, p := range seen.Points {
		labels[p.Key] = p
	}
	for _, key := range slices.Sorted(maps.Keys(union(before.Marks, now))) {
		mark, known := before.Marks[key]
		p, is := now[key]
		event := ""
		switch {
		case is && !known:
			mark = Mark{Since: at}
		case is && mark.Back:
			mark.Back = false
		case !is && mark.Told == nil: // nobody heard of it
			continue
		case !is:
			mark.Back = true
			if last, there := labels[key]; there {
				mark.Text = last.Text
			} else if w.Points() {
				mark.Text = "no longer there"
			} else {
				mark.Text = "a record came"
			}
		}
		if is {
			mark.Label, mark.Text = p.Label, p.Text
		}
		if !quiet {
			switch {
			case mark.Back:
				told = append(told, Event{Recovered, fmt.Sprintf("%s no longer %s: %s", mark.Label, w.Words(), mark.Text), mark.Since})
				continue
			case mark.Told == nil:
				event = Fired
				mark.Told = &at
			case w.After > 0 && !mark.Again && at.Sub(*mark.Told) >= time.Duration(w.After)*time.Minute:
				event = Lasts
				mark.Again = true
			}
		}
		after.Marks[key] = mark
		if event != "" {
			told = append(told, Event{event, w.says(p), mark.Since})
		}
	}
	return after, told
}

// records notes which records are there, and says which are new. Those that are there at first are not.
func (k *Known) records(w Watch, before Known, seen Seen, at time.Time, quiet bool) *Event {
	known := map[string]bool{}
	for _, key := range before.Seen {
		known[key] = true
	}
	var fresh []Record
	keys := make([]string, 0, len(seen.Records))
	for _, r := range seen.Records {
		if !known[r.Key] && before.Began {
			fresh = append(fresh, r)
			if quiet && w.When == Comes {
				continue // it is new until it can be told
			}
		}
		keys = append(keys, r.Key)
	}
	slices.Sort(keys)
	k.Seen = slices.Compact(keys)
	if !before.Began || len(fresh) > 0 {
		k.Last = at
	}
	if w.When != Comes || quiet || len(fresh) == 0 {
		return nil
	}
	words := counted(len(fresh), "new record") + ": "
	for i, r := range fresh[:min(len(fresh), MostNamed)] {
		if i > 0 {
			words += ", "
		}
		words += r.Name
	}
	if more := len(fresh) - MostNamed; more > 0 {
		words += fmt.Sprintf(" and %d more", more)
	}
	return &Event{Came, words, at}
}

func union(marks map[string]Mark, now map[string]Point) map[string]bool {
	out := map[string]bool{}
	for k := range marks {
		out[k] = true
	}
	for k := range now {
		out[k] = true
	}
	return out
}

// Due is when it is to be looked at next though nothing changes; zero for no moment of its own. what is quiet
// is looked at when that ends.
func (w Watch) Due(k Known, at time.Time) (next time.Time) {
	soonest := func(t time.Time) {
		if t.After(at) && (next.IsZero() || t.Before(next)) {
			next = t
		}
	}
	for _, m := range k.Marks {
		if m.Told != nil && !m.Again && w.After > 0 {
			soonest(m.Told.Add(time.Duration(w.After) * time.Minute))
		}
	}
	if w.When == Silent {
		soonest(k.Last.Add(time.Duration(w.Hours) * time.Hour))
	}
	return next
}
