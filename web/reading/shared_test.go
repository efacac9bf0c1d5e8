package reading

import (
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What many ask for at once is made once; a change, a failure, and what may not be kept are
// asked anew.
func TestBrief(t *testing.T) {
	b := newBrief[int](10)
	b.span = time.Hour
	var stamp, made atomic.Int64
	ask := func(key string, keep bool, err error) int {
		v, got := b.get(key, stamp.Load, func() (int, bool, error) { return int(made.Add(1)), keep, err })
		require.Equal(t, err, got)
		return v
	}
	var all sync.WaitGroup
	for range 50 {
		all.Go(func() { assert.Equal(t, 1, ask("a", true, nil)) })
	}
	all.Wait()
	assert.Equal(t, 2, ask("b", true, nil), "another question")
	stamp.Add(1)
	assert.Equal(t, 3, ask("a", true, nil), "records have changed")
	assert.Equal(t, 3, ask("a", true, nil))
	ask("c", true, errors.New("no"))
	assert.Equal(t, 5, ask("c", false, nil), "a failure is not kept")
	assert.Equal(t, 6, ask("c", true, nil), "nor what is not live")
	b.span = 0
	assert.Equal(t, 7, ask("c", true, nil), "nor for longer than a moment")
	b.span = time.Hour
	// What changes while it is made is not taken for newer than it is.
	v, err := b.get("d", stamp.Load, func() (int, bool, error) { stamp.Add(1); return 100, true, nil })
	require.NoError(t, err)
	assert.Equal(t, 100, v)
	assert.Equal(t, 8, ask("d", true, nil))
}
