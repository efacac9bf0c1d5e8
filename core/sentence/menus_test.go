package sentence_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/sentence"
	"eskadel/golden"
)

// Everything that is offered for some charts, with the sentence that each choice leads to, and
// every control of the finish of each form. testdata/menus.txt is read when it changes: it is
// what an author meets.
func TestWhatIsOffered(t *testing.T) {
	jobs, other := sample.Jobs(), visits(t)
	jobs.Find("kind").List = []string{"care", "mishap", "rework"}
	var b strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	mark := func(c sentence.Choice) (out string) {
		if c.Chosen {
			out += "* "
		}
		out += c.Label
		if c.Kind != "" {
			out += " <" + c.Kind + ">"
		}
		switch {
		case c.Why != "":
			return out + " — cannot: " + c.Why
		case c.Next != "":
			out += " … " + c.Next
		}
		if c.Step != "" {
			out += " — " + c.Step
		}
		if c.Lost != "" {
			out += " — leaves out: " + c.Lost
		}
		return out
	}
	for _, doc := range []string{
		`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"key figures"}`,
		`{"version":2,"dataset":"jobs","measures":[{"sum":"cost"},{"percentile":"cost","p":0.9,"aside":true}],"by":[{"field":"opened","grain":"month"}],"form":"line"}`,
		`{"version":2,"dataset":"jobs","measures":[{"average":"cost","where":{"field":"late","is":true}}],"by":[{"field":"kind","largest":5,"others":true},{"field":"yard","sort":{"by":"label"}}],"split":{"field":"late"},"where":{"all":[{"field":"kind","is":"care"},{"field":"opened","within":"this year"}]},"compare":"year before","form":{"columns":"stacked"}}`,
		`{"version":2,"dataset":"jobs","measures":[{"sum":"cost","then":{"share":"everything"}}],"by":[{"field":"kind"},{"field":"boat","largest":2,"within":true}],"target":{"constant":5},"lines":[{"at":"average"}],"form":"table"}`,
		`{"version":2,"dataset":"jobs","measures":[],"show":["kind","cost"],"most":20,"form":"records"}`,
		`{"version":2,"dataset":"jobs","measures":[{"sum":"cost"},{"count":"records"}],"by":[{"field":"kind","sort":{"by":"hand","order":["rework","care","mishap"]}},{"field":"yard","sort":{"by":"measure","measure":1}}],"split":{"field":"opened","grain":"year"},"across":[{"field":"late"}],"results":[{"at_least":3}],"form":"pivot"}`,
		`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"opened","grain":"week"}],"where":{"field":"opened","within":{"last":3,"unit":"month"}},"also":[{"dataset":"visits","measures":[{"count":"records"}]}],"trend":true,"forecast":4,"form":"line"}`,
		`{"version":2,"dataset":"jobs","measures":[{"sum":"cost","where":{"any":[{"field":"kind","is":"care"},{"field":"boat","contains":"x"}]}},{"distinct":"boat","then":{"difference":"number"}}],"by":[{"field":"opened","part":"weekday"}],"where":{"not":{"field":"yard","empty":true}},"form":"columns"}`,
		`{"version":2,"dataset":"jobs","measures":[{"average":{"sum":"cost"},"per":{"field":"opened","grain":"week"}}],"by":[{"field":"boat","smallest":3,"others":true}],"target":{"constant":12},"form":"bars"}`,
	} {
		d := read(t, doc)
		d.Now, d.Sets = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC), known{"jobs": jobs, "visits": other}
		say("# %s", sentence.Text(d, jobs))
		parts := []string{"add"}
		for _, p := range sentence.Of(d, jobs) {
			if p.Part != "" && p.Part != "dataset" && p.Part != "also.0" { // Others offers that
				parts = append(parts, p.Part)
			}
		}
		offered := map[string]bool{}
		for i := 0; i < len(parts); i++ {
			if offered[parts[i]] {
				continue
			}
			offered[parts[i]] = true
			m, err := sentence.Choices(d, jobs, parts[i])
			require.NoError(t, err, parts[i])
			say("\n## %s: %s", m.Part, m.Heading)
			for _, c := range m.Choices {
				line := mark(c)
				if c.Why == "" && c.Next == "" {
					line += " → " + sentence.Text(c.Document, jobs)
				}
				say("%s", line)
				if parts[i] == "add" && c.Next != "" && !strings.HasPrefix(c.Next, "also.") { // the datasets are the workspace's
					parts = append(parts, c.Next)
				}
			}
		}
		for i := 0; i <= len(d.Also); i++ {
			m := sentence.Others(d, jobs, i, []*dataset.Dataset{jobs, other})
			say("\n## %s: %s", m.Part, m.Heading)
			for _, c := range m.Choices {
				say("%s → %s", mark(c), sentence.Text(c.Document, jobs))
			}
		}
		say("")
	}
	var control func(c sentence.Control, in string)
	control = func(c sentence.Control, in string) {
		line := fmt.Sprintf("%s%s [%s %s] = %q", in, c.Label, c.Kind, c.Path, c.Value)
		if len(c.Options) > 0 {
			line += fmt.Sprintf(" of %d", len(c.Options))
		}
		say("%s", line)
		for _, row := range c.Row {
			control(row, in+"  ")
		}
	}
	for _, f := range chart.Forms() {
		d := sentence.Start(jobs, f)
		d.Now = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
		say("# the finish of %s", f.Words())
		for _, s := range sentence.Finish(d, jobs, []*dataset.Dataset{jobs, other}, nil) {
			say("## %s: %s", s.Name, s.Says)
			for _, c := range s.Controls {
				control(c, "")
			}
		}
		say("")
	}
	golden.Compare(t, "testdata/menus.txt", b.String())
}

