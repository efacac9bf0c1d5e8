package folder

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"eskadel/core/merge"
	"eskadel/core/problem"
)

// A Carrier carries documents between a folder and a workspace.
type Carrier struct {
	Dir       string
	Workspace *Workspace
	Over      bool // what differs where it is carried to is overwritten
	Publish   bool // readers are shown what is pushed
	Remove    bool // what is no longer in the folder is removed from the workspace
	DryRun    bool // it is only said what would be done
	Say       func(format string, args ...any)
}

// sides are what is here, what is there, and what was last the same.
type sides struct {
	here, there, same Documents
	state             state
}

// Broken is the refusal of a folder with files that cannot be read.
type Broken struct{ Faults []Fault }

func (b *Broken) Error() string {
	var out []string
	for _, f := range b.Faults {
		out = append(out, f.String())
	}
	return strings.Join(out, "\n")
}

func (c *Carrier) look(ctx context.Context) (s sides, err error) {
	var faults []Fault
	if s.here, faults, err = Read(c.Dir); err != nil {
		return s, err
	}
	if len(faults) > 0 {
		return s, &Broken{faults}
	}
	if s.state, err = readState(c.Dir); err != nil {
		return s, problem.New(problem.Invalid, stateFile, "This file cannot be read: remove it, then pull.")
	}
	s.same = s.state.of(c.Workspace.Address)
	var skipped []Skipped
	if s.there, skipped, err = c.Workspace.Documents(ctx); err != nil {
		return s, err
	}
	for _, x := range skipped {
		c.Say("left out: %s: %s", x.Key, x.Words)
		delete(s.here, x.Key)
		delete(s.same, x.Key)
	}
	return s, nil
}

// union are the keys of several, each once.
func union(all ...Documents) []Key {
	out := Documents{}
	for _, d := range all {
		for k := range d {
			out[k] = nil
		}
	}
	return out.Keys()
}

// Pull brings what the workspace holds into the folder. What was changed here and there is put
// together where no part was changed in both; else the file stays as it is, and that is said.
func (c *Carrier) Pull(ctx context.Context) error {
	s, err := c.look(ctx)
	if err != nil {
		return err
	}
	left, brought := 0, 0
	for _, k := range union(s.here, s.there, s.same) {
		here, there, same := s.here[k], s.there[k], s.same[k]
		switch {
		case bytes.Equal(here, there):
			s.same[k] = there
			if there == nil {
				delete(s.same, k)
			}
		case c.Over && there != nil, bytes.Equal(here, same) && there != nil: // changed there only
			if err := c.here(k, there, here == nil); err != nil {
				return err
			}
			brought++
			s.same[k] = there
		case there == nil && bytes.Equal(here, same):
			c.Say("%s is removed, as it was there", k)
			if !c.DryRun {
				if err := os.Remove(filepath.Join(c.Dir, k.path())); err != nil {
					return err
				}
			}
			delete(s.same, k)
		case bytes.Equal(there, same): // changed here only
			c.Say("%s %s here", k, became(here == nil, same == nil))
		case here == nil || there == nil || same == nil:
			left++
			c.Say("%s differs here and there: it stays as it is; -over takes what is there", k)
		default:
			merged, clashes, err := merge.Three(same, there, here)
			if err == nil && len(clashes) == 0 {
				merged, err = tidy(k, merged)
			}
			if err != nil || len(clashes) > 0 {
				left++
				c.Say("%s was changed here and there, both in %s: it stays as it is; -over takes what is there", k, parts(clashes))
				continue
			}
			if err := c.here(k, merged, false); err != nil {
				return err
			}
			brought++
			s.same[k] = there
		}
	}
	if !c.DryRun {
		if err := s.state.keep(c.Dir, c.Workspace.Address, s.same); err != nil {
			return err
		}
	}
	c.Say("%s", told(brought, "brought"))
	if left > 0 {
		return fmt.Errorf("%s here and there", Number(left, "differs", "differ"))
	}
	return nil
}

// told says how many documents were carried.
func told(n int, how string) string {
	if n == 0 {
		return "nothing to be " + how
	}
	return Number(n, "is", "are") + " " + how
}

// Number says how many documents do something.
func Number(n int, one, several string) string {
	if n == 1 {
		return "1 document " + one
	}
	return fmt.Sprintf("%d documents %s", n, several)
}

func became(gone, added bool) string {
	switch {
	case gone:
		return "is removed"
	case added:
		return "is new"
	}
	return "is changed"
}

func parts(clashes []merge.Clash) string {
	var out []string
	for _, c := range clashes {
		out = append(out, "“"+string(c)+"”")
	}
	if len(out) == 0 {
		return "ways that do not fit together"
	}
	return strings.Join(out, ", ")
}

func (c *Carrier) here(k Key, body []byte, added bool) error {
	c.Say("%s %s", k, became(false, added))
	if c.DryRun {
		return nil
	}
	return write(c.Dir, k, body)
}

