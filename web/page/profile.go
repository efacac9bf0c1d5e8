package page

import (
	"fmt"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/format"
	"eskadel/core/profile"
)

// A ProfileView is a profile as the page of a dataset shows it.
type ProfileView struct {
	Words  string // what was looked at
	Fields map[string]*FieldView
	Odd    []profile.Oddity
}

// A FieldView is what is in a field, as text and a small picture.
type FieldView struct {
	Bars                       []bar
	Picture                    string // the picture in words
	Filled, Distinct           string
	Smallest, Largest, Median  string
	Spread                     string
	Top                        []topView
	Odd                        []profile.Oddity
	FilledShare                int
	Records, Empty, Unreadable string
}

// A bar is one of a small picture, in hundredths of its height.
type bar struct{ X, Y, Height int }

type topView struct{ Label, Count string }

// NewProfileView writes a profile down, in a time zone.
func NewProfileView(ds *dataset.Dataset, p *profile.Profile, zone *time.Location) *ProfileView {
	v := &ProfileView{Fields: map[string]*FieldView{}, Odd: p.Odd}
	all := format.Records(ds, p.Records)
	switch {
	case p.Whole && int64(p.Looked) >= p.Records:
		v.Words = "From all " + all + "."
	case p.Whole:
		v.Words = fmt.Sprintf("Filled, smallest and largest are from all %s; the rest from a sample of %s.", all, ds.Manner.Count(int64(p.Looked)))
	default:
		v.Words = fmt.Sprintf("From a sample of %s.", all)
	}
	for _, f := range p.Fields {
		n := format.OfField(ds.Manner, f.Of).In(f.Of, zone)
		view := &FieldView{Records: ds.Manner.Count(p.Records), Empty: ds.Manner.Count(f.Empty), Filled: ds.Manner.Count(f.Filled), Distinct: ds.Manner.Count(f.Distinct), Smallest: n.Value(f.Smallest), Largest: n.Value(f.Largest), Median: n.Value(f.Quartiles[1]), Spread: n.Value(f.Spread)}
		if f.Unreadable > 0 {
			view.Unreadable = ds.Manner.Count(f.Unreadable)
		}
		if !f.Exactly {
			view.Distinct = "about " + view.Distinct
		}
		if p.Records > 0 {
			view.FilledShare = int(f.Filled * 100 / p.Records)
		}
		most := 0
		for _, c := range f.Picture {
			most = max(most, c)
		}
		for i, c := range f.Picture {
			if height := c * 100 / max(most, 1); c > 0 {
				view.Bars = append(view.Bars, bar{i * 8, 20 - max(1, height/5), max(1, height/5)})
			}
		}
		for _, t := range f.Top {
			if t.N < 2 {
				break // every value is different
			}
			view.Top = append(view.Top, topView{format.Cut(n.Value(t.Value), 80), ds.Manner.Count(int64(t.N))})
		}
		switch {
		case !f.Smallest.IsEmpty():
			view.Picture = view.Smallest + " to " + view.Largest
		case len(view.Top) > 0:
			view.Picture = "most frequent: " + view.Top[0].Label
		case f.Distinct > 0:
			view.Picture = "every value is different"
		}
		for _, o := range p.Odd {
			if o.Field == f.Of.Name {
				view.Odd = append(view.Odd, o)
			}
		}
		v.Fields[f.Of.Name] = view
	}
	return v
}
