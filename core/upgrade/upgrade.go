// Package upgrade brings documents that were written by an earlier version of the program
// to the one that it writes now. Each kind of document has a chain of steps; a document's
// own number says where it begins.
package upgrade

import (
	"bytes"
	"encoding/json"

	"eskadel/core/problem"
)

// A Step changes a document, as JSON, from one version to the next. What it does not expect
// it leaves alone: reading the document then says what is wrong.
type Step func(document map[string]any)

// A Chain is the steps of a kind of document: the first makes version 2 of version 1.
type Chain struct {
	Kind  string // for words: "chart"
	Steps []Step
}

// Version is the one that is written.
func (c Chain) Version() int { return len(c.Steps) + 1 }

// Read returns a document as it is written now. Text that is no document with a version is
// returned as it is; a version that is not known yet is a problem.
func (c Chain) Read(data []byte) ([]byte, error) {
	var head struct {
		Version json.Number `json:"version"`
	}
	if json.Unmarshal(data, &head) != nil {
		return data, nil // whoever reads it says what is wrong
	}
	version, err := head.Version.Int64()
	switch now := int64(c.Version()); {
	case err != nil || version < 1:
		return nil, problem.New(problem.Invalid, "version", "A %s says which version it is written in: \"version\": %d.", c.Kind, now)
	case version > now:
		return nil, problem.New(problem.Invalid, "version", "This %s is written in version %d, and this program reads versions up to %d of one: a newer Eskadel made it.", c.Kind, version, now)
	case version == now:
		return data, nil
	}
	if err := problem.Shallow(data); err != nil {
		return nil, err
	}
	var document map[string]any
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	if d.Decode(&document) != nil || d.More() {
		return data, nil
	}
	for _, step := range c.Steps[version-1:] {
		step(document)
	}
	document["version"] = c.Version()
	return json.Marshal(document)
}
