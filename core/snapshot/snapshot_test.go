package snapshot_test

import (
	"math"
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"

	"eskadel/core/alert"
	"eskadel/core/snapshot"
)

func point(key, text string) alert.Point {
	d, _, err := apd.NewFromString(text)
	if err != nil {
		d = nil
	}
	return alert.Point{Key: key, Label: "label " + key, Text: text, Value: d}
}

func TestThenAndNow(t *testing.T) {
	then := []alert.Point{point("a", "214"), point("b", "0"), point("c", "7"), point("d", "-10"), point("e", "3"), point("e", "4"), point("x", "none")}
	now := []alert.Point{point("e", "3"), point("d", "-12.5"), point("b", "5"), point("a", "231"), point("f", "1"), point("f", "2"), point("x", "1")}
	assert.Equal(t, []snapshot.Difference{
		{"label a", "214", "231", "+7.9%", "up"}, {"label b", "0", "5", "", "up"}, {"label c", "7", "no longer there", "", ""}, {"label d", "-10", "-12.5", "-25.0%", "down"},
		{"label e", "3", "3", "", "same"}, {"label x", "none", "1", "", ""}, {"label f", "not there then", "1", "", ""},
	}, snapshot.Compare(then, now))
}

func TestNotes(t *testing.T) {
	widgets := []string{"a", "b"}
	at := snapshot.Anchor{Widget: "a", Mark: "0 3", X: 0.5, Y: 1}
	good := []snapshot.Note{{Kind: "note", From: at, Text: "why?"}, {Kind: "arrow", From: at, To: &snapshot.Anchor{Widget: "b", Cell: 4}}, {Kind: "ring", From: at}}
	assert.NoError(t, snapshot.Check(good, widgets))
	for name, n := range map[string]snapshot.Note{
		"another kind": {Kind: "star", From: at}, "an arrow to nowhere": {Kind: "arrow", From: at}, "a ring with an end": {Kind: "ring", From: at, To: &at}, "an empty note": {Kind: "note", From: at, Text: " "},
		"a long note": {Kind: "note", From: at, Text: strings.Repeat("x", 501)}, "no widget": {Kind: "ring", From: snapshot.Anchor{Widget: "z"}}, "no mark": {Kind: "ring", From: snapshot.Anchor{Widget: "a", Mark: "0 0); alert(1"}},
		"outside": {Kind: "ring", From: snapshot.Anchor{Widget: "a", X: 1.1}}, "nowhere": {Kind: "ring", From: snapshot.Anchor{Widget: "a", Y: math.NaN()}}, "before": {Kind: "ring", From: snapshot.Anchor{Widget: "a", Cell: -1}},
		"a far end": {Kind: "arrow", From: at, To: &snapshot.Anchor{Widget: "z"}}, "long words": {Kind: "ring", From: snapshot.Anchor{Widget: "a", Words: strings.Repeat("x", 201)}},
	} {
		assert.Error(t, snapshot.Check([]snapshot.Note{n}, widgets), name)
	}
	assert.Error(t, snapshot.Check(make([]snapshot.Note, 101), widgets))
}
