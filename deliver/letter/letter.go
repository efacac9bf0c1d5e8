// Package letter writes what is delivered as a letter: HTML with pictures within it, and plain text that says the
// same figures.
package letter

import (
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"html/template"
	"strings"
	"unicode/utf8"

	"eskadel/core/chart"
	"eskadel/core/locale"
	"eskadel/deliver/picture"
	"eskadel/mail"
	"eskadel/view"
)

//go:embed letter.html
var files embed.FS

var page = template.Must(template.New("").ParseFS(files, "letter.html"))

// mostLines is how many lines of a table, or records of a list, stand in a letter.
const mostLines = 30

// A Body is what a letter says, the same for all who see the same.
type Body struct {
	Title  string
	Notes  []string // what stands above: the keeper's line, and what is to be said of it
	Reads  string   // the reading line
	Parts  []Part
	Shown  string // a sum of all figures in it
	Some   bool   // there are records that it shows something of
	images []mail.File
}

// A Part is a chart, key figures, a table or a list.
type Part struct {
	Title   string
	Lines   []string // what it says in words
	Figures []chart.Figure
	Picture string // the name of one within the letter
	Alt     string
	Head    []Cell
	Rows    []Row
	Said    string // its sentence, with all that it is narrowed to
	Made    string
}

// A Row is a line of a table, and a Cell a field of it.
type Row struct {
	Cells []Cell
	Total bool
}

type Cell struct {
	Text   string
	Number bool
}

// How a letter is written.
type How struct {
	Pictures  bool // of charts, which are tables otherwise
	Sentences bool // what each of them says it shows
}

// Write puts what is shown into a letter.
func Write(title string, notes []string, reads string, all []*view.Leaving, how How) (*Body, error) {
	b := &Body{Title: title, Notes: notes, Reads: reads}
	sum := sha256.New()
	for _, l := range all {
		p, err := b.part(l, how)
		if err != nil {
			return nil, err
		}
		if b.Parts = append(b.Parts, *p); l.Nothing == "" && l.Count > 0 {
			b.Some = true
		}
		// All that is shown, but for when it was read.
		if err := json.NewEncoder(sum).Encode([]any{l.Title, l.Nothing, l.Figures, l.Grid, l.Listed, l.Records}); err != nil {
			return nil, err
		}
	}
	b.Shown = hex.EncodeToString(sum.Sum(nil))
	return b, nil
}

// part is one chart as it stands in the letter.
func (b *Body) part(l *view.Leaving, how How) (*Part, error) {
	p := &Part{Title: l.Title, Made: l.Made, Figures: l.Figures}
	if how.Sentences && l.Conditions != "" {
		p.Said = locale.Upper(l.Conditions) + "."
	}
	say := func(lines ...string) {
		for _, s := range lines {
			if s != "" {
				p.Lines = append(p.Lines, s)
			}
		}
	}
	say(l.Nothing)
	if l.Nothing != "" {
		p.Made = ""
		return p, nil
	}
	say(l.Subtitle)
	if l.Drawing != nil {
		say(l.Drawing.Summary)
	}
	switch {
	case l.Drawing != nil && how.Pictures:
		png, err := picture.Write(l, picture.How{Kind: "png"})
		if err != nil {
			return nil, err
		}
		name := fmt.Sprintf("chart-%d.png", len(b.images)+1)
		b.images = append(b.images, mail.File{Name: name, Type: picture.Type("png"), Bytes: png})
		p.Picture, p.Alt = name, strings.TrimSpace(l.Title+". "+l.Drawing.Summary)
	case l.Records != nil:
		say(l.Records.Heading)
	}
	switch {
	case l.Grid != nil:
		p.grid(l.Grid.Flat())
	case l.Records != nil:
		p.records(l.Records)
	case l.Listed != nil:
		p.list(l.Listed)
	}
	for _, n := range l.Notes {
		say(n.Words)
	}
	say(l.Caption)
	return p, nil
}

func (p *Part) grid(f *chart.Flat) {
	for _, h := range f.Head {
		p.Head = append(p.Head, Cell{h.Label, h.Number})
	}
	for _, l := range f.Lines {
		p.Rows = append(p.Rows, Row{cellsOf(l.Cells), l.Total})
	}
	p.cut(len(p.Rows))
}

