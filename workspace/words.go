package workspace

import (
	"cmp"
	"context"
	"math"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/sentence"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/view"
)

// How much is known of values before words are read, and looked for where they are not known.
const (
	mostNamed   = 10  // linked records that a sentence calls by their names
	fewValues   = 500 // of a field, for all of them to be known
	mostFields  = 24  // whose values are known, or looked for
	mostLookups = 4   // at the same time
	mostOthers  = 4   // datasets that the same words fit, too
	mostOffers  = 8   // ways to go on with a line
)

// Typed is what typed words were read as, for the chart of a sketch.
type Typed struct {
	*sentence.Reading
	Sentence string
	Missing  string // what the chart still lacks
	Offers   []sentence.Offer
	Others   []Typed // what the same words may mean besides
	names    *sentence.Vocabulary
	fits     fit
}

// How well words fit a dataset: where they are not wholly understood, the one that they name,
// or that is chosen already, is meant rather than one of which less is left over.
type fit int

const (
	fitsNot fit = iota
	fitsPartly
	fitsNamed
	fitsWhole
)

// Read reads typed words as a chart, with the values that whoever types them may see. Where no
// dataset is chosen, or the words name another, it is of the one that they fit best.
func (s *Sketch) Read(line string) (*Typed, error) {
	best, err := s.best(line)
	if best != nil {
		best.Offers = best.names.Complete(line, mostOffers)
	}
	return best, err
}

// best is the reading of the dataset that words fit best; nil where there is no dataset.
func (s *Sketch) best(line string) (best *Typed, err error) {
	if s.Dataset != nil {
		best = s.read(s.Dataset, line, fitsNamed)
		if best.left() == 0 || !s.names(line) {
			return best, nil // no other can fit better
		}
	}
	sets, err := s.datasets()
	if err != nil {
		return nil, err
	}
	if s.Dataset == nil && s.among == nil {
		s.usually(sets)
	}
	for _, ds := range sets {
		if s.Dataset != nil && ds.Name == s.Dataset.Name {
			continue
		}
		fits := fitsPartly
		if sentence.NewVocabulary(ds, nil).Names(line) {
			fits = fitsNamed
		}
		t := s.read(ds, line, fits)
		switch {
		case best == nil, t.fits > best.fits, t.fits == best.fits && t.left() < best.left():
			best = t
		case s.Dataset == nil && t.fits == fitsWhole && best.fits == fitsWhole && len(best.Others) < mostOthers:
			best.Others = append(best.Others, *t)
		}
	}
	return best, nil
}

// usually puts datasets in the order in which they are meant where several fit alike: the one of
// the last chart, then those that most charts and dashboards are made of.
func (s *Sketch) usually(sets []*dataset.Dataset) {
	uses := map[string]int{}
	for _, ds := range sets {
		of, _ := s.w.store.Uses(s.ctx, Dataset, ds.Name) // where that is not known, it is none
		uses[ds.Name] = len(of)
	}
	if last := s.w.Again(s.ctx, s.who, false); last != nil {
		uses[last.Dataset] = math.MaxInt
	}
	slices.SortStableFunc(sets, func(a, b *dataset.Dataset) int { return cmp.Compare(uses[b.Name], uses[a.Name]) })
}

// understood tells whether all of the words is.
func (t *Typed) understood() bool { return !t.Nothing && len(t.Unknown) == 0 }

// left is how much is not understood: letters, and words that are read as others.
func (t *Typed) left() (n int) {
	for _, u := range t.Unknown {
		n += len(u.Text)
	}
	return n + len(t.Corrected)
}

// An Asking is a question in words with what was asked on from it, and what it comes to.
type Asking struct {
	*Sketch
	Steps []Step
	Told  string // the answer in a sentence; "" where there is none
}

// A Step is one line of an asking with what it was read as.
type Step struct {
	Line string
	*Typed
}

// Instead is the line with another text in the place of some of it.
func (s Step) Instead(from, to int, text string) string { return s.Line[:from] + text + s.Line[to:] }

// mostSteps is how many lines an asking has.
const mostSteps = 20

