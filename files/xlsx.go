package files

import (
	"archive/zip"
	"bufio"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// A workbook is an XLSX file. Its sheets are read as a stream of XML, so that large ones
// do not have to fit in memory; only the shared texts are kept.
type workbook struct {
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

// mostShared is how many bytes of shared texts are kept in memory.
const mostShared = 256 << 20

func openXLSX(path string) ([]table, error) {
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
	w := &workbook{path: path, from: time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)}
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
		filled, err := s.prepare(&z.Reader)
		if err != nil {
			return nil, err
		}
		if filled {
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
func part(z *zip.Reader, name string, start func(d *xml.Decoder, e xml.StartElement) error) error {
	f, err := z.Open(strings.TrimPrefix(name, "/"))
	if err != nil {
		return errNoPart
	}
	defer f.Close()
	d := xml.NewDecoder(bufio.NewReaderSize(io.LimitReader(f, mostUnpacked), 1<<16))
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return refuse(0, "", "The spreadsheet is damaged: %s.", err)
		}
		if e, ok := t.(xml.StartElement); ok {
			if err := start(d, e); err != nil {
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
	_ = part(z, "xl/_rels/workbook.xml.rels", func(_ *xml.Decoder, e xml.StartElement) error {
		if e.Name.Local == "Relationship" {
			target := attribute(e, "Target")
			if !strings.HasPrefix(target, "/") {
				target = path.Join("xl", target)
			}
			targets[attribute(e, "Id")] = strings.TrimPrefix(target, "/")
		}
		return nil
	})
	var out []*sheet
	err := part(z, "xl/workbook.xml", func(_ *xml.Decoder, e xml.StartElement) error {
		switch e.Name.Local {
		case "workbookPr":
			if v := attribute(e, "date1904"); v == "1" || v == "true" {
				w.from = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
			}
		case "sheet":
			if target := targets[attribute(e, "id")]; strings.Contains(target, "worksheets/") {
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
	err := part(z, "xl/sharedStrings.xml", func(d *xml.Decoder, e xml.StartElement) error {
		if e.Name.Local != "si" {
			return nil
		}
		text, err := texts(d, "si")
		if size += len(text); size > mostShared {
			return refuse(0, "", "The spreadsheet holds more than %d MB of text: save it as CSV.", mostShared>>20)
		}
		w.texts = append(w.texts, text)
		return err
	})
	if errors.Is(err, errNoPart) {
		return nil
	}
	return err
}

// texts joins the text elements up to the end of an element, without phonetic ones.
func texts(d *xml.Decoder, until string) (string, error) {
	var b strings.Builder
	in, phonetic := false, false
	for {
		t, err := d.Token()
		if err != nil {
			return "", refuse(0, "", "The spreadsheet is damaged: %s.", err)
		}
		switch t := t.(type) {
		case xml.StartElement:
			in = t.Name.Local == "t"
			phonetic = phonetic || t.Name.Local == "rPh"
		case xml.CharData:
			if in && !phonetic {
				b.Write(t)
			}
		case xml.EndElement:
			in = false
			if t.Name.Local == "rPh" {
				phonetic = false
			}
			if t.Name.Local == until {
				return b.String(), nil
			}
		}
	}
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
	case strings.Contains(format, "0") || strings.Contains(format, "#") || !dayFormat.MatchString(format):
		return noDate
	case clockFormat.MatchString(format):
		return dateAndTime
	}
	return dateOnly
}

func (w *workbook) styles(z *zip.Reader) error {
	own := map[string]dateStyle{}
	cells := false
	err := part(z, "xl/styles.xml", func(_ *xml.Decoder, e xml.StartElement) error {
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

// A sheet is one sheet of a workbook as a table. Its first row that is not blank has the titles.
type sheet struct {
	book   *workbook
	name   string
	part   string
	only   bool
	heads  []string
	first  int64 // row of the titles
	left   int   // their first column
	merged []area
}

// An area of merged cells shows the value of its first cell in all of them.
type area struct {
	top, bottom int64
	left, right int
	value       []byte
	kind        kind
}

func (s *sheet) sheet() string {
	if s.only {
		return ""
	}
	return s.name
}

func (s *sheet) words() string { return "spreadsheet, sheet “" + s.name + "”" }

func (s *sheet) titles() ([]string, error) { return s.heads, nil }

var cellName = regexp.MustCompile(`^\$?([A-Z]{1,3})\$?([0-9]+)$`)

func cellAt(ref string) (row int64, column int, ok bool) {
	m := cellName.FindStringSubmatch(ref)
	if m == nil {
		return 0, 0, false
	}
	for _, c := range m[1] {
		column = column*26 + int(c-'A') + 1
	}
	row, _ = strconv.ParseInt(m[2], 10, 64)
	return row, column - 1, true
}

// prepare finds the merged cells, which stand after the rows, and the titles.
func (s *sheet) prepare(z *zip.Reader) (filled bool, err error) {
	err = part(z, s.part, func(d *xml.Decoder, e xml.StartElement) error {
		switch e.Name.Local {
		case "sheetData":
			if err := d.Skip(); err != nil {
				return refuse(0, "", "The spreadsheet is damaged: %s.", err)
			}
		case "mergeCell":
			from, to, ok := strings.Cut(attribute(e, "ref"), ":")
			if !ok {
				return nil
			}
			top, left, ok1 := cellAt(from)
			bottom, right, ok2 := cellAt(to)
			if ok1 && ok2 && len(s.merged) < 100_000 {
				s.merged = append(s.merged, area{top: top, left: left, bottom: bottom, right: right})
			}
		}
		return nil
	})
	if err != nil {
		return false, err
	}
	r, err := s.start()
	if err != nil {
		return false, err
	}
	defer r.close()
	for {
		cells, err := r.row()
		if errors.Is(err, io.EOF) {
			return false, nil
		}
		if err != nil {
			return false, err
		}
		s.left = -1
		right := 0
		for i, c := range cells {
			if c.kind != kindEmpty {
				if s.left < 0 {
					s.left = i
				}
				right = i
			}
		}
		if s.left < 0 {
			continue
		}
		s.first = r.n
		for _, c := range cells[s.left : right+1] {
			s.heads = append(s.heads, string(c.text))
		}
		return true, nil
	}
}

type cell struct {
	text []byte
	kind kind
}

type sheetRows struct {
	s      *sheet
	z      *zip.ReadCloser
	in     io.ReadCloser
	d      *xml.Decoder
	n      int64
	cells  []cell
	fields [][]byte
	filled []bool
	kinds  []kind
}

func (s *sheet) start() (*sheetRows, error) {
	z, err := zip.OpenReader(s.book.path)
	if err != nil {
		return nil, err
	}
	in, err := z.Open(s.part)
	if err != nil {
		z.Close()
		return nil, refuse(0, "", "The spreadsheet lacks its sheet “%s”.", s.name)
	}
	return &sheetRows{s: s, z: z, in: in, d: xml.NewDecoder(bufio.NewReaderSize(io.LimitReader(in, mostUnpacked), 1<<18))}, nil
}

func (s *sheet) open() (rows, error) {
	r, err := s.start()
	if err != nil {
		return nil, err
	}
	for i := range s.merged {
		s.merged[i].value = nil
	}
	for r.n < s.first {
		if _, err := r.row(); err != nil {
			r.close()
			return nil, err
		}
	}
	n := len(s.heads)
	r.fields, r.filled, r.kinds = make([][]byte, n), make([]bool, n), make([]kind, n)
	return r, nil
}

func (r *sheetRows) close()          { r.in.Close(); r.z.Close() }
func (r *sheetRows) at() int64       { return r.n }
func (r *sheetRows) kind(i int) kind { return r.kinds[i] }

// row reads the next row that stands in the sheet.
func (r *sheetRows) row() ([]cell, error) {
	for {
		t, err := r.d.RawToken()
		if errors.Is(err, io.EOF) {
			return nil, io.EOF
		}
		if err != nil {
			return nil, refuse(r.n, "", "The spreadsheet is damaged here: %s.", err)
		}
		switch t := t.(type) {
		case xml.EndElement:
			if t.Name.Local == "sheetData" {
				return nil, io.EOF
			}
		case xml.StartElement:
			if t.Name.Local == "row" {
				r.n++
				if n, err := strconv.ParseInt(attribute(t, "r"), 10, 64); err == nil && n >= r.n {
					r.n = n
				}
				return r.read()
			}
		}
	}
}

func (r *sheetRows) read() ([]cell, error) {
	r.cells = r.cells[:0]
	for {
		t, err := r.d.RawToken()
		if err != nil {
			return nil, refuse(r.n, "", "The spreadsheet is damaged here: %s.", err)
		}
		switch t := t.(type) {
		case xml.EndElement:
			if t.Name.Local == "row" {
				r.merge()
				return r.cells, nil
			}
		case xml.StartElement:
			if t.Name.Local != "c" {
				continue
			}
			column := len(r.cells)
			if _, at, ok := cellAt(attribute(t, "r")); ok && at >= column {
				column = at
			}
			if column >= 16384 {
				return nil, refuse(r.n, "", "A cell lies beyond the last column of a sheet.")
			}
			for len(r.cells) <= column {
				r.cells = append(r.cells, cell{})
			}
			c, err := r.cell(t)
			if err != nil {
				return nil, err
			}
			r.cells[column] = c
		}
	}
}

// cell reads a cell: of a formula, the result that was kept with it.
func (r *sheetRows) cell(e xml.StartElement) (cell, error) {
	var value, inline strings.Builder
	inside := ""
	found := false
	for {
		t, err := r.d.RawToken()
		if err != nil {
			return cell{}, refuse(r.n, "", "The spreadsheet is damaged here: %s.", err)
		}
		switch t := t.(type) {
		case xml.StartElement:
			inside = t.Name.Local
			found = found || inside == "v" || inside == "t"
		case xml.CharData:
			switch inside {
			case "v":
				value.Write(t)
			case "t":
				inline.Write(t)
			}
		case xml.EndElement:
			inside = ""
			if t.Name.Local == "c" {
				if !found {
					return cell{}, nil
				}
				return r.value(e, value.String(), inline.String())
			}
		}
	}
}

func (r *sheetRows) value(e xml.StartElement, v, inline string) (cell, error) {
	where := attribute(e, "r")
	text := func(s string) (cell, error) {
		if s == "" {
			return cell{}, nil
		}
		if strings.ContainsRune(s, 0) {
			return cell{}, refuse(r.n, where, "It holds a zero byte, which no text has.")
		}
		return cell{[]byte(s), kindText}, nil
	}
	switch attribute(e, "t") {
	case "s":
		n, err := strconv.Atoi(v)
		if err != nil || n < 0 || n >= len(r.s.book.texts) {
			return cell{}, refuse(r.n, where, "The cell points to a text that the spreadsheet does not have.")
		}
		return text(r.s.book.texts[n])
	case "inlineStr":
		return text(inline)
	case "str":
		return text(v)
	case "b":
		return cell{[]byte(map[bool]string{true: "true", false: "false"}[v == "1"]), kindBool}, nil
	case "e": // #N/A and the like: the formula has no result
		return cell{}, nil
	case "d":
		if k := kindOf([]byte(v)); k == kindDate {
			return cell{[]byte(v), k}, nil
		}
		return text(v)
	}
	if v == "" {
		return cell{}, nil
	}
	number, err := strconv.ParseFloat(v, 64)
	if err != nil {
		return cell{}, refuse(r.n, where, "“%s” is not a number.", v)
	}
	style := noDate
	if s, err := strconv.Atoi(attribute(e, "s")); err == nil && s >= 0 && s < len(r.s.book.dates) {
		style = r.s.book.dates[s]
	}
	if style != noDate && number >= 0 && number < 2_958_466 {
		at := r.s.book.from.Add(time.Duration(number*86400+0.5) * time.Second)
		if style == dateOnly && number == float64(int64(number)) {
			return cell{[]byte(at.Format(time.DateOnly)), kindDate}, nil
		}
		return cell{[]byte(at.Format("2006-01-02 15:04:05")), kindText}, nil
	}
	// Fifteen digits are what spreadsheets keep.
	short := strconv.FormatFloat(number, 'f', -1, 64)
	if rounded, err := strconv.ParseFloat(fmt.Sprintf("%.15g", number), 64); err == nil {
		short = strconv.FormatFloat(rounded, 'f', -1, 64)
	}
	return cell{[]byte(short), kindOf([]byte(short))}, nil
}

// merge puts the value of merged cells into all of them.
func (r *sheetRows) merge() {
	for i := range r.s.merged {
		m := &r.s.merged[i]
		if r.n < m.top || r.n > m.bottom || m.right > 16383 {
			continue
		}
		for len(r.cells) <= m.right {
			r.cells = append(r.cells, cell{})
		}
		if r.n == m.top {
			m.value, m.kind = append([]byte{}, r.cells[m.left].text...), r.cells[m.left].kind
		}
		for c := m.left; c <= m.right; c++ {
			r.cells[c] = cell{m.value, m.kind}
		}
	}
}

func (r *sheetRows) next() ([][]byte, []bool, error) {
	for {
		cells, err := r.row()
		if err != nil {
			return nil, nil, err
		}
		any := false
		for i := range r.fields {
			c := cell{}
			if at := r.s.left + i; at < len(cells) {
				c = cells[at]
			}
			r.fields[i], r.filled[i], r.kinds[i] = c.text, c.kind != kindEmpty, c.kind
			any = any || r.filled[i]
		}
		for i := r.s.left + len(r.fields); i < len(cells); i++ {
			if cells[i].kind != kindEmpty {
				return nil, nil, refuse(r.n, "", "It has a value to the right of the last titled column.")
			}
		}
		if any {
			return r.fields, r.filled, nil
		}
	}
}
