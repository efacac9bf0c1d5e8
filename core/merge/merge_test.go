package merge_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/merge"
	_ "eskadel/testseed"
)

func TestTwoChangesArePutTogether(t *testing.T) {
	for name, c := range map[string]struct {
		base, theirs, mine, want string
		clashes                  []merge.Clash
	}{
		"nothing":                     {`{"a":1}`, `{"a":1}`, `{"a":1}`, `{"a":1}`, nil},
		"only theirs":                 {`{"a":1}`, `{"a":2}`, `{"a":1}`, `{"a":2}`, nil},
		"only mine":                   {`{"a":1}`, `{"a":1}`, `{"a":2}`, `{"a":2}`, nil},
		"the same of both":            {`{"a":1}`, `{"a":2}`, `{"a":2}`, `{"a":2}`, nil},
		"other keys":                  {`{"a":1,"b":1}`, `{"a":2,"b":1}`, `{"a":1,"b":2}`, `{"a":2,"b":2}`, nil},
		"one key":                     {`{"a":1}`, `{"a":2}`, `{"a":3}`, `{"a":3}`, []merge.Clash{"a"}},
		"taken away and changed":      {`{"a_b":1}`, `{}`, `{"a_b":3}`, `{"a_b":3}`, []merge.Clash{"a b"}},
		"changed and taken away":      {`{"a":1}`, `{"a":3}`, `{}`, `{}`, []merge.Clash{"a"}},
		"both taken away":             {`{"a":1,"b":1}`, `{"b":1}`, `{"b":1}`, `{"b":1}`, nil},
		"both added":                  {`{}`, `{"a":1}`, `{"a":2}`, `{"a":2}`, []merge.Clash{"a"}},
		"exact numbers":               {`{"a":1.10,"b":1}`, `{"a":1.10,"b":2}`, `{"a":12345678901234567890.10,"b":1}`, `{"a":12345678901234567890.10,"b":2}`, nil},
		"elements by name":            {`[{"name":"a","n":1},{"name":"b","n":1}]`, `[{"name":"a","n":2},{"name":"b","n":1}]`, `[{"name":"a","n":1},{"name":"b","n":2}]`, `[{"n":2,"name":"a"},{"n":2,"name":"b"}]`, nil},
		"elements added by both":      {`[{"id":"a"}]`, `[{"id":"a"},{"id":"b"}]`, `[{"id":"a"},{"id":"c"}]`, `[{"id":"a"},{"id":"c"},{"id":"b"}]`, nil},
		"added in front":              {`[{"id":"a"}]`, `[{"id":"b"},{"id":"a"}]`, `[{"id":"a"},{"id":"c"}]`, `[{"id":"b"},{"id":"a"},{"id":"c"}]`, nil},
		"my order where I moved":      {`[{"id":"a"},{"id":"b"}]`, `[{"id":"a"},{"id":"b"},{"id":"c"}]`, `[{"id":"b"},{"id":"a"}]`, `[{"id":"b"},{"id":"c"},{"id":"a"}]`, nil},
		"their order where they did":  {`[{"id":"a"},{"id":"b"}]`, `[{"id":"b"},{"id":"a"}]`, `[{"id":"a"},{"id":"b"},{"id":"c"}]`, `[{"id":"b"},{"id":"c"},{"id":"a"}]`, nil},
		"one taken away by each":      {`[{"id":"a"},{"id":"b"},{"id":"c"}]`, `[{"id":"b"},{"id":"c"}]`, `[{"id":"a"},{"id":"b"}]`, `[{"id":"b"}]`, nil},
		"a clash within, by its name": {`[{"name":"a","label":"Cost","unit":"x"}]`, `[{"name":"a","label":"Cost","unit":"y"}]`, `[{"name":"a","label":"Cost","unit":"z"}]`, `[{"label":"Cost","name":"a","unit":"z"}]`, []merge.Clash{"“Cost” › unit"}},
		"lists without names":         {`{"a":[1]}`, `{"a":[1,2]}`, `{"a":[1,3]}`, `{"a":[1,3]}`, []merge.Clash{"a"}},
		"a name that stands twice":    {`[{"id":"a"}]`, `[{"id":"a"},{"id":"a"}]`, `[{"id":"a"},{"id":"b"}]`, `[{"id":"a"},{"id":"b"}]`, []merge.Clash{""}},
	} {
		got, clashes, err := merge.Three([]byte(c.base), []byte(c.theirs), []byte(c.mine))
		require.NoError(t, err, name)
		assert.Equal(t, c.want, string(got), name)
		assert.Equal(t, c.clashes, clashes, name)
	}
	for _, torn := range [][3]string{{"{", "{}", "{}"}, {"{}", "", "{}"}, {"{}", "{}", "nil"}} {
		_, _, err := merge.Three([]byte(torn[0]), []byte(torn[1]), []byte(torn[2]))
		assert.Error(t, err)
	}
}

