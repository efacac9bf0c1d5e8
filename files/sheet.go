package files

import (
	"archive/zip"
	"cmp"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"eskadel/core/problem"
)

// A sheet is one sheet of a workbook as a table. Its first row that is not blank has the titles.
type sheet struct {
	book    *workbook
	name    string
	part    string
	only    bool
	heads   []string
	first   int64 // row of the titles
	left    int   // their first column
	merged  []area
	how     How
	above   int64            // filled rows over the titles, which are left out
	untold  bool             // it has no titles
	skipped int64            // rows with more than the titles, the last time
	wrong   *problem.Problem // why the sheet cannot be read
}

// lastColumn is how many columns a sheet has.
const lastColumn = 16_384

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

func (s *sheet) titles() ([]string, error) {
	if s.wrong != nil {
		return nil, s.wrong
	}
	return s.heads, nil
}

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
	err = s.book.part(z, s.part, func(t *tokens, e xml.StartElement) error {
		switch e.Name.Local {
		case "sheetData":
			if err := t.skip(); err != nil {
				return damaged(0, err)
			}
		case "mergeCell":
			from, to, ok := strings.Cut(attribute(e, "ref"), ":")
			if !ok {
				return nil
			}
			if len(s.merged) == mostMerged {
				return refuse(0, "", "The sheet “%s” has more than %d areas of merged cells.", s.name, mostMerged)
			}
			top, left, ok1 := cellAt(from)
			bottom, right, ok2 := cellAt(to)
			if ok1 && ok2 && left <= right && right < lastColumn {
				s.merged = append(s.merged, area{top: top, left: left, bottom: bottom, right: right})
			}
		}
		return nil
	})
	if errors.Is(err, errNoPart) {
		return false, refuse(0, "", "The spreadsheet lacks its sheet “%s”.", s.name)
	}
	if err != nil {
		return false, err
	}
	slices.SortFunc(s.merged, func(a, b area) int { return cmp.Compare(a.top, b.top) })
	r, err := s.start()
	if err != nil {
		return false, err
	}
	defer r.close()
	return s.head(r)
}

// A line is a row of a sheet that has something in it.
type line struct {
	n           int64
	left, right int
	filled      int
	cells       []string
}

// line reads the next row that is not blank.
func (r *sheetRows) line() (line, error) {
	for {
		cells, err := r.row()
		if err != nil {
			return line{}, err
		}
		l := line{n: r.n, left: -1}
		for i, c := range cells {
			l.cells = append(l.cells, string(c.text))
			if c.kind == kindEmpty {
				continue
			}
			if l.left < 0 {
				l.left = i
			}
			l.right, l.filled = i, l.filled+1
		}
		if l.left >= 0 {
			return l, nil
		}
	}
}

// head finds the titles: in the row that is named, or that the first rows look like.
func (s *sheet) head(r *sheetRows) (filled bool, err error) {
	var first []line
	var counts []int
	for len(first) < lookRows/4 || first[len(first)-1].n < s.how.Heading {
		l, err := r.line()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return false, err
		}
		if len(first) >= lookRows/4 {
			first, counts = first[1:], counts[1:]
		}
		first, counts = append(first, l), append(counts, l.filled)
	}
	if len(first) == 0 {
		return false, nil
	}
	at := titled(counts)
	if s.how.Heading > 0 {
		if at = slices.IndexFunc(first, func(l line) bool { return l.n == s.how.Heading }); at < 0 {
			return false, refuse(s.how.Heading, "", "The sheet “%s” has no titles in this row.", s.name)
		}
	}
	l := first[at]
	s.left, s.first, s.above = l.left, l.n, int64(at)
	if s.how.Heading < 0 {
		s.first, s.above, s.untold = first[0].n-1, 0, true
	}
	right := l.right
	if s.untold || s.how.Uneven == "fill" {
		if right, err = s.widest(); err != nil {
			return false, err
		}
	}
	for i := s.left; i <= right; i++ {
		title := ""
		if i < len(l.cells) && !s.untold {
			title = l.cells[i]
		}
		if len(title) > longestTitle {
			return false, refuse(l.n, "", "A title is longer than %d characters: is this the row of the titles?", longestTitle)
		}
		if s.untold || title == "" && i > l.right {
			title = fmt.Sprintf("column %d", i-s.left+1)
		}
		s.heads = append(s.heads, title)
	}
	return true, nil
}

