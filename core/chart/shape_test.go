package chart

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"eskadel/core/dataset/sample"
	"eskadel/core/problem"
)

// A form is drawn, tells, or lists, and says what it is for; one that there is not fits nothing.
func TestEveryFormIsWhole(t *testing.T) {
	for _, f := range Forms() {
		s := f.shape()
		assert.NotEmpty(t, s.words, f)
		assert.NotEmpty(t, s.purpose, f)
		ways := 0
		for _, way := range []bool{s.draw != nil, s.list != nil, s.tells} {
			if way {
				ways++
			}
		}
		assert.Equal(t, 1, ways, "%v is laid out in one way", f)
		assert.True(t, s.fits != nil || s.list != nil, "%v says what fits", f)
	}
	unknown := &Document{Form: Form{Kind: "spiral"}}
	assert.Equal(t, "There is no form “spiral”.", problem.Of(unknown.Fits(unknown.Form, sample.Jobs())).Words)
	assert.False(t, unknown.Form.Lists() || unknown.Form.Tells())
}
