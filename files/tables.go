package files

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"golang.org/x/text/unicode/norm"
)

// plainLetters takes accents off letters.
func plainLetters(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= 0x300 && r < 0x370 {
			return -1
		}
		return r
	}, norm.NFD.String(s))
}

// A csvFile is a CSV file as a table.
type csvFile struct {
	path  string
	d     Dialect
	how   How
	width int   // once titles have been read
	left  int64 // rows of another length that were left out, the last time
}

func (c *csvFile) sheet() string { return "" }
func (c *csvFile) words() string { return c.d.Words() }

type csvRows struct {
	*csvReader
	of     *csvFile
	file   *os.File
	filled []bool
}

// heading is the row of the titles; 0 for none.
func (c *csvFile) heading() int64 {
	switch {
	case c.how.Heading > 0:
		return c.how.Heading
	case c.how.Heading < 0 || !c.d.Header:
		return 0
	}
	return c.d.top
}

// open begins after the titles, which have been read.
func (c *csvFile) open() (rows, error) {
	r, err := c.start()
	if err != nil {
		return nil, err
	}
	c.left = 0
	if err := r.until(c.heading()); err != nil {
		r.close()
		return nil, c.failed(err)
	}
	return r, nil
}

// until reads up to a row, and with it.
func (r *csvRows) until(row int64) error {
	for r.row < row {
		if err := r.csvReader.read(); err != nil {
			return err
		}
	}
	return nil
}

func (c *csvFile) start() (*csvRows, error) {
	f, err := os.Open(c.path)
	if err != nil {
		return nil, err
	}
	return &csvRows{csvReader: newCSV(f, c.d), of: c, file: f}, nil
}

// failed turns to another encoding when the file turns out not to be UTF-8.
func (c *csvFile) failed(err error) error {
	if errors.Is(err, io.EOF) {
		return refuse(0, "", "The file has no rows.")
	}
	return err
}

func (c *csvFile) titles() ([]string, error) {
	r, err := c.start()
	if err != nil {
		return nil, err
	}
	defer r.close()
	heading := c.heading()
	if err = r.until(heading - 1); err == nil {
		r.fields, r.quoted, err = r.csvReader.next()
	}
	if errors.Is(err, errEncoding) && c.d.skip == 0 && c.d.Encoding == "UTF-8" {
		c.d.Encoding = "Windows-1252"
		return c.titles()
	}
	if err != nil {
		return nil, c.failed(err)
	}
	out := make([]string, len(r.fields))
	for i, f := range r.fields {
		if heading > 0 {
			out[i] = string(f)
		} else {
			out[i] = fmt.Sprintf("column %d", i+1)
		}
	}
	// Separators at the end of the header name no columns.
	for len(out) > 1 && strings.TrimSpace(out[len(out)-1]) == "" {
		out = out[:len(out)-1]
	}
	if c.how.Uneven == "fill" { // the longest row tells how many columns there are
		for {
			fields, _, err := r.csvReader.next()
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				return nil, err
			}
			for len(out) < len(fields) && len(out) <= MostColumns {
				out = append(out, fmt.Sprintf("column %d", len(out)+1))
			}
		}
	}
	c.width = len(out)
	return out, nil
}

// glance shows the first rows, as they stand.
func (c *csvFile) glance() (g Glance, err error) {
	r, err := c.start()
	if err != nil {
		return g, err
	}
	defer r.close()
	if g.Heading = c.heading(); g.Heading == 0 {
		g.Heading = -1
	}
	g.Rows, err = glanced(func() (int64, []string, error) {
		fields, _, err := r.csvReader.next()
		out := make([]string, len(fields))
		for i, f := range fields {
			out[i] = string(f)
		}
		return r.row, out, err
	})
	return g, err
}

func (r *csvRows) next() ([][]byte, []bool, error) {
	for {
		fields, quoted, err := r.csvReader.next()
		if errors.Is(err, errEncoding) {
			return nil, nil, refuse(r.row, "", "It holds bytes that are not UTF-8, as the rows before it are: save the file in one encoding.")
		}
		if err != nil {
			return nil, nil, err
		}
		if slices.Contains(r.of.how.Skip, r.row) {
			continue
		}
		for len(fields) > r.of.width && len(fields[len(fields)-1]) == 0 {
			fields = fields[:len(fields)-1]
		}
		if len(fields) != r.of.width {
			switch r.of.how.Uneven {
			case "skip":
				r.of.left++
				continue
			case "fill":
			default:
				return nil, nil, refuse(r.row, "", "It has %d fields where the titles are %d.", len(fields), r.of.width)
			}
		}
		r.filled = r.filled[:0]
		for i, f := range fields {
			r.filled = append(r.filled, len(f) > 0 || quoted[i])
		}
		for len(fields) < r.of.width {
			fields, r.filled = append(fields, nil), append(r.filled, false)
		}
		r.csvReader.fields = fields
		return fields, r.filled, nil
	}
}

