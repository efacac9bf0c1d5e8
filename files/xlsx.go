package files

import (
	"archive/zip"
	"context"
	"encoding/xml"
	"errors"
	"io"
	"path"
	"regexp"
	"strconv"
	"strings"
	"time"

	"eskadel/core/problem"
)

// A workbook is an XLSX file. Its sheets are read as a stream of XML, so that large ones
// do not have to fit in memory; only the shared texts are kept.
type workbook struct {
	ctx   context.Context // of whoever has the file read
	path  string
	texts []string
	dates []dateStyle // by style number
	from  time.Time   // of which day number 0 is
}

type dateStyle int

const (
	noDate dateStyle = iota
	dateOnly
	dateAndTime
)

// Bounds of a workbook, told before the memory is taken.
const (
	mostShared = 100 << 20 // bytes of shared texts, which are kept in memory
	mostTexts  = 2_000_000 // shared texts
	mostText   = 1 << 20   // bytes of one text
	mostParts  = 5_000     // files of the archive
	mostSheets = 200
	mostStyles = 70_000
	mostMerged = 20_000 // areas of merged cells of one sheet
)

func openXLSX(ctx context.Context, path string, how How) ([]table, error) {
	z, err := zip.OpenReader(path)
	if err != nil {
		return nil, refuse(0, "", "The spreadsheet is damaged: %s.", err)
	}
	defer z.Close()
	var unpacked uint64
	for _, f := range z.File {
		unpacked += f.UncompressedSize64
	}
	if unpacked > mostUnpacked {
		return nil, refuse(0, "", "The spreadsheet unpacks to more than %d GB.", mostUnpacked>>30)
	}
	if len(z.File) > mostParts {
		return nil, refuse(0, "", "The archive has more parts than any spreadsheet.")
	}
	w := &workbook{ctx: ctx, path: path, from: time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)}
	sheets, err := w.sheets(&z.Reader)
	if err != nil {
		return nil, err
	}
	if err := w.shared(&z.Reader); err != nil {
		return nil, err
	}
	if err := w.styles(&z.Reader); err != nil {
		return nil, err
	}
	var out []table
	for _, s := range sheets {
		s.how = how
		filled, err := s.prepare(&z.Reader)
		if s.wrong = problem.Of(err); err != nil && s.wrong == nil {
			return nil, err
		}
		if filled || s.wrong != nil {
			out = append(out, s)
		}
	}
	if len(out) == 0 {
		return nil, refuse(0, "", "Every sheet of the spreadsheet is empty.")
	}
	if len(out) == 1 {
		out[0].(*sheet).only = true
	}
	return out, nil
}

// part reads one XML part of the archive, telling each start of an element.
func (w *workbook) part(z *zip.Reader, name string, start func(t *tokens, e xml.StartElement) error) error {
	f, err := z.Open(strings.TrimPrefix(name, "/"))
	if err != nil {
		return errNoPart
	}
	defer f.Close()
	t := newTokens(w.ctx, f)
	for {
		token, err := t.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return damaged(0, err)
		}
		if e, ok := token.(xml.StartElement); ok {
			if err := start(t, e); err != nil {
				return err
			}
		}
	}
}

var (
	errNoPart = errors.New("no such part")
)

