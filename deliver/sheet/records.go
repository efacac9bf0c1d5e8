package sheet

import (
	"io"
	"runtime/debug"
	"sync"

	"eskadel/core/field"
	"eskadel/view"
)

// A Source hands on records: what they are, then each.
type Source func(begin func(*view.Filed) error, each func([]field.Value) error) error

// every is after how many lines the progress is told.
const every = 2000

// Records writes records as a file, and tells how many of how many it has; the name of the file is
// what they are called.
func Records(from Source, kind Kind, w io.Writer, told func(done, of int64) error) (name string, err error) {
	defer sparing()()
	b, err := New(kind, false, w)
	if err != nil {
		return "", err
	}
	var f *view.Filed
	var done int64
	var cells []Cell
	err = from(func(filed *view.Filed) error {
		f = filed
		var columns []Column
		for i, of := range f.Fields {
			columns = append(columns, Column{of.Label, of.Type.Numeric() && !of.IsLink(), f.Format(i)})
		}
		if err := told(0, f.Count); err != nil {
			return err
		}
		return b.Sheet("Records", columns)
	}, func(row []field.Value) error {
		cells = cells[:0]
		for i, v := range row {
			cells = append(cells, Value(v, f.Shown(i, v), f.Zone(i)))
		}
		if done++; done%every == 0 {
			if err := told(done, f.Count); err != nil {
				return err
			}
		}
		return b.Line(cells, false)
	})
	if err == nil {
		err = about(b, kind, append([]string{f.Heading}, f.Said...))
	}
	if err == nil {
		err = b.Close()
	}
	if err != nil {
		return "", err
	}
	return f.Title + ", records", told(done, f.Count)
}

// spares counts the files that are being written, and usual is how the process collects garbage when there are none.
var (
	spares sync.Mutex
	spared int
	usual  int
)

// thrift is by how many percent the memory in use may grow, while a file of records is written, before what is no
// longer in use is collected: a million lines leave much behind, and more than is needed would be taken for it.
const thrift = 35

// sparing has garbage be collected sooner until it is ended.
func sparing() (end func()) {
	spares.Lock()
	defer spares.Unlock()
	if spared++; spared == 1 {
		usual = debug.SetGCPercent(thrift)
	}
	return func() {
		spares.Lock()
		defer spares.Unlock()
		if spared--; spared == 0 {
			debug.SetGCPercent(usual)
		}
	}
}

// about writes what a file is about on a sheet of its own; CSV has but one.
func about(b Book, kind Kind, said []string) error {
	if kind.Ending == "csv" {
		return nil
	}
	if err := b.Sheet("About", []Column{{Label: "What this is"}}); err != nil {
		return err
	}
	for _, line := range said {
		if line == "" {
			continue
		}
		if err := b.Line([]Cell{{Text: line, Kind: field.Text}}, false); err != nil {
			return err
		}
	}
	return nil
}