// widest finds the last column that any row has something in.
func (s *sheet) widest() (right int, err error) {
	r, err := s.start()
	if err != nil {
		return 0, err
	}
	defer r.close()
	for {
		l, err := r.line()
		if errors.Is(err, io.EOF) {
			return right, nil
		}
		if err != nil {
			return 0, err
		}
		if right = max(right, l.right); s.untold {
			s.left = min(s.left, l.left)
		}
	}
}

func (s *sheet) glance() (g Glance, err error) {
	if g.Sheet = s.name; s.wrong != nil {
		return g, s.wrong
	}
	r, err := s.start()
	if err != nil {
		return g, err
	}
	defer r.close()
	g.Heading = s.first
	g.Rows, err = glanced(func() (int64, []string, error) {
		l, err := r.line()
		return l.n, l.cells, err
	})
	return g, err
}

func (r *sheetRows) last() ([][]byte, []bool) { return r.fields, r.filled }

func (s *sheet) told() (out []string) {
	if s.above > 0 {
		out = append(out, above(s.above+1))
	}
	return append(out, leftOut(s.skipped)...)
}

type cell struct {
	text []byte
	kind kind
}

type sheetRows struct {
	s       *sheet
	z       *zip.ReadCloser
	in      io.ReadCloser
	t       *tokens
	n       int64
	size    int    // bytes of the row's cells
	begun   int    // how many of the merged areas have begun
	running []area // those of them that have not ended
	cells   []cell
	fields  [][]byte
	filled  []bool
	kinds   []kind
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
	return &sheetRows{s: s, z: z, in: in, t: newTokens(s.book.ctx, in)}, nil
}

func (s *sheet) open() (rows, error) {
	s.skipped = 0
	r, err := s.start()
	if err != nil {
		return nil, err
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
		t, err := r.t.next()
		if errors.Is(err, io.EOF) {
			return nil, io.EOF
		}
		if err != nil {
			return nil, damaged(r.n, err)
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
	r.cells, r.size = r.cells[:0], 0
	for {
		t, err := r.t.next()
		if err != nil {
			return nil, damaged(r.n, err)
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
			if column >= lastColumn {
				return nil, refuse(r.n, "", "A cell lies beyond the last column of a sheet.")
			}
			for len(r.cells) <= column {
				r.cells = append(r.cells, cell{})
			}
			c, err := r.cell(t)
			if err != nil {
				return nil, err
			}
			if r.size += len(c.text); r.size > longestRow {
				return nil, refuse(r.n, "", "The row is longer than %d MB.", longestRow>>20)
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
		t, err := r.t.next()
		if err != nil {
			return cell{}, damaged(r.n, err)
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
			if value.Len()+inline.Len() > mostText {
				return cell{}, refuse(r.n, "", "A text is longer than %d MB.", mostText>>20)
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

// merge puts the value of merged cells into all of them. Areas stand in the order of their
// first rows, so that only those are looked at that have begun and not ended.
func (r *sheetRows) merge() {
	areas := r.s.merged
	for ; r.begun < len(areas) && areas[r.begun].top <= r.n; r.begun++ {
		r.running = append(r.running, areas[r.begun])
	}
	r.running = slices.DeleteFunc(r.running, func(m area) bool { return m.bottom < r.n })
	for i := range r.running {
		m := &r.running[i]
		if r.n == m.top && m.left < len(r.cells) {
			m.value, m.kind = append([]byte{}, r.cells[m.left].text...), r.cells[m.left].kind
		}
		if m.kind == kindEmpty {
			continue
		}
		for len(r.cells) <= min(m.right, m.left+MostColumns) {
			r.cells = append(r.cells, cell{})
		}
		for c := m.left; c <= m.right && c < len(r.cells); c++ {
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
		if slices.Contains(r.s.how.Skip, r.n) {
			continue
		}
		any, more := false, false
		for i := range r.fields {
			c := cell{}
			if at := r.s.left + i; at < len(cells) {
				c = cells[at]
			}
			r.fields[i], r.filled[i], r.kinds[i] = c.text, c.kind != kindEmpty, c.kind
			any = any || r.filled[i]
		}
		for i := r.s.left + len(r.fields); i < len(cells); i++ {
			more = more || cells[i].kind != kindEmpty
		}
		switch {
		case more && r.s.how.Uneven == "skip":
			r.s.skipped++
		case more:
			return nil, nil, refuse(r.n, "", "It has a value to the right of the last titled column.")
		case any:
			return r.fields, r.filled, nil
		}
	}
}
