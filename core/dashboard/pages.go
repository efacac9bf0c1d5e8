package dashboard

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"eskadel/core/problem"
)

// MostPages is how many pages a dashboard may be given by hand.
const MostPages = 20

// longestTitle is how many letters a page's title has at most.
const longestTitle = 60

// at is the number of the page with a title.
func (d *Document) at(title string) (int, error) {
	i := slices.IndexFunc(d.Pages, func(p Page) bool { return p.Title == title })
	if i < 0 {
		return 0, problem.New(problem.NotFound, "page", "The dashboard has no page “%s”.", title)
	}
	return i, nil
}

// free is a title that no page has: the one given or, where that is taken, with a number.
func (d *Document) free(title string) string {
	for n, out := 2, title; ; n++ {
		if _, err := d.at(out); err != nil {
			return out
		}
		out = fmt.Sprintf("%s %d", title, n)
	}
}

// AddPage puts an empty page at the end, and returns its title.
func (d *Document) AddPage(title string) (string, error) {
	if title = strings.TrimSpace(title); title == "" {
		title = "Page"
	}
	return title, d.put(len(d.Pages), Page{Title: d.free(title), Widgets: []Widget{}}, &title)
}

// CopyPage puts a copy of a page behind it, its widgets with ids of their own, and returns its
// title.
func (d *Document) CopyPage(title string) (string, error) {
	i, err := d.at(title)
	if err != nil {
		return "", err
	}
	page := Page{Title: d.free(title), Widgets: []Widget{}}
	if err := d.put(i+1, page, &title); err != nil {
		return "", err
	}
	for f := range d.Filters {
		if d.Filters[f].Pages != nil && d.Filters[f].On(d.Pages[i].Title) {
			d.Filters[f].Pages = append(d.Filters[f].Pages, title)
		}
	}
	copies := map[string]string{}
	for _, w := range d.Pages[i].Widgets {
		was := w.ID
		w.ID = d.NewID()
		copies[was] = w.ID
		d.Pages[i+1].Widgets = append(d.Pages[i+1].Widgets, w)
	}
	for _, id := range d.Pages[i].Phone {
		if copies[id] != "" {
			d.Pages[i+1].Phone = append(d.Pages[i+1].Phone, copies[id])
		}
	}
	// A click on a copy does to copies what one on the widget does to those that were copied.
	for n := range d.Pages[i+1].Widgets {
		w := &d.Pages[i+1].Widgets[n]
		if w.Click == nil {
			continue
		}
		click := *w.Click
		click.Does = map[string]string{}
		for id, does := range w.Click.Does {
			click.Does[cmp.Or(copies[id], id)] = does
		}
		w.Click = &click
	}
	for n := range d.Through {
		for _, id := range d.Through[n].From {
			if copies[id] != "" {
				d.Through[n].From = append(d.Through[n].From, copies[id])
			}
		}
	}
	return title, nil
}

func (d *Document) put(i int, page Page, title *string) error {
	if len(d.Pages) >= MostPages {
		return problem.New(problem.TooMany, "page", "A dashboard has at most %d pages; what belongs together may stand on one.", MostPages)
	}
	d.Pages = slices.Insert(d.Pages, i, page)
	*title = page.Title
	return nil
}

// NamePage gives a page another title.
func (d *Document) NamePage(was, title string) (string, error) {
	i, err := d.at(was)
	title = strings.TrimSpace(title)
	switch {
	case err != nil:
		return "", err
	case title == "":
		return "", problem.New(problem.Missing, "title", "What is the page called?")
	case len([]rune(title)) > longestTitle:
		return "", problem.New(problem.Invalid, "title", "A page's title has at most %d letters.", longestTitle)
	case title != was && d.free(title) != title:
		return "", problem.New(problem.Conflict, "title", "There is a page called “%s” already.", title)
	}
	d.Pages[i].Title = title
	for f := range d.Filters {
		for p, on := range d.Filters[f].Pages {
			if on == was {
				d.Filters[f].Pages[p] = title
			}
		}
	}
	for n := range d.Through {
		if to := &d.Through[n].To; to.Within() && to.Page == was {
			to.Page = title
		}
	}
	return title, nil
}

// MovePage puts a page some places later, or earlier.
func (d *Document) MovePage(title string, by int) (string, error) {
	i, err := d.at(title)
	if err != nil {
		return "", err
	}
	d.Pages = moved(d.Pages, i, by)
	return title, nil
}

// moved is a list with one element some places later, or earlier, as far as the list goes.
func moved[T any](list []T, i, by int) []T {
	e, to := list[i], min(max(i+by, 0), len(list)-1)
	return slices.Insert(slices.Delete(list, i, i+1), to, e)
}

// RemovePage takes a page off with its widgets and the filters that stand on no other, and
// returns the title of the one that stands
// in its place.
func (d *Document) RemovePage(title string) (string, error) {
	i, err := d.at(title)
	if err != nil {
		return "", err
	}
	if len(d.Pages) == 1 {
		return "", problem.New(problem.Invalid, "page", "A dashboard has at least one page: add another before you take this one off.")
	}
	d.Pages = slices.Delete(d.Pages, i, i+1)
	for _, f := range slices.Clone(d.Filters) {
		if !slices.Contains(f.Pages, title) {
			continue
		}
		if f.Pages = slices.DeleteFunc(slices.Clone(f.Pages), func(on string) bool { return on == title }); len(f.Pages) > 0 {
			*d.Filter(f.Name) = f
		} else if err := d.RemoveFilter(f.Name); err != nil {
			return "", err
		}
	}
	return d.Pages[min(i, len(d.Pages)-1)].Title, nil
}
