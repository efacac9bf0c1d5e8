// Package proof is how a figure came about, as a file that can be checked: what was asked, of which
// records, by whose rules and when, with a digest of each record, so that whoever works it out again
// can say that it is the same, or what has changed.
package proof

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"eskadel/core/dashboard"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/problem"
)

// Version is the version of proofs that is written.
const Version = 1

// A Proof says how the figure of a mark came about.
type Proof struct {
	Version int       `json:"version"`
	Made    time.Time `json:"made"`
	By      string    `json:"by"`
	Key     string    `json:"key"` // which one it is signed with
	// What is looked at: a version of a dashboard, one of its widgets in a state, and a mark of it.
	Dashboard        string          `json:"dashboard"`
	DashboardVersion int             `json:"dashboard_version"` // 0 for the draft
	Widget           string          `json:"widget"`
	State            dashboard.State `json:"state"`
	Mark             marks.Reference `json:"mark"`
	Viewer           Viewer          `json:"viewer"`
	// In words.
	Title      string      `json:"title"`
	Sentence   string      `json:"sentence"`
	Words      string      `json:"words,omitempty"` // what the mark calls itself
	Conditions string      `json:"conditions,omitempty"`
	Rules      string      `json:"rules,omitempty"` // row rules; none where every record may be seen
	Statements []Statement `json:"statements,omitempty"`
	// What came of it.
	Read    time.Time `json:"read"` // the snapshot
	Measure string    `json:"measure"`
	Figure  string    `json:"figure"`
	Exact   string    `json:"exact"`
	Records int64     `json:"records"`
	Fields  []string  `json:"fields"` // whose values are in the digests
	Digest  string    `json:"digest"`
	Each    []Record  `json:"each"` // in the order of their keys
}

// A Viewer is under whose rules it was read.
type Viewer struct {
	ID         string            `json:"id"`
	Name       string            `json:"name"`
	Roles      []string          `json:"roles,omitempty"`
	Attributes filter.Attributes `json:"attributes,omitempty"`
	Builder    bool              `json:"builder,omitempty"`
}

// A Statement is what the database was asked, with the values that were bound.
type Statement struct {
	SQL    string   `json:"sql"`
	Values []string `json:"values,omitempty"`
}

// A Record is the key of a record with a digest of its values.
type Record struct {
	Key    string `json:"key"`
	Digest string `json:"digest"`
}

// A Mac makes digests that nobody can make who does not hold its key, so that values cannot be
// guessed by them.
type Mac interface {
	Sum(of []byte) []byte
}

// Digested gives each record its digest, and all of them one.
func (p *Proof) Digested(mac Mac, keys []string, values [][]string) {
	p.Each = make([]Record, len(keys))
	for i, key := range keys {
		p.Each[i] = Record{key, fmt.Sprintf("%x", mac.Sum(line(key, values[i]))[:8])}
	}
	slices.SortFunc(p.Each, func(a, b Record) int {
		if a.Key != b.Key {
			return strings.Compare(a.Key, b.Key)
		}
		return strings.Compare(a.Digest, b.Digest)
	})
	var all []byte
	for _, r := range p.Each {
		all = append(all, line(r.Key, []string{r.Digest})...)
	}
	p.Digest = fmt.Sprintf("%x", mac.Sum(all))
}

// line writes a key and values so that no two ways of putting them together read the same.
func line(key string, values []string) []byte {
	b, _ := json.Marshal(append([]string{key}, values...))
	return append(b, '\n')
}

// A file is a signed proof as it is written.
type file struct {
	Proof     json.RawMessage `json:"proof"`
	Signature string          `json:"signature"`
}

// Write writes a proof with its signature.
func (p *Proof) Write(sign func([]byte) string) ([]byte, error) {
	body, err := json.Marshal(p)
	if err != nil {
		return nil, err
	}
	out, err := json.MarshalIndent(file{body, sign(body)}, "", " ")
	return append(out, '\n'), err
}

// Read reads a proof that was signed; one that is not as it was signed is refused.
func Read(b []byte, signed func(key string, body []byte, signature string) bool) (*Proof, error) {
	var f file
	var body bytes.Buffer
	if err := json.Unmarshal(b, &f); err != nil || json.Compact(&body, f.Proof) != nil {
		return nil, problem.New(problem.Invalid, "", "This is no proof: a file that Eskadel made is expected.")
	}
	var by struct{ Key string }
	_ = json.Unmarshal(body.Bytes(), &by)
	if !signed(by.Key, body.Bytes(), f.Signature) {
		return nil, problem.New(problem.Forbidden, "signature", "This is not as it was signed here: it was changed, or made by another Eskadel.")
	}
	var p Proof
	if err := problem.Decode(body.Bytes(), &p); err != nil {
		return nil, err
	}
	if p.Version != Version {
		return nil, problem.New(problem.Invalid, "version", "This proof is written in version %d; this program reads %d.", p.Version, Version)
	}
	return &p, nil
}

// most is how many records are named of each kind of change.
const most = 20

// Changes says in words what is other in a proof than in one made before; none where it is the same.
func (p *Proof) Changes(now *Proof) (out []string) {
	if p.Exact != now.Exact {
		out = append(out, fmt.Sprintf("The figure was %s, and is %s now.", p.Figure, now.Figure))
	}
	if p.Records != now.Records {
		out = append(out, fmt.Sprintf("It was made of %d records, and is of %d now.", p.Records, now.Records))
	}
	was, is := map[string][]string{}, map[string][]string{}
	for _, r := range p.Each {
		was[r.Key] = append(was[r.Key], r.Digest)
	}
	for _, r := range now.Each {
		is[r.Key] = append(is[r.Key], r.Digest)
	}
	var gone, came, other []string
	for _, r := range p.Each {
		switch have := is[r.Key]; {
		case slices.Contains(gone, r.Key) || slices.Contains(other, r.Key):
		case have == nil:
			gone = append(gone, r.Key)
		case !slices.Equal(have, was[r.Key]):
			other = append(other, r.Key)
		}
	}
	for _, r := range now.Each {
		if was[r.Key] == nil && !slices.Contains(came, r.Key) {
			came = append(came, r.Key)
		}
	}
	for _, kind := range []struct {
		keys []string
		says string
	}{{other, "has other values now"}, {gone, "is no longer among them"}, {came, "is new among them"}} {
		for i, key := range kind.keys {
			if i == most {
				out = append(out, fmt.Sprintf("and %d more, each of which %s.", len(kind.keys)-most, kind.says))
				break
			}
			out = append(out, fmt.Sprintf("Record %s %s.", key, kind.says))
		}
	}
	return out
}
