package files

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// A Dialect is how a CSV file is written, as found in it.
type Dialect struct {
	Encoding  string // UTF-8, UTF-16LE, UTF-16BE or Windows-1252
	Separator byte
	Quote     byte
	Header    bool
	top       int64 // the row of the titles
	skip      int   // bytes of a byte order mark
}

var separatorNames = map[byte]string{',': "commas", ';': "semicolons", '\t': "tabs", '|': "bars"}

// Words says the dialect: "CSV in UTF-8 with semicolons".
func (d Dialect) Words() string {
	w := "CSV in " + d.Encoding + " with " + separatorNames[d.Separator]
	if d.Quote == '\'' {
		w += " and single quotes"
	}
	if !d.Header {
		w += ", without a header"
	}
	return w
}

// longestRow is how many bytes one row may have; an open quote is found before it fills memory.
const longestRow = 16 << 20

// mostFields is how many fields a row may have before it is known which are filled.
const mostFields = 20_000

func tooManyFields(row int64) error {
	return refuse(row, "", "The row has more than %d fields.", mostFields)
}

// A csvReader reads rows by RFC 4180, and takes any of the three line ends. The fields of
// a row are valid until the next one is read.
type csvReader struct {
	in     *bufio.Reader
	d      Dialect
	row    int64 // of the last row read, counted from 1, header and all
	fields [][]byte
	quoted []bool
	ends   []int
	buf    []byte
	utf8   bool // the input must be checked to be UTF-8
}

func newCSV(in io.Reader, d Dialect) *csvReader {
	switch d.Encoding {
	case "UTF-16LE":
		in = transform.NewReader(in, unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder())
	case "UTF-16BE":
		in = transform.NewReader(in, unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewDecoder())
	case "Windows-1252":
		in = transform.NewReader(in, charmap.Windows1252.NewDecoder())
	}
	r := &csvReader{in: bufio.NewReaderSize(in, 1<<16), d: d, utf8: d.Encoding == "UTF-8"}
	if r.utf8 && d.skip > 0 {
		_, _ = r.in.Discard(d.skip)
	}
	return r
}

var errEncoding = errors.New("not UTF-8")

// next reads a row; io.EOF after the last. Blank lines are stepped over.
func (r *csvReader) next() ([][]byte, []bool, error) {
	for {
		err := r.read()
		if err != nil {
			return nil, nil, err
		}
		if len(r.fields) == 1 && len(r.fields[0]) == 0 && !r.quoted[0] {
			continue
		}
		return r.fields, r.quoted, nil
	}
}

// line appends what is left of the current line to buf, up to and with its end: a line
// feed, a return, or both. more is false at the end of the file.
func (r *csvReader) line() (more bool, err error) {
	for {
		if _, err := r.in.Peek(1); err != nil {
			switch {
			case errors.Is(err, io.EOF):
				return false, nil
			case errors.Is(err, encoding.ErrInvalidUTF8):
				return false, errEncoding
			}
			return false, err
		}
		part, _ := r.in.Peek(r.in.Buffered())
		end := lineEnd(part)
		r.buf = append(r.buf, part[:end]...)
		if len(r.buf) > longestRow {
			return false, refuse(r.row, "", "The row is longer than %d MB: probably a quote that opens in it is never closed.", longestRow>>20)
		}
		if end == len(part) {
			_, _ = r.in.Discard(end)
			continue
		}
		feed := part[end] == '\n'
		_, _ = r.in.Discard(end + 1)
		if !feed {
			if next, err := r.in.Peek(1); err == nil && next[0] == '\n' {
				_, _ = r.in.Discard(1)
				r.buf = append(r.buf, '\r')
			}
		}
		r.buf = append(r.buf, '\n')
		return true, nil
	}
}

// lineEnd is where the first line feed or return stands, or how long b is.
func lineEnd(b []byte) int {
	feed := bytes.IndexByte(b, '\n')
	if feed < 0 {
		feed = len(b)
	}
	if alone := bytes.IndexByte(b[:feed], '\r'); alone >= 0 {
		return alone
	}
	return feed
}