func (p *Part) records(r *view.Page) {
	for _, h := range r.Head {
		p.Head = append(p.Head, Cell{h.Label, h.Number})
	}
	for _, one := range r.Rows {
		p.Rows = append(p.Rows, Row{Cells: cellsOf(one.Cells)})
	}
	p.cut(int(r.Count))
}

// list writes records that stand on a board, in a calendar and so on below each other.
func (p *Part) list(l *chart.Listing) {
	n := 0
	l.Each(func(c *chart.ListCard) {
		n++
		p.Rows = append(p.Rows, Row{Cells: []Cell{{Text: strings.Join(append([]string{c.Title}, c.Lines...), ", ")}, {Text: c.When}}})
	})
	p.cut(n + l.More)
}

// cut leaves so much of a table as a letter shows, and says how much more there is. Totals stay.
func (p *Part) cut(all int) {
	if all <= mostLines && len(p.Rows) <= mostLines {
		return
	}
	var rows, totals []Row
	for _, r := range p.Rows {
		switch {
		case r.Total:
			totals = append(totals, r)
		case len(rows) < mostLines:
			rows = append(rows, r)
		}
	}
	if more := all - len(rows) - len(totals); more > 0 {
		p.Lines = append(p.Lines, fmt.Sprintf("The first %d of %d lines.", len(rows), all-len(totals)))
	}
	p.Rows = append(rows, totals...)
}

func cellsOf(cells []chart.Cell) (out []Cell) {
	for _, c := range cells {
		out = append(out, Cell{c.Text, c.Number})
	}
	return out
}

// To is for whom a letter is.
type To struct {
	Why     string // they get it
	As      string // in whose name it is seen; "" for their own
	Address string // where it is looked at; "" for nowhere
	Leave   string // where they end it; "" for nowhere
}

// Letter is the body as it is sent to somebody; name, address and subject are for the sender to say.
func (b *Body) Letter(to To) (mail.Letter, error) {
	var html strings.Builder
	err := page.ExecuteTemplate(&html, "letter.html", map[string]any{"B": b, "To": to})
	return mail.Letter{Text: b.Text(to), HTML: html.String(), Pictures: b.images, Leave: to.Leave}, err
}

// Text is the whole of it as plain text.
func (b *Body) Text(to To) string {
	var s strings.Builder
	fmt.Fprintf(&s, "%s\n%s\n\n", b.Title, strings.Repeat("=", min(utf8.RuneCountInString(b.Title), 70)))
	for _, line := range append(append([]string{}, b.Notes...), b.Reads) {
		if line != "" {
			s.WriteString(line + "\n\n")
		}
	}
	for i := range b.Parts {
		s.WriteString(b.Parts[i].Text() + "\n")
	}
	if to.Address != "" {
		s.WriteString("Look at it: " + to.Address + "\n\n")
	}
	s.WriteString(to.Why + "\n")
	if to.As != "" {
		s.WriteString("It shows what " + to.As + " sees.\n")
	}
	if to.Leave != "" {
		s.WriteString("No more of it: " + to.Leave + "\n")
	}
	return s.String()
}

// Text is a part as plain text.
func (p *Part) Text() string {
	var s strings.Builder
	s.WriteString(p.Title + "\n" + strings.Repeat("-", min(utf8.RuneCountInString(p.Title), 70)) + "\n")
	for _, f := range p.Figures {
		s.WriteString(FigureWords(f) + "\n")
	}
	for _, l := range p.Lines {
		s.WriteString(l + "\n")
	}
	for _, r := range p.Rows {
		var said []string
		for i, c := range r.Cells {
			switch {
			case c.Text == "":
			case i == 0 || i >= len(p.Head):
				said = append(said, c.Text)
			default:
				said = append(said, p.Head[i].Text+" "+c.Text)
			}
		}
		s.WriteString("  " + strings.Join(said, "; ") + "\n")
	}
	for _, line := range []string{p.Said, p.Made} {
		if line != "" {
			s.WriteString(line + "\n")
		}
	}
	return s.String()
}

// FigureWords says a key figure: “Late jobs 231, +12.0% on the week before: 206”.
func FigureWords(f chart.Figure) string {
	out := f.Label + " " + f.Text
	for _, more := range []string{strings.TrimSpace(f.Change + " " + f.Since), f.Target, f.Band} {
		if more != "" {
			out += ", " + more
		}
	}
	return out
}
