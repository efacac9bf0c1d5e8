package dashboard

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
)

// Told says of a dashboard's widgets what they are called and what they say.
type Told interface {
	Called(w *Widget) string
	Says(w *Widget) string
}

// Changes says in words what is different between two states of a dashboard.
func Changes(was, is *Document, before, after Told) (out []string) {
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	part := func(what, was, is string) {
		switch {
		case was == is:
		case was == "":
			say("%s is added: “%s”.", what, is)
		case is == "":
			say("%s is taken away, which was “%s”.", what, was)
		default:
			say("%s is “%s”, was “%s”.", what, is, was)
		}
	}
	part("The title", was.Title, is.Title)
	part("What it answers", was.Answers, is.Answers)
	if was.About != is.About {
		say("What is told of it on request is another.")
	}
	other := renamed(was, is)
	pages(was, is, other, say)
	for _, w := range was.Widgets() {
		if x, err := is.Widget(w.ID); err != nil || x.kind() != w.kind() {
			say("“%s” is taken off %s.", before.Called(&w), was.PageOf(w.ID).Title)
		}
	}
	moved := map[string]bool{}
	for p := range is.Pages {
		page := &is.Pages[p]
		for i := range page.Widgets {
			w := &page.Widgets[i]
			old, err := was.Widget(w.ID)
			if err != nil || old.kind() != w.kind() {
				say("“%s” is added to %s%s.", after.Called(w), page.Title, ending(after.Says(w)))
				continue
			}
			if from := was.PageOf(w.ID); from.Title != page.Title && other[from.Title] != page.Title {
				say("“%s” stands on %s, no longer on %s.", after.Called(w), page.Title, from.Title)
			} else if old.At != w.At {
				moved[page.Title] = true
			}
			widget(old, w, before, after, say)
		}
	}
	for _, p := range is.Pages {
		if moved[p.Title] {
			say("Widgets of %s are placed or sized anew.", p.Title)
		}
	}
	filters(was, is, say)
	throughs(was, is, say)
	if !same(was.Theme, is.Theme) {
		say("Its colours or letters are others.")
	}
	for _, a := range Allowances() {
		switch before, after := slices.Contains(was.ViewersMay, a.Name), slices.Contains(is.ViewersMay, a.Name); {
		case after && !before:
			say("Readers may %s.", a.Words)
		case before && !after:
			say("Readers may no longer %s.", a.Words)
		}
	}
	return out
}

// Differing are the ids of the widgets of a state that another has not, or has otherwise.
func Differing(is, other *Document) []string {
	out := []string{}
	for _, w := range is.Widgets() {
		if x, err := other.Widget(w.ID); err != nil || !same(w, *x) {
			out = append(out, w.ID)
		}
	}
	return out
}

// kind tells charts, charts of the library and texts apart.
func (w *Widget) kind() string {
	switch {
	case w.Chart == nil:
		return "text"
	case w.Chart.Library != "":
		return "library/" + w.Chart.Library
	}
	return "chart"
}

func ending(says string) string {
	if says == "" {
		return ""
	}
	return ": " + says
}

// renamed are the pages that have another title but widgets of the same ids.
func renamed(was, is *Document) map[string]string {
	out := map[string]string{}
	for _, p := range was.Pages {
		if _, err := is.at(p.Title); err == nil {
			continue
		}
		for _, q := range is.Pages {
			if _, err := was.at(q.Title); err == nil || len(q.Widgets) == 0 {
				continue
			}
			if slices.ContainsFunc(p.Widgets, func(w Widget) bool {
				return slices.ContainsFunc(q.Widgets, func(x Widget) bool { return w.ID == x.ID })
			}) {
				out[p.Title] = q.Title
			}
		}
	}
	return out
}

func pages(was, is *Document, other map[string]string, say func(string, ...any)) {
	var before, after []string
	for _, p := range was.Pages {
		_, err := is.at(p.Title)
		switch title, ok := other[p.Title]; {
		case ok:
			say("The page %s is called %s.", p.Title, title)
			before = append(before, title)
		case err != nil:
			say("The page %s is taken off.", p.Title)
		default:
			before = append(before, p.Title)
		}
	}
	for _, p := range is.Pages {
		if slices.Contains(before, p.Title) {
			after = append(after, p.Title)
		} else {
			say("The page %s is added.", p.Title)
		}
	}
	if !slices.Equal(before, after) {
		say("The pages stand in another order: %s.", strings.Join(after, ", "))
	}
}