// Ask reads a question and what is asked on from it, each line changing the answer before,
// and answers it, as far as whoever asks may see. A line that is not wholly understood ends
// it: nothing is answered then.
func (w *Workspace) Ask(ctx context.Context, who *identity.Caller, lines []string) (*Asking, error) {
	s, err := w.SketchOf(ctx, who, &chart.Document{})
	if err != nil {
		return nil, err
	}
	out, err := s.ask(lines, nil)
	if err != nil || !out.Answered() {
		return out, err
	}
	return out, out.tell()
}

// ask reads lines one after the other. usual are the measures by which it is told how things
// are going, where those of the dataset are not meant.
func (s *Sketch) ask(lines []string, usual func(*dataset.Dataset) []query.Measure) (*Asking, error) {
	if len(lines) > mostSteps {
		return nil, problem.New(problem.Invalid, "q", "After %d questions begin with a new one.", mostSteps)
	}
	out := &Asking{Sketch: s}
	for i, line := range lines {
		var t *Typed
		var err error
		if i == 0 {
			t, err = s.best(line)
		} else {
			t = s.on(s.Dataset, line, s.Doc)
		}
		if err != nil {
			return nil, err
		}
		if t == nil {
			return out, nil // there is no dataset to ask of
		}
		out.Steps = append(out.Steps, Step{line, t})
		if !t.understood() {
			return out, nil
		}
		if s, err = s.next(t.Document); err != nil {
			return nil, err
		}
		if t.Going && usual != nil {
			if own := usual(s.Dataset); len(own) > 0 {
				s.Doc.Measures = own
				t.Document, t.Sentence = s.Doc, t.names.Text(s.Doc)
			}
		}
		out.Sketch = s
	}
	return out, nil
}

// next is the sketch of another chart, by the same person over the same datasets.
func (s *Sketch) next(d *chart.Document) (*Sketch, error) {
	if s.among == nil {
		return s.w.SketchOf(s.ctx, s.who, d)
	}
	own := *d
	own.Now, own.Sets = s.w.Now(), s.sets()
	set, err := own.Sets.Dataset(own.Dataset)
	return &Sketch{&own, own.On(set), s.w, s.ctx, s.who, s.among}, err
}

// tell answers in a sentence.
func (a *Asking) tell() (err error) {
	last := a.Steps[len(a.Steps)-1]
	a.Told, err = a.told(last.names, last.Also)
	return err
}

// told says what the chart answers, in the names of a vocabulary, beside another time, too.
func (s *Sketch) told(names *sentence.Vocabulary, also *query.Comparison) (string, error) {
	return s.w.reader.Told(s.within(), s.Doc, s.Dataset, s.who.Viewer, s.setting(time.Time{}), names, also)
}

// Ask answers a question, and what is asked on from it, of the datasets of a dashboard, as it
// is narrowed now. How things are going is told by the dashboard's own key figures.
func (l *Look) Ask(lines []string) (*Asking, error) {
	if err := rights.May(l.who, rights.Ask, l.thing()); err != nil {
		return nil, err
	}
	among, figures, err := l.view.Spoken()
	if err != nil {
		return nil, err
	}
	s := &Sketch{&chart.Document{}, nil, l.w, l.ctx, l.who, among}
	out, err := s.ask(lines, func(ds *dataset.Dataset) []query.Measure { return figures[ds.Name] })
	if err != nil || !out.Answered() {
		return out, err
	}
	d, err := l.view.Within(out.Doc)
	if err != nil {
		return nil, err
	}
	if out.Sketch, err = out.next(d); err != nil {
		return nil, err
	}
	return out, out.tell()
}

// AskedRecords lists the records behind a mark of an answer.
func (l *Look) AskedRecords(a *Asking, mark marks.Reference, p Paging) (*view.Page, error) {
	if err := rights.May(l.who, rights.Records, l.thing()); err != nil {
		return nil, err
	}
	if !a.Answered() {
		return nil, problem.New(problem.Invalid, "q", "This is not understood as a whole.")
	}
	return a.Records(mark, p)
}

