// Package golden compares what a test gets with what is kept in a file. The file is read by a
// person when it changes, and written anew with -update.
package golden

import (
	"flag"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var update = flag.Bool("update", false, "write what tests get into the files that it is compared with")

// Compare holds what a test got to a file.
func Compare(t *testing.T, path, got string) {
	t.Helper()
	if *update {
		require.NoError(t, os.WriteFile(path, []byte(got), 0o600))
	}
	assert.Equal(t, read(t, path), got, "%s: read what has changed, then write it anew with -update", path)
}

// Cases are the lines of such a file that answers stand below, which are indented.
func Cases(t *testing.T, path string) (out []string) {
	t.Helper()
	for line := range strings.Lines(read(t, path)) {
		if !strings.HasPrefix(line, " ") {
			out = append(out, strings.TrimSuffix(line, "\n"))
		}
	}
	return out
}

func read(t *testing.T, path string) string {
	t.Helper()
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	return string(text)
}