// widget says what is different about one.
func widget(was, is *Widget, before, after Told, say func(string, ...any)) {
	called := after.Called(is)
	switch {
	case is.Chart == nil:
		if was.Text != is.Text {
			say("“%s” says something else.", called)
		}
	case is.Chart.Library != "":
		if is.Chart.Version != was.Chart.Version {
			say("“%s” is version %d of the library's, was %d.", called, is.Chart.Version, was.Chart.Version)
		}
	default:
		one, two := before.Says(was), after.Says(is)
		switch old := before.Called(was); {
		case one != two:
			say("“%s” is %s; was %s.", called, two, one)
		case old != called:
			say("“%s” is called “%s”.", old, called)
		case !same(was.Chart, is.Chart):
			say("“%s” is finished otherwise.", called)
		}
	}
	if !same(was.AnswersTo, is.AnswersTo) {
		say("“%s” answers to filters otherwise.", called)
	}
	if !same(was.Click, is.Click) {
		say("A click on “%s” does something else to others.", called)
	}
	if !same(was.Drill, is.Drill) {
		say("A drill down from “%s” leads elsewhere.", called)
	}
	switch {
	case is.Waits && !was.Waits:
		say("“%s” shows nothing until a click reaches it.", called)
	case was.Waits && !is.Waits:
		say("“%s” is shown from the beginning.", called)
	}
	if was.Scale != is.Scale {
		if is.Scale == "" {
			say("“%s” has a scale of its own.", called)
		} else {
			say("“%s” shares the scale “%s”.", called, is.Scale)
		}
	}
}

func filters(was, is *Document, say func(string, ...any)) {
	var before, after []string
	for _, f := range was.Filters {
		if is.Filter(f.Name) == nil {
			say("The filter “%s” is taken off.", f.Called())
		} else {
			before = append(before, f.Name)
		}
	}
	for _, f := range is.Filters {
		old := was.Filter(f.Name)
		if old == nil {
			say("The filter “%s” is added.", f.Called())
			continue
		}
		after = append(after, f.Name)
		if old.Called() != f.Called() {
			say("The filter “%s” is called “%s”.", old.Called(), f.Called())
		}
		if !same(old.Default, f.Default) {
			say("The filter “%s” begins with something else.", f.Called())
		}
		if !slices.Equal(old.Pages, f.Pages) {
			say("The filter “%s” stands on other pages.", f.Called())
		}
		if old.Shown != f.Shown {
			say("The filter “%s” %s.", f.Called(), map[string]string{"": "stands in the reading line", Offered: "is added by readers themselves", Hidden: "is hidden from readers"}[f.Shown])
		}
		if old.One != f.One || !same(old.Fields, f.Fields) || old.Field != f.Field || old.Kind != f.Kind {
			say("The filter “%s” narrows otherwise.", f.Called())
		}
	}
	if !slices.Equal(before, after) {
		say("The filters stand in another order.")
	}
}

func throughs(was, is *Document, say func(string, ...any)) {
	for _, t := range was.Through {
		if _, err := is.ThroughOf(t.Name); err != nil {
			say("No way leads to %s any more.", t.To.called())
		}
	}
	for _, t := range is.Through {
		old, err := was.ThroughOf(t.Name)
		switch {
		case err != nil:
			say("A way leads from marks to %s.", t.To.called())
		case old.To != t.To:
			say("A way leads to %s, no longer to %s.", t.To.called(), old.To.called())
		case !same(*old, t):
			say("The way to %s leads from other marks, or carries other fields.", t.To.called())
		}
	}
}

// called is what a target is called where nothing but the document is known.
func (t Target) called() string {
	switch {
	case t.Host != "":
		return t.Host
	case t.Page != "" && t.Dashboard != "":
		return t.Page + " of " + t.Dashboard
	}
	return cmp.Or(t.Page, t.Dashboard)
}

// same tells whether two parts are written down alike.
func same(a, b any) bool {
	if reflect.DeepEqual(a, b) {
		return true
	}
	one, err1 := json.Marshal(a)
	two, err2 := json.Marshal(b)
	return err1 == nil && err2 == nil && bytes.Equal(one, two)
}
