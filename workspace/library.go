package workspace

import (
	"context"
	"fmt"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/sentence"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// Findings is the folder of the library with what was found in a chart as it was narrowed or
// asked, kept by a name.
const Findings = "Findings"

// longestName is how many letters the name of a finding has at most.
const longestName = 120

// A ChartRow is a chart of the library in a list.
type ChartRow struct {
	Standing
	Sentence string
	Words    string           // by which it is found besides: its dataset and fields
	Document *chart.Document  // as whoever looks would use it; nil where that cannot be read
	On       []Used           // the dashboards that show it
	Changed  string           // when its records did last
	Trouble  *problem.Problem // why it cannot be read
}

// Library lists the charts of the library, with titles and sentences of those whose dataset
// somebody may use. One that cannot be read stands in its place and says why.
func (w *Workspace) Library(ctx context.Context, who *identity.Caller) ([]ChartRow, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, err
	}
	kept, err := w.store.Documents(ctx, Chart)
	if err != nil {
		return nil, err
	}
	stands, err := w.listed(ctx, who)
	out := []ChartRow{}
	for i := range kept {
		if rights.May(who, rights.See, thing(&kept[i])) != nil {
			continue
		}
		r := ChartRow{Standing: stands(&kept[i])}
		d, err := chart.Read(kept[i].Draft)
		if err != nil {
			r.Trouble = unreadable(err)
			out = append(out, r)
			continue
		}
		r.Title = r.Name
		if ds, err := w.Dataset(ctx, who, d.Dataset); err == nil {
			d.Now, d.Sets, ds = w.Now(), w.sets(ctx, who), d.On(ds)
			r.Title, r.Sentence, r.Document = sentence.Title(d, ds), sentence.Text(d, ds), d
			r.Changed = w.reader.Changed(ds)
			words := []string{ds.Title}
			for _, dim := range d.Dimensions() {
				words = append(words, ds.Label(dim.Field))
			}
			r.Words = strings.Join(words, " ")
		}
		if r.On, err = w.Uses(ctx, who, Chart, r.Name); err != nil {
			return nil, err
		}
		out = append(out, r)
	}
	return out, err
}

// ToLibrary keeps a complete chart in the library under a name made of its title.
func (s *Sketch) ToLibrary() (Standing, error) { return s.kept("") }

// kept keeps a complete chart in a folder of the library under a name made of its title.
func (s *Sketch) kept(folder string) (Standing, error) {
	if err := s.ready(); err != nil {
		return Standing{}, err
	}
	base := Slug(s.Title())
	for n, name := 2, base; ; n++ {
		st, err := s.w.newChart(s.ctx, s.who, name, folder, s.Doc.JSON())
		if !problem.Is(err, problem.Conflict) {
			return st, err
		}
		name = fmt.Sprintf("%s-%d", base[:min(len(base), 45)], n)
	}
}

// newChart keeps a new chart in a folder of the library, whoever makes it keeps it; it is
// published at once.
func (w *Workspace) newChart(ctx context.Context, who *identity.Caller, name, folder string, document []byte) (Standing, error) {
	m := w.chartOf(ctx, who, name, document, On{})
	m.new, m.holds, m.what, m.done = true, true, rights.Make, "put a chart into the library"
	begin := m.begin
	m.begin = func(d *store.Document) {
		begin(d)
		d.Folder = folder
	}
	return w.keep(ctx, who, m)
}

// Find keeps a chart as it is now by a name, as a finding: with it stands, as its caption, when
// and what was found.
func (s *Sketch) Find(name string) (Standing, error) {
	name = strings.TrimSpace(name)
	switch {
	case name == "":
		return Standing{}, problem.New(problem.Missing, "name", "Give what you found a name.")
	case len(name) > longestName:
		return Standing{}, problem.New(problem.Invalid, "name", "A name has at most %d letters.", longestName)
	}
	if err := s.ready(); err != nil {
		return Standing{}, err
	}
	told, err := s.told(sentence.NewVocabulary(s.Dataset, nil), nil)
	if err != nil {
		return Standing{}, err
	}
	s.Doc.Title = name
	finish := s.Doc.Finishing()
	finish.Caption = strings.TrimSpace("Found " + s.Dataset.Manner.Date(s.w.Now().In(s.w.Calendar().Zone), "2 January 2006") + ". " + told)
	s.Doc.Finish = &finish
	return s.kept(Findings)
}

// Find keeps what a widget shows, as the dashboard is narrowed now, as a finding.
func (l *Look) Find(widget, name string) (Standing, error) {
	d, err := l.view.Narrowed(widget)
	if err != nil {
		return Standing{}, err
	}
	s, err := l.w.SketchOf(l.ctx, l.who, d)
	if err != nil {
		return Standing{}, err
	}
	return s.Find(name)
}

// FindRecords keeps the records behind a mark of a widget, as a list of them, as a finding.
func (l *Look) FindRecords(widget string, mark marks.Reference, name string) (Standing, error) {
	if err := rights.May(l.who, rights.Records, l.thing()); err != nil {
		return Standing{}, err
	}
	d, err := l.view.Behind(widget, mark)
	if err != nil {
		return Standing{}, err
	}
	s, err := l.w.SketchOf(l.ctx, l.who, d)
	if err != nil {
		return Standing{}, err
	}
	return s.Find(name)
}

// MayKeep tells whether somebody may keep what they find here.
func (l *Look) MayKeep() bool { return rights.Ever(l.who, rights.Make) == nil }

// IntoLibrary moves a dashboard's own chart into the library: its widget shows it from there.
func (w *Workspace) IntoLibrary(ctx context.Context, who *identity.Caller, name, widget string) (Standing, error) {
	own, _, err := w.ChartAt(ctx, who, Place{Dashboard: name, Widget: widget})
	if err != nil {
		return Standing{}, err
	}
	if own == nil {
		return Standing{}, problem.New(problem.Conflict, "widget", "This chart is in the library already.")
	}
	s, err := w.SketchOf(ctx, who, own)
	if err != nil {
		return Standing{}, err
	}
	kept, err := s.ToLibrary()
	if err != nil {
		return Standing{}, err
	}
	_, err = w.changed(ctx, who, name, func(d *dashboard.Document) error {
		x, err := d.Widget(widget)
		if err == nil {
			x.Chart = &dashboard.Chart{Library: kept.Name}
		}
		return err
	})
	return kept, err
}
