// Package problem holds the one kind of error that people read. A Problem says
// what is wrong (Code, for programs), where (Place, a path into the document or
// request) and what to do (Words, a whole sentence). The web layer shows the
// words by the control the place belongs to; the API returns them as RFC 9457
// problem details. It knows nothing of HTTP.
package problem

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"strings"
)

// Codes that callers compare with. A code never changes its meaning.
const (
	Invalid   = "invalid"    // the document or request does not make sense
	Missing   = "missing"    // something has yet to be chosen
	NotFound  = "not-found"  // a thing named does not exist, or may not be seen
	Forbidden = "forbidden"  // the person may not do this
	Conflict  = "conflict"   // somebody else changed it meanwhile
	Outdated  = "outdated"   // it was made from an older state of the document
	Unstated  = "unstated"   // it has to say which state of the document it was made from
	Down      = "down"       // a database does not answer
	Slow      = "slow"       // a question took longer than its limit
	TooMany   = "too-many"   // more than a form, or a person, may have
	Odd       = "odd"        // a value turned up that cannot be computed with
	SignedOut = "signed-out" // nobody is known to ask
)

// A Problem is an error in words for people.
type Problem struct {
	Code  string `json:"code"`
	Place string `json:"place,omitempty"`
	Words string `json:"words"`
	cause error
}

// New returns a problem of the given code at place, with a formatted sentence.
func New(code, place, format string, args ...any) *Problem {
	return &Problem{Code: code, Place: place, Words: fmt.Sprintf(format, args...)}
}

// Because returns a copy of p that keeps err for the log. The words do not change.
func (p *Problem) Because(err error) *Problem {
	c := *p
	c.cause = err
	return &c
}

func (p *Problem) Error() string {
	text := p.Words
	if p.Place != "" {
		text = p.Place + ": " + text
	}
	if p.cause != nil {
		text += " (" + p.cause.Error() + ")"
	}
	return text
}

func (p *Problem) Unwrap() error { return p.cause }

// At returns err with place put before its own place, so that an error found in a
// part of a document names the whole path. Errors of other kinds are returned as they are.
func At(place string, err error) error {
	var p *Problem
	if !errors.As(err, &p) {
		return err
	}
	c := *p
	switch {
	case c.Place == "":
		c.Place = place
	case c.Place[0] == '[':
		c.Place = place + c.Place
	default:
		c.Place = place + "." + c.Place
	}
	return &c
}

// Of returns the problem within err, or nil.
func Of(err error) *Problem {
	var p *Problem
	if errors.As(err, &p) {
		return p
	}
	return nil
}

// Is tells whether err is a problem of the given code.
func Is(err error, code string) bool {
	p := Of(err)
	return p != nil && p.Code == code
}

// Lasting returns the problem within err that asking again later would not end: nil for a
// database that does not answer, or not in time, and for errors of other kinds.
func Lasting(err error) *Problem {
	if p := Of(err); p != nil && p.Code != Down && p.Code != Slow {
		return p
	}
	return nil
}

// mostPassedOn is how many letters of what an application says are passed on.
const mostPassedOn = 300

// PassedOn is what a host app says to people, as one line that is not too long; usual where it says nothing.
func PassedOn(said, usual string) string {
	said = strings.Join(strings.Fields(said), " ")
	if r := []rune(said); len(r) > mostPassedOn {
		said = string(r[:mostPassedOn]) + "…"
	}
	if said == "" {
		return usual
	}
	return said
}

// MostNesting is how deep the lists and objects of a document may stand within each other.
const MostNesting = 64

// nested tells how deep lists and objects stand within each other in JSON text, up to one
// more than may be. It reads no further than that.
func nested(data []byte) (most int) {
	depth, text := 0, false
	for i := 0; i < len(data) && most <= MostNesting; i++ {
		switch c := data[i]; {
		case text && c == '\\':
			i++
		case c == '"':
			text = !text
		case text:
		case c == '{' || c == '[':
			depth++
			most = max(most, depth)
		case c == '}' || c == ']':
			depth--
		}
	}
	return most
}

// Shallow refuses JSON text that is nested deeper than any document could need.
func Shallow(data []byte) error {
	if nested(data) > MostNesting {
		return New(TooMany, "", "Lists and objects stand more than %d deep within each other here.", MostNesting)
	}
	return nil
}

var unknownKey = regexp.MustCompile(`unknown field "([^"]*)"`)

// Decode reads one JSON document into v. A key that v does not know is an error
// that names the key, and so is anything after the document.
// Documents that are nested deeper than any could need are refused before they are read.
func Decode(data []byte, v any) error {
	if err := Shallow(data); err != nil {
		return err
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	d.UseNumber()
	if err := d.Decode(v); err != nil {
		if p := Of(err); p != nil {
			return p
		}
		if m := unknownKey.FindStringSubmatch(err.Error()); m != nil {
			return New(Invalid, m[1], "There is no key %q here.", m[1])
		}
		var kind *json.UnmarshalTypeError
		if errors.As(err, &kind) {
			return New(Invalid, kind.Field, "This cannot be a %s.", kind.Value)
		}
		return New(Invalid, "", "This is not valid JSON: %s.", err)
	}
	if d.More() {
		return New(Invalid, "", "There is more text after the end of the document.")
	}
	return nil
}

// Character is the place of a character within a text, counted from 0.
func Character(n int) string { return fmt.Sprintf("@%d", n) }