func (r *csvReader) read() error {
	r.row++
	r.buf, r.fields, r.quoted, r.ends = r.buf[:0], r.fields[:0], r.quoted[:0], r.ends[:0]
	more, err := r.line()
	if err != nil {
		return err
	}
	if len(r.buf) == 0 && !more {
		return io.EOF
	}
	line := trimEnd(r.buf)
	if r.utf8 && !utf8.Valid(line) {
		return errEncoding
	}
	if bytes.IndexByte(line, 0) >= 0 {
		return refuse(r.row, "", "It holds a zero byte, which no text has: this may not be a text file.")
	}
	if bytes.IndexByte(line, r.d.Quote) < 0 { // the plain row, by far the most frequent
		for {
			i := bytes.IndexByte(line, r.d.Separator)
			if i < 0 {
				break
			}
			if r.fields, r.quoted = append(r.fields, line[:i]), append(r.quoted, false); len(r.fields) > mostFields {
				return tooManyFields(r.row)
			}
			line = line[i+1:]
		}
		r.fields, r.quoted = append(r.fields, line), append(r.quoted, false)
		return nil
	}
	return r.withQuotes(more)
}

func trimEnd(b []byte) []byte {
	b = bytes.TrimSuffix(b, []byte{'\n'})
	return bytes.TrimSuffix(b, []byte{'\r'})
}

// withQuotes reads a row in which quotes occur; it may go on over several lines.
func (r *csvReader) withQuotes(more bool) error {
	var out []byte // the fields' text, without quotes, one after another
	pos := 0
	start := r.row
	for {
		if len(r.ends) > mostFields {
			return tooManyFields(start)
		}
		if pos < len(r.buf) && r.buf[pos] == r.d.Quote {
			pos++
			for {
				i := bytes.IndexByte(r.buf[pos:], r.d.Quote)
				if i < 0 {
					if !more {
						return refuse(start, fmt.Sprint(len(r.ends)+1), "The quote that opens here is never closed.")
					}
					out = append(out, r.buf[pos:]...)
					pos = len(r.buf)
					before := len(r.buf)
					var err error
					if more, err = r.line(); err != nil {
						return err
					}
					if added := r.buf[before:]; r.utf8 && !utf8.Valid(added) {
						return errEncoding
					} else if bytes.IndexByte(added, 0) >= 0 {
						return refuse(r.row, "", "It holds a zero byte, which no text has: this may not be a text file.")
					}
					continue
				}
				out = append(out, r.buf[pos:pos+i]...)
				pos += i + 1
				if pos < len(r.buf) && r.buf[pos] == r.d.Quote {
					out = append(out, r.d.Quote)
					pos++
					continue
				}
				break
			}
			r.ends, r.quoted = append(r.ends, len(out)), append(r.quoted, true)
			rest := trimEnd(r.buf[pos:])
			if len(rest) == 0 {
				break
			}
			if rest[0] != r.d.Separator {
				return refuse(start, fmt.Sprint(len(r.ends)), "Text follows right after the closing quote: a quote within a quoted text is written twice.")
			}
			pos++
			if len(rest) == 1 { // a separator at the end opens an empty field
				r.ends, r.quoted = append(r.ends, len(out)), append(r.quoted, false)
				break
			}
			continue
		}
		rest := trimEnd(r.buf[pos:])
		i := bytes.IndexByte(rest, r.d.Separator)
		if i < 0 {
			out = append(out, rest...)
			r.ends, r.quoted = append(r.ends, len(out)), append(r.quoted, false)
			break
		}
		out = append(out, rest[:i]...)
		r.ends, r.quoted = append(r.ends, len(out)), append(r.quoted, false)
		pos += i + 1
	}
	from := 0
	for _, end := range r.ends {
		r.fields = append(r.fields, out[from:end])
		from = end
	}
	return nil
}