// A document is what changes are drawn over: elements with names, each with a few keys.
type element struct {
	ID string `json:"id"`
	A  int    `json:"a"`
	B  int    `json:"b,omitempty"`
}

func drawn(t *rapid.T, from []element, who string) []element {
	out := slices.Clone(from)
	for n := range rapid.IntRange(0, 4).Draw(t, who) {
		at := rapid.IntRange(0, max(0, len(out)-1)).Draw(t, "at")
		switch rapid.IntRange(0, 3).Draw(t, "how") {
		case 0:
			out = slices.Insert(out, min(at, len(out)), element{ID: fmt.Sprint(who, n)})
		case 1:
			if len(out) > 0 {
				out[at].A = rapid.IntRange(10, 12).Draw(t, "a")
			}
		case 2:
			if len(out) > 0 {
				out[at].B = rapid.IntRange(10, 12).Draw(t, "b")
			}
		case 3:
			if len(out) > 0 {
				out = slices.Delete(out, at, at+1)
			}
		}
	}
	return out
}

// Without a clash, each element is as whoever changed it left it, and the changes say so in
// words; with nothing changed by one of them the other's document comes out.
func TestNothingIsLostInPuttingTogether(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		base := []element{{"x", 1, 1}, {"y", 1, 0}, {"z", 1, 1}}
		theirs, mine := drawn(t, base, "theirs"), drawn(t, base, "mine")
		j := func(v any) []byte { b, err := json.Marshal(v); require.NoError(t, err); return b }
		got, clashes, err := merge.Three(j(base), j(theirs), j(mine))
		require.NoError(t, err)
		var merged []element
		require.NoError(t, json.Unmarshal(got, &merged))
		find := func(in []element, id string) *element {
			i := slices.IndexFunc(in, func(e element) bool { return e.ID == id })
			if i < 0 {
				return nil
			}
			return &in[i]
		}
		for _, id := range []string{"x", "y", "z", "theirs0", "theirs1", "theirs2", "theirs3", "mine0", "mine1", "mine2", "mine3"} {
			b, th, mi, m := find(base, id), find(theirs, id), find(mine, id), find(merged, id)
			same := func(p, q *element) bool { return (p == nil) == (q == nil) && (p == nil || *p == *q) }
			switch {
			case same(b, th):
				require.True(t, same(m, mi), id)
			case same(b, mi):
				require.True(t, same(m, th), id)
			}
		}
		if len(clashes) == 0 {
			other, none, err := merge.Three(j(base), j(mine), j(theirs))
			require.NoError(t, err)
			require.Empty(t, none)
			var turned []element
			require.NoError(t, json.Unmarshal(other, &turned))
			require.ElementsMatch(t, merged, turned, "it is the same whoever was first")
		}
		words, more := merge.Changes(j(base), j(mine), 100)
		require.Zero(t, more)
		require.Equal(t, string(j(base)) == string(j(mine)), len(words) == 0)
	})
}

func TestChangesInWords(t *testing.T) {
	for name, c := range map[string]struct {
		before, after string
		words         []string
	}{
		"nothing":           {`{"a":[1,{"b":2}]}`, `{"a": [1, {"b": 2}]}`, nil},
		"a value":           {`{"open_record":"/a"}`, `{"open_record":"/b"}`, []string{"open record was “/a”, is “/b”"}},
		"added and gone":    {`{"a":true}`, `{"b":null}`, []string{"a was taken away, it was yes", "b was added: empty"}},
		"an element":        {`{"fields":[{"name":"x","label":"Cost"}]}`, `{"fields":[{"name":"x","label":"Cost"},{"name":"y_z","unit":"GBP"}]}`, []string{"fields › “y z” was added"}},
		"within an element": {`{"fields":[{"name":"x","label":"Cost","n":1}]}`, `{"fields":[{"name":"x","label":"Price","n":1.5}]}`, []string{"fields › “Price” › label was “Cost”, is “Price”", "fields › “Price” › n was 1, is 1.5"}},
		"another order":     {`[{"id":"a"},{"id":"b"}]`, `[{"id":"b"},{"id":"a"}]`, []string{" stand in another order"}},
		"a short list":      {`{"list":["a"]}`, `{"list":["a","b"]}`, []string{"list was “a”, is “a”, “b”"}},
		"what is long":      {`{"where":{"all":[]},"text":"x"}`, `{"where":"every row","text":"0123456789012345678901234567890123456789012345678901234567890123"}`, []string{"text was “x”, is “012345678901234567890123456789012345678901234567890123456789 …”", "where was something else, is “every row”"}},
	} {
		words, more := merge.Changes([]byte(c.before), []byte(c.after), 10)
		assert.Equal(t, c.words, words, name)
		assert.Zero(t, more)
	}
	words, more := merge.Changes([]byte(`{"a":1,"b":1,"c":1}`), []byte(`{"a":2,"b":2,"c":2}`), 2)
	assert.Len(t, words, 2)
	assert.Equal(t, 1, more)
}