// MayAsk tells whether somebody may ask questions here.
func (l *Look) MayAsk() bool { return rights.May(l.who, rights.Ask, l.thing()) == nil }

// Answered tells whether all that was asked is understood and can be drawn.
func (a *Asking) Answered() bool {
	if len(a.Steps) == 0 {
		return false
	}
	last := a.Steps[len(a.Steps)-1]
	return last.understood() && last.Missing == ""
}

// names tells whether words may speak of another dataset: those of this one leave some over.
func (s *Sketch) names(line string) bool {
	r := sentence.NewVocabulary(s.Dataset, nil).Read(line, s.w.Now(), nil, s.sets())
	return len(r.Unknown) > 0
}

// read reads a line as a chart of its own; otherwise is how it fits where not all of it, but
// something, is understood.
func (s *Sketch) read(ds *dataset.Dataset, line string, otherwise fit) *Typed {
	t := s.on(ds, line, nil)
	switch {
	case t.understood():
		t.fits = fitsWhole
	case !t.Nothing:
		t.fits = otherwise
	}
	return t
}

// on reads a line that goes on from a chart, nil for none.
func (s *Sketch) on(ds *dataset.Dataset, line string, before *chart.Document) *Typed {
	sets := s.sets()
	known := s.known(ds)
	v := sentence.NewVocabulary(ds, known)
	r := v.Read(line, s.w.Now(), before, sets)
	if len(r.Unknown) > 0 || len(r.Corrected) > 0 { // what is no known value may be one of those that are not
		if found := s.find(ds, r); len(found) > 0 {
			v = sentence.NewVocabulary(ds, append(known, found...))
			r = v.Read(line, s.w.Now(), before, sets)
		}
	}
	if before == nil {
		s.finish(r, r.Words.Dataset())
	}
	t := typed(r)
	return &t
}

// finish gives a chart that is read anew the finish and the title that the sketch has, where
// the words say nothing of them and they fit.
func (s *Sketch) finish(r *sentence.Reading, ds *dataset.Dataset) {
	d := r.Document
	if s.Doc.Dataset != d.Dataset {
		return
	}
	kept := *d
	kept.Measures = slices.Clone(d.Measures)
	for i, m := range kept.Measures {
		for _, was := range s.Doc.Measures {
			bare := was
			bare.Label, bare.Format = "", ""
			if reflect.DeepEqual(bare, m) {
				kept.Measures[i].Label, kept.Measures[i].Format = was.Label, was.Format
			}
		}
	}
	if kept.Title == "" {
		kept.Title = s.Doc.Title
	}
	if kept.Finish == nil {
		kept.Finish = s.Doc.Finish
	}
	if kept.Check(ds) == nil || d.Check(ds) != nil {
		r.Document = &kept
	}
}

// every is all datasets that somebody may speak of.
type every struct {
	query.Sets
	s *Sketch
}

// All lists them; none where they cannot be read.
func (e every) All() []*dataset.Dataset {
	all, err := e.s.datasets()
	if err != nil {
		return nil
	}
	return all
}

// Dataset finds one of them.
func (e every) Dataset(name string) (*dataset.Dataset, error) {
	if e.s.among == nil {
		return e.Sets.Dataset(name)
	}
	for _, ds := range e.s.among {
		if ds.Name == name {
			return ds, nil
		}
	}
	return nil, problem.New(problem.NotFound, "dataset", "There is no dataset “%s”.", name)
}

func (s *Sketch) sets() every { return every{s.w.sets(s.ctx, s.who), s} }

// datasets are those that the chart may be of, in the order in which they are tried.
func (s *Sketch) datasets() ([]*dataset.Dataset, error) {
	if s.among != nil {
		return s.among, nil
	}
	return s.w.Datasets(s.ctx, s.who)
}

// within is the context in which the chart is answered: its dataset may be used by its maker,
// or is one of those that are given.
func (s *Sketch) within() context.Context {
	if s.among != nil {
		return s.ctx
	}
	return s.w.using(s.ctx, s.who)
}

// setting is what the chart is answered under, at a time; now for the zero time.
func (s *Sketch) setting(at time.Time) query.Setting {
	return s.w.reader.Setting(s.Dataset, s.who.Viewer, filter.Condition{}, at)
}

