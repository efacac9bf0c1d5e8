package files

import (
	"bufio"
	"context"
	"encoding/xml"
	"errors"
	"io"
)

// Bounds of what one part of a spreadsheet may hold. What a spreadsheet program writes lies
// far below them: a cell has at most 32,767 characters there.
const (
	mostToken = 1 << 20 // bytes of one tag, or of text between two
	mostTags  = 100     // within each other
)

// tokens reads XML as a stream, within bounds, until whoever asked for it leaves.
type tokens struct {
	d     *xml.Decoder
	in    *metered
	depth int
}

// metered hands out bytes, at most so many until it is allowed more.
type metered struct {
	ctx  context.Context
	in   *bufio.Reader
	left int
	read int64
}

var errToken = errors.New("a tag or text is longer than any spreadsheet has")

func (m *metered) ReadByte() (byte, error) {
	if m.left--; m.left < 0 {
		return 0, errToken
	}
	if m.read++; m.read&0xffff == 0 && m.ctx.Err() != nil {
		return 0, m.ctx.Err()
	}
	return m.in.ReadByte()
}

// Read is for completeness; the decoder reads bytes.
func (m *metered) Read(b []byte) (int, error) {
	if m.left -= len(b); m.left < 0 {
		return 0, errToken
	}
	return m.in.Read(b)
}

func newTokens(ctx context.Context, in io.Reader) *tokens {
	m := &metered{ctx: ctx, in: bufio.NewReaderSize(io.LimitReader(in, mostUnpacked), 1<<16)}
	return &tokens{d: xml.NewDecoder(m), in: m}
}

// next returns the next token, io.EOF after the last. Its bytes are valid until the one after.
func (t *tokens) next() (xml.Token, error) {
	t.in.left = mostToken
	token, err := t.d.RawToken()
	if err != nil {
		return nil, err
	}
	switch token.(type) {
	case xml.StartElement:
		if t.depth++; t.depth > mostTags {
			return nil, errors.New("tags stand too deep within each other")
		}
	case xml.EndElement:
		t.depth--
	}
	return token, nil
}

// skip reads on to the end of the element that has just begun.
func (t *tokens) skip() error {
	for depth := t.depth; t.depth >= depth; {
		if _, err := t.next(); err != nil {
			return err
		}
	}
	return nil
}

// damaged says of which row a spreadsheet cannot be read on; those who leave are told nothing.
func damaged(row int64, err error) error {
	if errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return refuse(row, "", "The spreadsheet is damaged here: %s.", err)
}
