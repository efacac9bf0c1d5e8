// Package grammar reads SQL by PostgreSQL's own grammar and writes it again. Each text is
// read by an instance of its own, within bounds of length, nesting, memory and time, and
// the instance is thrown away: no text can leave a state that the next one meets. What a
// query may hold is decided elsewhere.
package grammar

import (
	"context"
	"errors"
	"fmt"

	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/proto"

	"eskadel/core/problem"
)

// Prepare makes the grammar ready; without it the first reading does, which takes a
// fraction of a second longer.
func Prepare() error {
	_, err := machine()
	return err
}

// Parse reads one or more statements.
func Parse(ctx context.Context, sql string) (*pg.ParseResult, error) {
	if err := Bound(sql); err != nil {
		return nil, err
	}
	return Reread(ctx, sql)
}

// Reread is Parse for a text that Deparse wrote, whose brackets may be more than a person's.
func Reread(ctx context.Context, sql string) (*pg.ParseResult, error) {
	i, err := begin(ctx)
	if err != nil {
		return nil, failed(ctx, err)
	}
	defer i.end()
	// The result is the tree's length and place, what was printed, and a complaint.
	result, err := i.put(make([]byte, 16))
	if err != nil {
		return nil, failed(ctx, err)
	}
	tree, err := i.run("pg_query_parse_protobuf", result, []byte(sql), 12, func() ([]byte, error) {
		length, err := i.number(uint32(result))
		if err != nil {
			return nil, err
		}
		at, err := i.number(uint32(result) + 4)
		if err != nil {
			return nil, err
		}
		return i.bytes(at, length)
	})
	if err != nil {
		return nil, failed(ctx, err)
	}
	out := &pg.ParseResult{}
	if err := proto.Unmarshal(tree, out); err != nil {
		return nil, tooDeep()
	}
	return out, nil
}

// Deparse writes a tree as text.
func Deparse(ctx context.Context, tree *pg.ParseResult) (string, error) {
	b, err := proto.Marshal(tree)
	if err != nil {
		return "", fmt.Errorf("write a query: %w", err)
	}
	i, err := begin(ctx)
	if err != nil {
		return "", failed(ctx, err)
	}
	defer i.end()
	result, err := i.put(make([]byte, 8)) // the text's place, and a complaint
	if err != nil {
		return "", failed(ctx, err)
	}
	text, err := i.run("pg_query_deparse_protobuf", result, b, 4, func() ([]byte, error) {
		at, err := i.number(uint32(result))
		if err != nil {
			return nil, err
		}
		text, err := i.text(at)
		return []byte(text), err
	})
	return string(text), failed(ctx, err)
}

// run has a function of the program read an input, and reads its result unless it complains.
func (i *instance) run(name string, result uint64, input []byte, complaint uint32, read func() ([]byte, error)) ([]byte, error) {
	at, err := i.put(input)
	if err != nil {
		return nil, err
	}
	if name == "pg_query_deparse_protobuf" { // it takes the length and the place
		of := make([]byte, 8)
		little.PutUint32(of, uint32(len(input)))
		little.PutUint32(of[4:], uint32(at))
		if at, err = i.put(of); err != nil {
			return nil, err
		}
	}
	if _, err := i.call(name, result, at); err != nil {
		return nil, err
	}
	wrong, err := i.number(uint32(result) + complaint)
	if err != nil {
		return nil, err
	}
	if wrong == 0 {
		return read()
	}
	words, place, err := i.complaint(wrong)
	if err != nil {
		return nil, err
	}
	return nil, &Complaint{Words: words, Place: place}
}

// A Complaint is what the grammar says of a text that it does not take.
type Complaint struct {
	Words string
	Place int // in the text, counted from 1; 0 where it names none
}

func (c *Complaint) Error() string { return c.Words }

func tooDeep() error {
	return problem.New(problem.TooMany, "", "This query is nested too deeply to be read: divide it into parts with “with”.")
}

// failed turns what went wrong within an instance into words.
func failed(ctx context.Context, err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, errBroken):
		return tooDeep()
	case ctx.Err() == nil && errors.Is(err, context.DeadlineExceeded):
		return problem.New(problem.Slow, "", "This query took too long to be read: make it simpler.")
	}
	return err
}
