package deliver

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAMistakeEndsOneThing(t *testing.T) {
	require.ErrorContains(t, safely(func() error { panic("here") }), "a mistake of the program: here")
	require.ErrorIs(t, safely(func() error { return assert.AnError }), assert.AnError)
	require.NoError(t, safely(func() error { return nil }))
}