func attribute(e xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

func (w *workbook) sheets(z *zip.Reader) ([]*sheet, error) {
	targets := map[string]string{}
	_ = w.part(z, "xl/_rels/workbook.xml.rels", func(_ *tokens, e xml.StartElement) error {
		if e.Name.Local == "Relationship" && len(targets) < mostParts {
			target := attribute(e, "Target")
			if !strings.HasPrefix(target, "/") {
				target = path.Join("xl", target)
			}
			targets[attribute(e, "Id")] = strings.TrimPrefix(target, "/")
		}
		return nil
	})
	var out []*sheet
	err := w.part(z, "xl/workbook.xml", func(_ *tokens, e xml.StartElement) error {
		switch e.Name.Local {
		case "workbookPr":
			if v := attribute(e, "date1904"); v == "1" || v == "true" {
				w.from = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
			}
		case "sheet":
			if target := targets[attribute(e, "id")]; strings.Contains(target, "worksheets/") {
				if len(out) == mostSheets {
					return refuse(0, "", "The spreadsheet has more than %d sheets.", mostSheets)
				}
				out = append(out, &sheet{book: w, name: attribute(e, "name"), part: target})
			}
		}
		return nil
	})
	if errors.Is(err, errNoPart) || err == nil && len(out) == 0 {
		return nil, refuse(0, "", "This archive is not a spreadsheet.")
	}
	return out, err
}

func (w *workbook) shared(z *zip.Reader) error {
	size := 0
	err := w.part(z, "xl/sharedStrings.xml", func(t *tokens, e xml.StartElement) error {
		if e.Name.Local != "si" {
			return nil
		}
		text, err := texts(t)
		if size += len(text); size > mostShared || len(w.texts) == mostTexts {
			return refuse(0, "", "The spreadsheet holds more than %d MB of text, or %d different texts: save it as CSV.", mostShared>>20, mostTexts)
		}
		w.texts = append(w.texts, text)
		return err
	})
	if errors.Is(err, errNoPart) {
		return nil
	}
	return err
}

// texts joins the text elements up to the end of the element that has just begun, without
// phonetic ones.
func texts(t *tokens) (string, error) {
	var b strings.Builder
	in, phonetic := false, false
	for depth := t.depth; t.depth >= depth; {
		token, err := t.next()
		if err != nil {
			return "", damaged(0, err)
		}
		switch e := token.(type) {
		case xml.StartElement:
			in = e.Name.Local == "t"
			phonetic = phonetic || e.Name.Local == "rPh"
		case xml.CharData:
			if in && !phonetic {
				if b.Len()+len(e) > mostText {
					return "", refuse(0, "", "A text of the spreadsheet is longer than %d MB.", mostText>>20)
				}
				b.Write(e)
			}
		case xml.EndElement:
			in = false
			if e.Name.Local == "rPh" {
				phonetic = false
			}
		}
	}
	return b.String(), nil
}

var (
	quotedFormat = regexp.MustCompile(`"[^"]*"|\\.|\[[^\]]*\]`)
	dayFormat    = regexp.MustCompile(`(?i)[dy]|mmm`)
	clockFormat  = regexp.MustCompile(`(?i)[hs]`)
)

// styleOf tells whether a number format shows a date.
func styleOf(format string) dateStyle {
	format = quotedFormat.ReplaceAllString(strings.Split(format, ";")[0], "")
	switch {
	case len(format) > 1000, strings.Contains(format, "0") || strings.Contains(format, "#") || !dayFormat.MatchString(format):
		return noDate
	case clockFormat.MatchString(format):
		return dateAndTime
	}
	return dateOnly
}

func (w *workbook) styles(z *zip.Reader) error {
	own := map[string]dateStyle{}
	cells := false
	err := w.part(z, "xl/styles.xml", func(_ *tokens, e xml.StartElement) error {
		if len(own) > mostStyles || len(w.dates) > mostStyles {
			return refuse(0, "", "The spreadsheet has more styles than any spreadsheet program makes.")
		}
		switch e.Name.Local {
		case "numFmt":
			own[attribute(e, "numFmtId")] = styleOf(attribute(e, "formatCode"))
		case "cellXfs":
			cells = true
		case "cellStyles", "dxfs":
			cells = false
		case "xf":
			if cells {
				id := attribute(e, "numFmtId")
				style, known := own[id]
				if n, _ := strconv.Atoi(id); !known {
					switch {
					case n >= 14 && n <= 17, n >= 27 && n <= 31, n == 36, n >= 50 && n <= 58:
						style = dateOnly
					case n == 22:
						style = dateAndTime
					}
				}
				w.dates = append(w.dates, style)
			}
		}
		return nil
	})
	if errors.Is(err, errNoPart) {
		return nil
	}
	return err
}