// Push carries the folder into the workspace. Nothing is carried where anything was changed there
// since it was last the same here.
func (c *Carrier) Push(ctx context.Context) error {
	s, err := c.look(ctx)
	if err != nil {
		return err
	}
	var changed, removed []Key
	conflicts := 0
	for _, k := range union(s.here, s.there, s.same) {
		here, there, same := s.here[k], s.there[k], s.same[k]
		gone := here == nil && same != nil
		switch {
		case bytes.Equal(here, there), here == nil && !gone:
		case bytes.Equal(here, same) && !c.Over:
			c.Say("%s was changed there, not here: pull brings it", k)
		case !bytes.Equal(there, same) && !c.Over:
			conflicts++
			c.Say("%s was changed there since: pull first, or push -over", k)
		case gone && c.Remove:
			removed = append(removed, k)
		case gone:
			c.Say("%s is no longer here: push -remove takes it away there", k)
		default:
			changed = append(changed, k)
		}
	}
	if conflicts > 0 {
		return fmt.Errorf("nothing was pushed: %s changed there since", Number(conflicts, "was", "were"))
	}
	for _, k := range changed {
		if err := c.tell(ctx, k, s.there[k], s.here[k]); err != nil {
			return err
		}
	}
	if c.DryRun {
		for _, k := range removed {
			c.Say("%s would be removed", k)
		}
		return nil
	}
	err = c.carry(ctx, s, changed, removed)
	for _, k := range union(s.here) {
		if bytes.Equal(s.here[k], s.there[k]) {
			s.same[k] = s.here[k]
		}
	}
	if kept := s.state.keep(c.Dir, c.Workspace.Address, s.same); err == nil {
		err = kept
	}
	if err == nil {
		c.Say("%s", told(len(changed)+len(removed), "pushed"))
	}
	return err
}

func (c *Carrier) carry(ctx context.Context, s sides, changed, removed []Key) error {
	for i, k := range changed {
		if err := c.Workspace.put(ctx, k, s.here[k]); err != nil {
			return refused(k, changed[:i], err)
		}
		s.there[k] = s.here[k]
	}
	if c.Publish {
		for _, k := range changed {
			if err := c.Workspace.publish(ctx, k); err != nil {
				return refused(k, changed, err)
			}
		}
	}
	for i := len(removed) - 1; i >= 0; i-- { // what speaks of others before those
		k := removed[i]
		if err := c.Workspace.remove(ctx, k, s.same[k]); err != nil {
			return refused(k, changed, err)
		}
		c.Say("%s is removed", k)
		delete(s.same, k)
	}
	return nil
}

// refused says what the workspace did not take, and what it took before.
func refused(k Key, done []Key, err error) error {
	words := err.Error()
	if p := problem.Of(err); p != nil {
		words = p.Words
		if p.Place != "" {
			words += " (" + p.Place + ")"
		}
	}
	if len(done) == 0 {
		return fmt.Errorf("%s: %s Nothing was pushed", k, words)
	}
	var names []string
	for _, d := range done {
		names = append(names, d.String())
	}
	return fmt.Errorf("%s: %s It stopped there; pushed before: %s", k, words, strings.Join(names, ", "))
}

// tell says in words what changes there.
func (c *Carrier) tell(ctx context.Context, k Key, there, here []byte) error {
	if there == nil {
		c.Say("%s is new", k)
		return nil
	}
	words, err := c.words(ctx, k, there, here)
	if err != nil {
		return err
	}
	for _, w := range words {
		c.Say("%s: %s", k, w)
	}
	return nil
}

// words says what a document changes in a workspace: of dashboards as the workspace says it, which
// knows what their charts are called.
func (c *Carrier) words(ctx context.Context, k Key, there, here []byte) ([]string, error) {
	if k.Kind == Dashboards {
		if words, err := c.Workspace.changes(ctx, k, here); err == nil && len(words) > 0 {
			return words, nil
		} else if err != nil && problem.Of(err) == nil {
			return nil, err
		}
	}
	return Words(there, here), nil
}

// Diff says in words what the folder would change in the workspace, and returns how many documents
// differ.
func (c *Carrier) Diff(ctx context.Context) (int, error) {
	s, err := c.look(ctx)
	if err != nil {
		return 0, err
	}
	n := 0
	for _, k := range union(s.here, s.there) {
		here, there := s.here[k], s.there[k]
		switch {
		case bytes.Equal(here, there):
			continue
		case here == nil:
			c.Say("%s is there, not here", k)
		default:
			if err := c.tell(ctx, k, there, here); err != nil {
				return n, err
			}
		}
		n++
	}
	return n, nil
}

// most is how many differences of a document are said.
const most = 200

// Words says in words what is different between two states of a document.
func Words(was, is []byte) []string {
	words, more := merge.Changes(was, is, most)
	if more > 0 {
		words = append(words, fmt.Sprintf("and %d other changes", more))
	}
	return words
}

// DiffFolders says in words what is different between two folders, and returns how many documents
// differ.
func DiffFolders(was, is string, say func(format string, args ...any)) (int, error) {
	var read [2]Documents
	for i, dir := range []string{was, is} {
		d, faults, err := Read(dir)
		if err == nil && len(faults) > 0 {
			err = fmt.Errorf("in %s:\n%w", dir, &Broken{faults})
		}
		if err != nil {
			return 0, err
		}
		read[i] = d
	}
	n := 0
	for _, k := range union(read[:]...) {
		before, after := read[0][k], read[1][k]
		switch {
		case bytes.Equal(before, after):
			continue
		case before == nil:
			say("%s is new", k)
		case after == nil:
			say("%s is removed", k)
		default:
			for _, w := range Words(before, after) {
				say("%s: %s", k, w)
			}
		}
		n++
	}
	return n, nil
}
