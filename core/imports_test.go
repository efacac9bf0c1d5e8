// Package core_test holds the core to its promise: it computes, and does nothing else.
package core_test

import (
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheCoreImportsOnlyWhatComputes(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}}: {{join .Imports " "}}`, "./...").Output()
	require.NoError(t, err)
	allowed := []string{"eskadel/core", "github.com/go-playground/locales", "github.com/cockroachdb/apd/v3", "golang.org/x/text/"}
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		name, imports, _ := strings.Cut(line, ": ")
		if strings.HasSuffix(name, "test") {
			continue // it helps tests
		}
		for _, i := range strings.Fields(imports) {
			standard := !strings.Contains(strings.Split(i, "/")[0], ".") && !strings.HasPrefix(i, "eskadel/")
			ours := false
			for _, a := range allowed {
				ours = ours || strings.HasPrefix(i, a)
			}
			assert.True(t, standard || ours, "%s imports %s", name, i)
			if i == "net/netip" { // addresses as values
				continue
			}
			for _, never := range []string{"net", "os", "database/", "html/", "log"} {
				assert.False(t, standard && (i == strings.TrimSuffix(never, "/") || strings.HasPrefix(i, never+"/") || strings.HasSuffix(never, "/") && strings.HasPrefix(i, never)), "%s imports %s", name, i)
			}
		}
	}
}

// The core takes the clock and the manner of writing as arguments, and knows nothing of the
// process it runs in; what it remembers is only what it would find again.
func TestTheCoreHasNoClockAndNoState(t *testing.T) {
	clock := regexp.MustCompile(`\btime\.(Now|Since|Until|After|Tick|Sleep|Local)\b|\bos\.|\brand\.|\batomic\.|\bsync\.(Mutex|RWMutex|Once)\b`)
	err := filepath.WalkDir(".", func(path string, _ fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		b, err := os.ReadFile(path)
		assert.Empty(t, clock.FindString(string(b)), path)
		return err
	})
	require.NoError(t, err)
}