func (r *csvRows) last() ([][]byte, []bool)  { return r.csvReader.fields, r.filled }
func (r *jsonRows) last() ([][]byte, []bool) { return r.fields, r.filled }

func (c *csvFile) told() (out []string) {
	if c.heading() > 1 {
		out = append(out, above(c.heading()))
	}
	return append(out, leftOut(c.left)...)
}

// above tells that rows stand over the titles.
func above(heading int64) string {
	if heading == 2 {
		return "The row above the titles is left out."
	}
	return fmt.Sprintf("The %d rows above the titles are left out.", heading-1)
}

func leftOut(n int64) []string {
	switch n {
	case 0:
		return nil
	case 1:
		return []string{"One row of another length is left out."}
	}
	return []string{fmt.Sprintf("%d rows of another length are left out.", n)}
}

func (r *csvRows) at() int64 { return r.row }
func (r *csvRows) close()    { r.file.Close() }

// A jsonFile is a JSON file: a list of objects, or objects one after another. Objects
// within objects become columns, joined by underscores; lists stay JSON.
type jsonFile struct {
	path  string
	names []string
	index map[string]int
	list  bool
}

// mostDepth is how deep objects may be nested before they stay JSON.
const mostDepth = 6

func (j *jsonFile) sheet() string { return "" }
func (j *jsonFile) words() string {
	if j.list {
		return "JSON, a list of records"
	}
	return "JSON Lines"
}

type jsonRows struct {
	file   *os.File
	from   *upTo
	dec    *json.Decoder
	in     *jsonFile
	grow   bool // names are still being collected
	n      int64
	fields [][]byte
	raws   [][]byte // as they stand in the file
	filled []bool
	kinds  []kind
}

// upTo reads a file up to a place that is moved on from record to record, so that none of
// them fills the memory.
type upTo struct {
	in         io.Reader
	read, most int64
}

var errLongRecord = errors.New("a record is too long")

func (u *upTo) Read(b []byte) (int, error) {
	if u.read >= u.most {
		return 0, errLongRecord
	}
	n, err := u.in.Read(b[:min(int64(len(b)), u.most-u.read)])
	u.read += int64(n)
	return n, err
}

func (j *jsonFile) begin(grow bool) (*jsonRows, error) {
	f, err := os.Open(j.path)
	if err != nil {
		return nil, err
	}
	head := make([]byte, 3)
	if n, _ := io.ReadFull(f, head); !bytes.Equal(head[:n], []byte{0xEF, 0xBB, 0xBF}) {
		_, _ = f.Seek(0, io.SeekStart)
	}
	in := &upTo{in: f, most: longestRow}
	d := json.NewDecoder(in)
	d.UseNumber()
	n := len(j.names)
	r := &jsonRows{file: f, from: in, dec: d, in: j, grow: grow, fields: make([][]byte, n), raws: make([][]byte, n), filled: make([]bool, n), kinds: make([]kind, n)}
	first, err := d.Token()
	if err != nil {
		f.Close()
		return nil, refuse(1, "", "This is not JSON: %s.", err)
	}
	in.most = d.InputOffset() + longestRow
	switch first {
	case json.Delim('['):
		j.list = true
	case json.Delim('{'): // one object after another: read again from the first
		_, _ = f.Seek(0, io.SeekStart)
		if bytes.Equal(head, []byte{0xEF, 0xBB, 0xBF}) {
			_, _ = f.Seek(3, io.SeekStart)
		}
		in.read = 0
		r.dec = json.NewDecoder(in)
		r.dec.UseNumber()
	default:
		f.Close()
		return nil, refuse(1, "", "The file holds neither a list of objects nor objects one after another.")
	}
	return r, nil
}

func (j *jsonFile) titles() ([]string, error) {
	j.index = map[string]int{}
	j.names = nil
	r, err := j.begin(true)
	if err != nil {
		return nil, err
	}
	defer r.close()
	for {
		_, _, err := r.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		if len(j.names) > MostColumns {
			break
		}
	}
	if r.n == 0 {
		return nil, refuse(0, "", "The list is empty.")
	}
	return j.names, nil
}

func (j *jsonFile) open() (rows, error) { return j.begin(false) }