func typed(r *sentence.Reading) Typed {
	t := Typed{Reading: r, Sentence: r.Words.Text(r.Document), Missing: sentence.Missing(r.Document, r.Words.Dataset()), names: r.Words}
	for _, other := range r.Others {
		t.Others = append(t.Others, typed(other))
	}
	return t
}

// Sentence is the chart's sentence, in which linked records have their names.
func (s *Sketch) Sentence() []sentence.Phrase {
	if s.Dataset == nil || !speaksOfLinks(s.Doc, s.Dataset) {
		return sentence.Of(s.Doc, s.Dataset)
	}
	return sentence.NewVocabulary(s.Dataset, append(s.known(s.Dataset), s.asked()...)).Of(s.Doc)
}

// asked are the linked records that the chart's conditions ask for, of fields of which not all
// are known, with all that are called the same.
func (s *Sketch) asked() []sentence.Value {
	keys := sentence.LinkedKeys(s.Doc, s.Dataset)
	return s.lookUp(s.Dataset, func(f *dataset.Field) (names []string) {
		if f.Distinct <= fewValues || len(keys[f.Name]) == 0 {
			return nil
		}
		list, err := s.w.reader.NamesOf(s.within(), s.Dataset, f.Name, keys[f.Name], s.who.Viewer)
		if err != nil {
			return nil // their keys say them
		}
		for _, v := range list[:min(len(list), mostNamed)] {
			names = append(names, v.Label)
		}
		return names
	})
}

// speaksOfLinks tells whether a chart's conditions name linked records.
func speaksOfLinks(d *chart.Document, ds *dataset.Dataset) bool {
	if d.Where == nil {
		return false
	}
	return slices.ContainsFunc(d.Where.Fields(), func(name string) bool {
		f := ds.Find(name)
		return f != nil && f.IsLink()
	})
}

// worded are the fields whose values are words.
func worded(ds *dataset.Dataset) (out []*dataset.Field) {
	for _, f := range ds.Visible() {
		if (f.IsLink() || f.Type == field.Text) && len(out) < mostFields {
			out = append(out, f)
		}
	}
	return out
}

// known are the values of those fields that have few.
func (s *Sketch) known(ds *dataset.Dataset) []sentence.Value {
	return s.lookUp(ds, func(f *dataset.Field) []string {
		if f.Distinct > fewValues {
			return nil
		}
		return []string{""}
	})
}

// find looks for values that begin like what a reading knows nothing of.
func (s *Sketch) find(ds *dataset.Dataset, r *sentence.Reading) []sentence.Value {
	var texts []string
	for _, u := range r.Unknown {
		texts = append(texts, sentence.Searched(u.Text)...)
	}
	for _, c := range r.Corrected {
		texts = append(texts, c.Typed)
	}
	return s.lookUp(ds, func(f *dataset.Field) []string {
		if f.Distinct <= fewValues && f.Distinct > 0 {
			return nil // all of them are known
		}
		return texts[:min(len(texts), 3)]
	})
}

// lookUp asks for values of fields, side by side, each field for those that have some texts.
func (s *Sketch) lookUp(ds *dataset.Dataset, find func(*dataset.Field) []string) (out []sentence.Value) {
	fields := worded(ds)
	found := make([][]sentence.Value, len(fields))
	places := make(chan struct{}, mostLookups)
	var all sync.WaitGroup
	for i, f := range fields {
		texts := find(f)
		if len(texts) == 0 {
			continue
		}
		all.Go(func() {
			places <- struct{}{}
			defer func() { <-places }()
			for _, text := range texts {
				list, err := s.w.Values(s.ctx, s.who, ds, f.Name, text)
				if err != nil {
					return // what cannot be looked for is not known
				}
				for _, v := range list {
					if strings.TrimSpace(v.Label) != "" {
						found[i] = append(found[i], sentence.Value{Field: f, Key: v.Key, Label: v.Label})
					}
				}
			}
		})
	}
	all.Wait()
	for _, list := range found {
		out = append(out, list...)
	}
	return out
}
