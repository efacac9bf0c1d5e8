package readymade_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/readymade"
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
