// Package folder keeps what a workspace holds (datasets, row rules, charts of the library,
// dashboards) as files of a folder, which can be put under version control: it reads, writes,
// checks and compares them, and carries them from a workspace to files and back.
package folder

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/problem"
)

// Kinds of documents, by the folders that they lie in, in the order in which one speaks of those
// before it.
const (
	Rules      = "rules"
	Datasets   = "datasets"
	Charts     = "charts"
	Dashboards = "dashboards"
)

var kinds = []string{Rules, Datasets, Charts, Dashboards}

// A Key says which document: "dashboards/money".
type Key struct{ Kind, Name string }

func (k Key) String() string { return k.Kind + "/" + k.Name }

// path is where the document lies in a folder.
func (k Key) path() string { return filepath.Join(k.Kind, k.Name+".json") }

func compare(a, b Key) int {
	return cmp.Or(slices.Index(kinds, a.Kind)-slices.Index(kinds, b.Kind), strings.Compare(a.Name, b.Name))
}

// Documents are what a folder or a workspace holds, each written in the one form that files have.
type Documents map[Key][]byte

// Keys are those of the documents, in the order in which one speaks of those before it.
func (d Documents) Keys() (out []Key) {
	for k := range d {
		out = append(out, k)
	}
	slices.SortFunc(out, compare)
	return out
}

// tidy reads a document of a kind and writes it in the one form that files have: with its keys in
// the order of the schemas, and without the versions of charts, which each workspace counts for
// itself.
func tidy(k Key, body []byte) ([]byte, error) {
	var out []byte
	var name string
	switch k.Kind {
	case Rules:
		d, err := dataset.ReadRules(body)
		if err != nil {
			return nil, err
		}
		slices.SortFunc(d.Tables, func(a, b dataset.TableRules) int { return strings.Compare(a.Table, b.Table) })
		name, out = d.Source, d.JSON()
	case Datasets:
		d, err := dataset.Read(body)
		if err != nil {
			return nil, err
		}
		name, out = d.Name, d.JSON()
	case Charts:
		d, err := chart.Read(body)
		if err != nil {
			return nil, err
		}
		name, out = k.Name, d.JSON()
	case Dashboards:
		d, err := dashboard.Read(body)
		if err != nil {
			return nil, err
		}
		for _, p := range d.Pages {
			for _, w := range p.Widgets {
				if w.Chart != nil && w.Chart.Library != "" {
					w.Chart.Version = 0
				}
			}
		}
		name, out = d.Name, d.JSON()
	}
	if name != k.Name {
		return nil, problem.New(problem.Invalid, "name", "The document is called “%s” and its file “%s.json”: give them one name.", name, k.Name)
	}
	return append(out, '\n'), nil
}

// A Fault is what is wrong with a file, and where.
type Fault struct {
	File  string
	Line  int // 0 where it is of the whole file
	Words string
}

func (f Fault) String() string {
	if f.Line == 0 {
		return f.File + ": " + f.Words
	}
	return fmt.Sprintf("%s:%d: %s", f.File, f.Line, f.Words)
}

// Largest is how many bytes a file of a document may have.
const Largest = 4 << 20

// Read reads the documents of a folder. Of files that cannot be read it tells what is wrong.
func Read(dir string) (Documents, []Fault, error) {
	out := Documents{}
	var faults []Fault
	for _, kind := range kinds {
		entries, err := os.ReadDir(filepath.Join(dir, kind))
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, nil, err
		}
		for _, e := range entries {
			name, is := strings.CutSuffix(e.Name(), ".json")
			if !is || e.IsDir() {
				continue
			}
			k := Key{kind, name}
			info, err := e.Info()
			if err != nil {
				return nil, nil, err
			}
			if info.Size() > Largest {
				faults = append(faults, Fault{File: k.path(), Words: fmt.Sprintf("A document has at most %d MB.", Largest>>20)})
				continue
			}
			body, err := os.ReadFile(filepath.Join(dir, k.path()))
			if err != nil {
				return nil, nil, err
			}
			tidied, err := tidy(k, body)
			if err != nil {
				faults = append(faults, fault(k, body, err))
				continue
			}
			out[k] = tidied
		}
	}
	return out, faults, nil
}

// write writes a document into a folder: the file is there whole or not at all.
func write(dir string, k Key, body []byte) error {
	return whole(filepath.Join(dir, k.path()), body)
}

func whole(path string, body []byte) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return err
	}
	part := path + ".part"
	if err := os.WriteFile(part, body, 0o644); err != nil {
		return err
	}
	return os.Rename(part, path)
}

// fault says what is wrong with a file, and in which line.
func fault(k Key, body []byte, err error) Fault {
	f := Fault{File: k.path(), Words: err.Error()}
	var v any
	var wrong *json.SyntaxError
	if e := json.Unmarshal(body, &v); errors.As(e, &wrong) {
		f.Line, f.Words = line(body, wrong.Offset), "This is not JSON: "+wrong.Error()+"."
		return f
	}
	if p := problem.Of(err); p != nil {
		f.Words, f.Line = p.Words, line(body, locate(body, p.Place))
	}
	return f
}

// line is the number of the line, from 1, that a byte stands in.
func line(body []byte, at int64) int {
	return bytes.Count(body[:min(max(at, 0), int64(len(body)))], []byte("\n")) + 1
}

var steps = regexp.MustCompile(`[^.\[\]]+`)

// locate is where the part of a JSON text begins that a place such as pages[0].widgets[2].at
// names, as far as it is there; a place of one key alone that is not at the top is the first of
// that key.
func locate(body []byte, place string) int64 {
	path := steps.FindAllString(place, -1)
	d := json.NewDecoder(bytes.NewReader(body))
	at, found := seek(d, body, path)
	if found == 0 && len(path) == 1 {
		if i := bytes.Index(body, []byte(`"`+path[0]+`"`)); i >= 0 {
			return int64(i)
		}
	}
	return at
}

// seek walks as far along a path as there is, and returns where that begins and how many steps it
// went.
func seek(d *json.Decoder, body []byte, path []string) (at int64, went int) {
	at = begin(body, d.InputOffset())
	t, err := d.Token()
	if err != nil || len(path) == 0 {
		return at, 0
	}
	for i := 0; d.More(); i++ {
		here := begin(body, d.InputOffset())
		key := fmt.Sprint(i)
		if t == json.Delim('{') {
			name, err := d.Token()
			if err != nil {
				return at, 0
			}
			key = fmt.Sprint(name)
		}
		if key == path[0] {
			deeper, went := seek(d, body, path[1:])
			if went == 0 {
				return here, 1
			}
			return deeper, went + 1
		}
		var skipped json.RawMessage
		if d.Decode(&skipped) != nil {
			return at, 0
		}
	}
	return at, 0
}

// begin is where what follows begins: past spaces, commas and colons.
func begin(body []byte, at int64) int64 {
	for at < int64(len(body)) && strings.IndexByte(" \t\r\n,:", body[at]) >= 0 {
		at++
	}
	return at
}