// What hangs on a measure goes with it, and what hangs on a later one goes on to.
func TestAMeasureIsLeftOutWithWhatHangsOnIt(t *testing.T) {
	ds := sample.Jobs()
	d := read(t, `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"},{"count":"records"},{"average":"cost"}],"by":[{"field":"kind","sort":{"by":"measure","measure":1,"descending":true}}],"target":{"of":1,"constant":40},"results":[{"at_least":3},{"of":1,"at_least":4},{"of":2,"at_least":5}],"lines":[{"at":"average"},{"of":1,"at":"median"},{"of":2,"constant":9}],"finish":{"cells":[{"of":0,"bar":{}},{"of":1,"bar":{}},{"of":2,"bar":{}}]},"form":"table"}`)
	for part, want := range map[string]string{
		"measure.0": "by 0, target 0, results [{0  4} {1  5}], lines [{0 median} {1 }], cells [0 1]",
		"measure.1": "by usual, target none, results [{0  3} {1  5}], lines [{0 average} {1 }], cells [0 1]",
		"measure.2": "by 1, target 1, results [{0  3} {1  4}], lines [{0 average} {1 median}], cells [0 1]",
	} {
		m, err := sentence.Choices(d, ds, part)
		require.NoError(t, err)
		c := m.Choices[len(m.Choices)-1].Document
		by, target := "usual", "none"
		if c.By[0].Sort != nil {
			by = fmt.Sprint(c.By[0].Sort.Measure)
		}
		if c.Target != nil {
			target = fmt.Sprint(c.Target.Measure)
		}
		var results, lines []string
		for _, r := range c.Results {
			results = append(results, fmt.Sprintf("{%d  %s}", r.Measure, r.AtLeast))
		}
		for _, l := range c.Lines {
			lines = append(lines, fmt.Sprintf("{%d %s}", l.Measure, l.At))
		}
		var cells []int
		for _, r := range c.Finish.Cells {
			cells = append(cells, r.Measure)
		}
		assert.Equal(t, want, fmt.Sprintf("by %s, target %s, results %v, lines %v, cells %v", by, target, results, lines, cells), part)
	}
}

// How many are kept can be any number, up to as many as can be.
func TestAnyNumberIsKept(t *testing.T) {
	jobs := sample.Jobs()
	of := read(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"boat"}],"form":"bars"}`)
	list := read(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"records"}`)
	for many, want := range map[int]int{4: 4, 12: 12, 5000: 1000} {
		m, err := sentence.ChoicesOf(of, jobs, "cut.0", many)
		require.NoError(t, err)
		assert.True(t, m.Many && m.Search)
		assert.Len(t, m.Choices, 4, "largest with others and without, smallest, all")
		assert.Equal(t, []int{want, want}, []int{m.Choices[0].Document.By[0].Largest, m.Choices[2].Document.By[0].Smallest})
		m, err = sentence.ChoicesOf(list, jobs, "most", many)
		require.NoError(t, err)
		assert.Equal(t, want, m.Choices[0].Document.Most)
	}
}
