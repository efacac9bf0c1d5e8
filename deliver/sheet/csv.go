package sheet

import (
	"encoding/csv"
	"io"
	"strings"

	"eskadel/core/field"
)

// lines writes CSV (RFC 4180): numbers exactly, without a format; dates as 2026-03-09 and
// 2026-03-09 14:05. A text that a spreadsheet would take for a formula gets an apostrophe before it.
type lines struct {
	*csv.Writer
	commas, totals bool
	line           []string
}

func newCSV(w io.Writer, commas, totals bool) *lines {
	out := &lines{Writer: csv.NewWriter(w), commas: commas, totals: totals}
	out.UseCRLF = true
	if commas {
		out.Comma = ';'
	}
	return out
}

func (l *lines) Sheet(_ string, columns []Column) error {
	l.line = l.line[:0]
	for _, c := range columns {
		l.line = append(l.line, safe(c.Label))
	}
	if l.totals {
		l.line = append(l.line, "Total")
	}
	return l.Write(l.line)
}

func (l *lines) Line(cells []Cell, total bool) error {
	l.line = l.line[:0]
	for _, c := range cells {
		l.line = append(l.line, l.written(c))
	}
	if l.totals {
		l.line = append(l.line, map[bool]string{true: "yes"}[total])
	}
	return l.Write(l.line)
}

func (l *lines) Close() error {
	l.Flush()
	return l.Error()
}

func (l *lines) written(c Cell) string {
	switch c.Kind {
	case field.Number:
		if l.commas {
			return strings.Replace(c.Exact, ".", ",", 1)
		}
		return c.Exact
	case field.Date:
		return c.At.Format("2006-01-02")
	case field.Timestamp:
		return c.At.Format("2006-01-02 15:04:05")
	case field.Empty:
		return ""
	}
	return safe(c.Text)
}

// safe is a text that no spreadsheet takes for a formula.
func safe(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r\n", rune(s[0])) {
		return "'" + s
	}
	return s
}