// found looks at the beginning of a file and finds how it is written.
func found(head []byte, whole bool) Dialect {
	d := Dialect{Encoding: "UTF-8", Quote: '"', Header: true, Separator: ','}
	switch {
	case bytes.HasPrefix(head, []byte{0xEF, 0xBB, 0xBF}):
		d.skip = 3
	case bytes.HasPrefix(head, []byte{0xFF, 0xFE}):
		d.Encoding = "UTF-16LE"
	case bytes.HasPrefix(head, []byte{0xFE, 0xFF}):
		d.Encoding = "UTF-16BE"
	case zeros(head, 1) > len(head)/5:
		d.Encoding = "UTF-16LE"
	case zeros(head, 0) > len(head)/5:
		d.Encoding = "UTF-16BE"
	case !utf8.Valid(complete(head, whole)):
		d.Encoding = "Windows-1252"
	}
	best := -1
	for _, quote := range []byte{'"', '\''} {
		if quote == '\'' && !leads(head, quote) {
			continue
		}
		for _, separator := range []byte{',', ';', '\t', '|'} {
			try := d
			try.Separator, try.Quote = separator, quote
			if score := try.score(head, whole); score > best {
				best, d = score, try
			}
		}
	}
	rows, numbers := d.first(head, whole)
	at := titled(rows.filled())
	d.Header = hasHeader(rows[min(at, len(rows)):])
	if d.top = 1; at < len(numbers) {
		d.top = numbers[at]
	}
	return d
}

// lines are rows of texts.
type lines [][]string

func (t lines) filled() (out []int) {
	for _, row := range t {
		out = append(out, filledIn(row))
	}
	return out
}

// complete cuts a head off after its last whole character.
func complete(head []byte, whole bool) []byte {
	if whole {
		return head
	}
	for i := 1; i <= 3 && i <= len(head); i++ {
		if utf8.RuneStart(head[len(head)-i]) {
			return head[:len(head)-i]
		}
	}
	return head
}

func zeros(head []byte, parity int) (n int) {
	for i := parity; i < len(head); i += 2 {
		if head[i] == 0 {
			n++
		}
	}
	return n
}

// leads tells whether texts in the head open with a quote, and it has no double ones.
func leads(head []byte, quote byte) bool {
	return bytes.IndexByte(head, '"') < 0 && (bytes.HasPrefix(head, []byte{quote}) || bytes.Contains(head, []byte{'\n', quote})) && bytes.Count(head, []byte{quote})%2 == 0
}

// lookRows is how many rows decide on the dialect.
const lookRows = 200

// first reads the first rows of a head with their numbers.
func (d Dialect) first(head []byte, whole bool) (lines, []int64) {
	out, numbers, _ := d.rows(head, whole)
	return out, numbers
}

// rows reads the first rows of a head; the last, which may be cut, is left out.
func (d Dialect) rows(head []byte, whole bool) (out lines, numbers []int64, broken bool) {
	r := newCSV(bytes.NewReader(head), d)
	r.utf8 = false
	for len(out) < lookRows {
		fields, _, err := r.next()
		if err != nil {
			broken = !errors.Is(err, io.EOF) && whole
			break
		}
		row := make([]string, len(fields))
		for i, f := range fields {
			row[i] = string(f)
		}
		out, numbers = append(out, row), append(numbers, r.row)
	}
	if !whole && len(out) > 1 && len(out) < lookRows {
		out = out[:len(out)-1]
	}
	return out, numbers, broken
}

// score is larger the more fields the rows have, as long as all have the same number.
func (d Dialect) score(head []byte, whole bool) int {
	rows, _, broken := d.rows(head, whole)
	if len(rows) == 0 || broken {
		return 0
	}
	count := map[int]int{}
	most := 0
	for _, r := range rows {
		count[len(r)]++
		if count[len(r)] > count[most] {
			most = len(r)
		}
	}
	if most < 2 {
		return 1
	}
	return 2 + 1000*count[most]/len(rows) + min(most, 500)
}

// hasHeader tells whether the first row names the columns: all its fields are filled,
// different, and none is a number or a date.
func hasHeader(rows lines) bool {
	if len(rows) == 0 {
		return true
	}
	seen := map[string]bool{}
	for _, f := range rows[0] {
		if k := kindOf([]byte(f)); k != kindText && k != kindEmpty {
			return false
		}
		if f == "" && len(rows) == 1 || len(rows) > 1 && f != "" && seen[f] && len(rows[0]) == 1 {
			return false
		}
		seen[f] = true
	}
	return true
}
