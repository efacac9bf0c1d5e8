package readymade_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/readymade"
	"eskadel/core/sentence"
	"eskadel/golden"
)

func jobs(t *testing.T, change func(*dataset.Document)) *dataset.Dataset {
	d := sample.Document()
	change(d)
	ds, err := dataset.Resolve(d, sample.Tables(), nil)
	require.NoError(t, err)
	return ds
}

func unchanged(*dataset.Document) {}

func TestGuesses(t *testing.T) {
	work, err := readymade.Find("work")
	require.NoError(t, err)
	c, sure := work.Guess(jobs(t, unchanged))
	assert.Positive(t, sure)
	assert.Equal(t, "opened", c.Fields["when"])
	assert.Equal(t, "promised", c.Fields["due"])
	assert.Equal(t, "kind", c.Fields["kind"])
	assert.Equal(t, "yard", c.Fields["place"])

	// Labels and synonyms speak for a field, its name need not.
	renamed := jobs(t, func(d *dataset.Document) {
		for i := range d.Fields {
			if f := &d.Fields[i]; f.Name == "yard" {
				f.Label, f.Synonyms = "Quay", []string{"site"}
			}
		}
	})
	c, _ = work.Guess(renamed)
	assert.Equal(t, "yard", c.Fields["place"])

	risk, _ := readymade.Find("risk")
	_, sure = risk.Guess(jobs(t, unchanged))
	assert.Negative(t, sure, "jobs are no risks")
	_, err = readymade.Find("gardening")
	assert.Error(t, err)
}

func TestWhatGoesOn(t *testing.T) {
	ds := jobs(t, unchanged)
	c := readymade.Choice{Fields: map[string]string{"state": "kind"}}
	for _, of := range []struct{ states, on []string }{
		{[]string{"new", "in hand", "closed"}, []string{"new", "in hand"}},
		{[]string{"open", "handed back", "Withdrawn by the customer"}, []string{"open"}},
		{[]string{"a", "b"}, nil}, // nothing tells
		{nil, nil},
	} {
		assert.Equal(t, of.on, c.GoOn(ds, of.states))
	}
}

// Whatever is chosen for the parts, what is made is sound and says what it leaves out, or what is
// missing is said.
func TestEveryChoiceMakesADashboardOrSaysWhy(t *testing.T) {
	ds := jobs(t, unchanged)
	made := 0
	for _, k := range readymade.Kinds() {
		guess, _ := k.Guess(ds)
		for _, s := range k.Said(ds, guess, []string{"care", "rework", "closed"}) {
			assert.NotContains(t, s.Says, "RECORD")
			for _, o := range append(s.Options, readymade.Option{}) {
				c, _ := k.Guess(ds)
				if c.Open = []string{"care"}; s.Values {
					c.Open = nil
				} else {
					c.Fields[s.Part] = o.Name
				}
				d, left, err := k.Make(ds, c, "made", "Made")
				if err != nil {
					assert.Contains(t, err.Error(), "choose", k.Name)
					continue
				}
				made++
				_, err = dashboard.Read(d.JSON())
				require.NoError(t, err)
				for _, w := range d.Widgets() {
					require.NoError(t, w.Chart.Own.Check(ds), "%s %s", k.Name, w.ID)
				}
				for _, l := range left {
					assert.NotEmpty(t, l.Why)
					assert.NotContains(t, l.Title, "RECORDS")
				}
			}
		}
	}
	assert.Greater(t, made, 100)
}

// everything is a dataset that has a field for every part of every kind, and some that play none.
func everything(t *testing.T) *dataset.Dataset {
	column := func(name, base string, distinct float64, list ...string) dataset.Column {
		c := dataset.Column{Name: name, SQLType: base, Distinct: distinct, List: list}
		c.Classify(base)
		return c
	}
	who := &dataset.Table{Schema: "public", Name: "agent", Kind: "table", Unique: [][]string{{"id"}}, Columns: []dataset.Column{column("id", "bigint", 9), column("name", "text", 9)}}
	cases := &dataset.Table{Schema: "public", Name: "case", Kind: "table", Unique: [][]string{{"id"}},
		Links: []dataset.Link{{Columns: []string{"agent_id"}, Table: "public.agent", To: []string{"id"}, Verified: true}},
		Columns: []dataset.Column{column("id", "bigint", 900), column("title", "text", 900), column("opened_at", "timestamp with time zone", 900), column("answered_at", "timestamp with time zone", 900), column("closed_at", "timestamp with time zone", 900),
			column("due_on", "date", 90), column("paid_on", "date", 90), column("review_on", "date", 90), column("moved_on", "date", 90), column("stage", "text", 5, "asked", "quoted", "agreed", "declined"),
			column("priority", "text", 3, "low", "high"), column("category", "text", 40), column("channel", "text", 4), column("campaign", "text", 4), column("site", "text", 5), column("supplier", "text", 20),
			column("agent_id", "bigint", 9), column("amount", "numeric", 400), column("cost", "numeric", 400), column("hours", "numeric", 40), column("likelihood", "integer", 5), column("severity", "integer", 5),
			column("quantity", "integer", 50), column("reorder_level", "integer", 10), column("rating", "integer", 5), column("note", "text", 900), column("active", "boolean", 2)}}
	c := dataset.Catalogue{who, cases}
	d := dataset.Suggest("desk", cases, c)
	for i := range d.Fields {
		if d.Fields[i].Name == "stage" {
			d.Fields[i].Lost = []string{"declined"}
		}
	}
	ds, err := dataset.Resolve(d, c, nil)
	require.NoError(t, err)
	return ds
}

// What each kind takes for what of such a dataset, and what it makes of it; and of a dataset that says
// only what is needed.
func TestWhatIsMade(t *testing.T) {
	ds := everything(t)
	var b strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	for _, k := range readymade.Kinds() {
		whole, sure := k.Guess(ds)
		states := whole.States(ds)
		whole.Open = whole.GoOn(ds, states)
		bare := readymade.Choice{Fields: map[string]string{}}
		say("%s: %s (%d)", k.Title, k.Answers, sure)
		for _, s := range k.Said(ds, whole, states) {
			say("  %s %s; of %d", s.Says, s.Chosen, len(s.Options))
			if s.Needed {
				bare.Fields[s.Part] = whole.Fields[s.Part]
			}
		}
		for _, of := range []struct {
			name   string
			choice readymade.Choice
		}{{"of all that there is", whole}, {"of what is needed", bare}} {
			d, left, err := k.Make(ds, of.choice, "made", "Made")
			require.NoError(t, err)
			say("  %s:", of.name)
			for _, f := range d.Filters {
				say("    narrowed by %s of %q%s", f.Label, f.Field, map[bool]string{true: ", at first the last 12 months"}[f.Default != nil])
			}
			for _, w := range d.Widgets() {
				more := ""
				if w.Drill != nil {
					more += ", down through " + strings.Join(*w.Drill, ", ")
				}
				if len(w.AnswersTo) > 0 {
					more += ", at any time"
				}
				say("    %v %s: %s%s", w.At, w.Chart.Own.Title, sentence.Text(w.Chart.Own, ds), more)
			}
			for _, l := range left {
				say("    without %s: %s", l.Title, l.Why)
			}
		}
	}
	golden.Compare(t, "testdata/made.txt", b.String())
}