func (r *jsonRows) next() ([][]byte, []bool, error) {
	if !r.dec.More() {
		if r.in.list {
			if _, err := r.dec.Token(); err != nil {
				return nil, nil, refuse(r.n+1, "", "The list of records is never closed.")
			}
		}
		if _, err := r.dec.Token(); !errors.Is(err, io.EOF) {
			return nil, nil, refuse(r.n, "", "There is more text after the end of the records.")
		}
		return nil, nil, io.EOF
	}
	r.n++
	var record orderedObject
	r.from.most = r.dec.InputOffset() + longestRow
	if err := r.dec.Decode(&record); errors.Is(err, errLongRecord) {
		return nil, nil, refuse(r.n, "", "The record is longer than %d MB.", longestRow>>20)
	} else if err != nil {
		return nil, nil, refuse(r.n, "", "This record is not a JSON object: %s.", err)
	}
	for i := range r.fields {
		r.fields[i], r.filled[i] = nil, false
	}
	if err := r.flatten("", record, 1); err != nil {
		return nil, nil, err
	}
	return r.fields, r.filled, nil
}

func (r *jsonRows) flatten(before string, o orderedObject, depth int) error {
	for _, p := range o {
		name := p.key
		if before != "" {
			name = before + "_" + name
		}
		raw := bytes.TrimSpace(p.value)
		if len(raw) > 0 && raw[0] == '{' && depth < mostDepth {
			var inner orderedObject
			if err := json.Unmarshal(raw, &inner); err != nil {
				return refuse(r.n, name, "This is not a JSON object: %s.", err)
			}
			if len(inner) > 0 {
				if err := r.flatten(name, inner, depth+1); err != nil {
					return err
				}
				continue
			}
		}
		i, known := r.in.index[name]
		if !known {
			if !r.grow {
				return refuse(r.n, name, "The file changed while it was read.")
			}
			i = len(r.in.names)
			if i > MostColumns {
				return nil // that there are too many is told by whoever asked for the names
			}
			if len(name) > longestTitle {
				return refuse(r.n, "", "A name in the record is longer than %d characters.", longestTitle)
			}
			r.in.index[name] = i
			r.in.names = append(r.in.names, name)
		}
		for len(r.fields) <= i || len(r.fields) < len(r.in.names) {
			r.fields, r.raws, r.filled, r.kinds = append(r.fields, nil), append(r.raws, nil), append(r.filled, false), append(r.kinds, kindEmpty)
		}
		if err := r.set(i, name, raw); err != nil {
			return err
		}
	}
	return nil
}

func (r *jsonRows) set(i int, name string, raw []byte) error {
	switch {
	case string(raw) == "null":
		return nil
	case raw[0] == '"':
		var s string
		if err := json.Unmarshal(raw, &s); err != nil {
			return refuse(r.n, name, "This is not a JSON text: %s.", err)
		}
		if strings.ContainsRune(s, 0) {
			return refuse(r.n, name, "It holds a zero byte, which no text has.")
		}
		r.fields[i], r.kinds[i] = []byte(s), kindText
		if k := kindOf(r.fields[i]); k == kindDate || k == kindTime {
			r.kinds[i] = k // a number in quotes was meant as text
		}
	case raw[0] == '[' || raw[0] == '{':
		if bytes.Contains(raw, []byte(`\u0000`)) {
			return refuse(r.n, name, "It holds a zero byte, which no text has.")
		}
		r.fields[i], r.kinds[i] = raw, kindJSON
	default:
		r.fields[i] = raw
		if r.kinds[i] = kindOf(raw); r.kinds[i] == kindText { // 1e6 and the like
			r.kinds[i] = kindText
			if n, err := json.Number(raw).Float64(); err == nil && len(raw) < 30 && n < 1e15 && n > -1e15 {
				r.kinds[i] = kindNumber
				r.fields[i] = []byte(strings.TrimRight(strings.TrimRight(fmt.Sprintf("%.15f", n), "0"), "."))
			}
		}
	}
	r.filled[i], r.raws[i] = true, raw
	return nil
}

// raw is a field as JSON, for columns that hold lists or objects in other rows.
func (r *jsonRows) raw(i int) []byte { return r.raws[i] }

func (r *jsonRows) kind(i int) kind { return r.kinds[i] }
func (r *jsonRows) at() int64       { return r.n }
func (r *jsonRows) close()          { r.file.Close() }

// An orderedObject is a JSON object whose keys keep their order.
type orderedObject []struct {
	key   string
	value json.RawMessage
}

func (o *orderedObject) UnmarshalJSON(b []byte) error {
	d := json.NewDecoder(bytes.NewReader(b))
	if t, err := d.Token(); err != nil || t != json.Delim('{') {
		return errors.New("it is not an object")
	}
	*o = (*o)[:0]
	for d.More() {
		key, err := d.Token()
		if err != nil {
			return err
		}
		var v json.RawMessage
		if err := d.Decode(&v); err != nil {
			return err
		}
		*o = append(*o, struct {
			key   string
			value json.RawMessage
		}{key.(string), v})
	}
	return nil
}
