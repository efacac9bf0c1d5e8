// Package drawing draws charts: its scripts make shapes of a drawing model, in a page and, run
// here, on the server, from the same lines. The letters that ship are here too.
package drawing

import (
	"embed"
	"encoding/json"
	"fmt"
	"io/fs"
	"strings"
	"sync"
	"time"

	"github.com/dop251/goja"

	"eskadel/core/chart"
	"eskadel/core/problem"
	"eskadel/web/bundle"
)

//go:embed *.js
var files embed.FS

// Scripts are the files that pages import.
var Scripts fs.FS = files

// The letters of drawings, in their two weights.
var (
	//go:embed vendor/figtree/Figtree_400Regular.ttf
	Regular []byte
	//go:embed vendor/figtree/Figtree_600SemiBold.ttf
	SemiBold []byte
)

// A Shape is an element of SVG: attributes are texts or numbers, children shapes or texts.
type Shape struct {
	Name       string         `json:"name"`
	Attributes map[string]any `json:"attributes"`
	Children   []Child        `json:"children"`
}

// A Child is a shape or a text.
type Child struct {
	*Shape
	Text string
}

func (c *Child) UnmarshalJSON(b []byte) error {
	if len(b) > 0 && b[0] == '"' {
		return json.Unmarshal(b, &c.Text)
	}
	c.Shape = &Shape{}
	return json.Unmarshal(b, c.Shape)
}

// A Picture is a chart with what is said of it.
type Picture struct {
	Drawing  *chart.Drawing `json:"drawing"`
	Title    string         `json:"title,omitempty"`
	Subtitle string         `json:"subtitle,omitempty"`
	Caption  string         `json:"caption,omitempty"`
	Below    []string       `json:"below,omitempty"` // what it was made from
	Clear    bool           `json:"clear,omitempty"` // without a ground
}

// Colours tells what a colour of a style sheet is on a screen, from 0 to 255.
type Colours func(css string) [3]int

// Shapes of a picture, in pixels.
func (p *Picture) Shapes(width, height int, c Colours) (*Shape, error) {
	var out Shape
	return &out, call("pictured", p, width, height, c, &out)
}

// longest is how long a drawing may take; the largest takes some hundredths of it.
const longest = 20 * time.Second

// engines are runtimes that have the scripts; each draws one thing at a time.
var engines = sync.Pool{New: func() any {
	vm := goja.New()
	if _, err := vm.RunProgram(program()); err != nil {
		panic(err)
	}
	return vm
}}

var program = sync.OnceValue(func() *goja.Program {
	text, err := bundle.Of("server.js", bundle.How{Name: "drawing"}, files.ReadFile)
	if err != nil {
		panic(fmt.Sprintf("the scripts of drawings: %s", err))
	}
	return goja.MustCompile("drawing.js", string(text), true)
})

// call has a function of server.js make shapes of a model.
func call(name string, model any, width, height int, c Colours, into any) error {
	b, err := json.Marshal(model)
	if err != nil {
		return err
	}
	vm := engines.Get().(*goja.Runtime)
	f, _ := goja.AssertFunction(vm.Get("drawing").ToObject(vm).Get(name))
	timer := time.AfterFunc(longest, func() { vm.Interrupt("it takes too long") })
	out, err := f(goja.Undefined(), vm.ToValue(string(b)), vm.ToValue(width), vm.ToValue(height), vm.ToValue(c))
	timer.Stop()
	if err != nil {
		return problem.New(problem.Invalid, "", "This chart cannot be drawn.").Because(err) // the runtime may be broken: it is not used again
	}
	engines.Put(vm)
	return json.NewDecoder(strings.NewReader(out.String())).Decode(into)
}
