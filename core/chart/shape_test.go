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
	// What a form takes of a finish, and how it is laid out, agree with what it is.
	for _, f := range Forms() {
		s := f.shape()
		assert.Equal(t, s.list != nil, f.Uses(WithHeading) || f.Laid().Own, "%v: a list has headings or its own fields", f)
		assert.Equal(t, f.Uses(WithTotals), s.tells && !f.Headlines(), "%v: figures as text have totals, but for those that stand by themselves", f)
		if s.list == nil {
			assert.Zero(t, s.laid, f)
		} else {
			assert.Positive(t, f.Laid().Most, f)
		}
		wide, high := f.Size()
		assert.True(t, wide >= 4 && wide <= 12 && high >= 2, "%v fits the grid", f)
	}
	assert.False(t, Records.Uses(WithValueAxis))
	assert.True(t, Combined.Uses(WithSecondAxis) && Combined.Uses(WithPalette) && !Line.Uses(WithSecondAxis))
	unknown := &Document{Form: Form{Kind: "spiral"}}
	assert.Equal(t, "There is no form “spiral”.", problem.Of(unknown.Fits(unknown.Form, sample.Jobs())).Words)
	assert.False(t, unknown.Form.Lists() || unknown.Form.Tells())
}
