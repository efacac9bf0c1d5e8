package folder

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// shipped are the documents of the demonstration.
func shipped(t testing.TB) Documents {
	docs, faults, err := Read("../demo/documents")
	require.NoError(t, err)
	require.Empty(t, faults)
	require.Greater(t, len(docs), 30)
	return docs
}

func TestFilesHaveOneForm(t *testing.T) {
	dir := t.TempDir()
	docs := shipped(t)
	for k, body := range docs {
		again, err := tidy(k, body)
		require.NoError(t, err)
		assert.Equal(t, string(body), string(again), k)
		require.NoError(t, write(dir, k, body))
	}
	read, faults, err := Read(dir)
	require.NoError(t, err)
	assert.Empty(t, faults)
	assert.Equal(t, docs, read)
	n, err := DiffFolders("../demo/documents", dir, func(string, ...any) {})
	require.NoError(t, err)
	assert.Zero(t, n)
}

func TestNamesThereAndBack(t *testing.T) {
	docs := shipped(t)
	names := Names{
		Sources:    map[string]string{"yard-desk": "desk"},
		HostApps:   map[string]string{"yard-desk": "desk-app"},
		Datasets:   map[string]string{"yard-jobs": "jobs", "plan-by-month": "plan"},
		Charts:     map[string]string{"days-late-by-yard": "late-yards"},
		Dashboards: map[string]string{"money": "the-money"},
	}
	there, err := names.all(docs)
	require.NoError(t, err)
	assert.Contains(t, there, Key{Rules, "desk"})
	assert.Contains(t, there, Key{Charts, "late-yards"})
	for k, body := range there {
		for _, gone := range []string{`"yard-desk"`, `"yard-jobs"`, `"plan-by-month"`, `"days-late-by-yard"`, `"money"`} {
			if k.Name != "yard-today" { // where a widget is called so
				assert.NotContains(t, string(body), gone, k)
			}
		}
	}
	back, err := names.back().all(there)
	require.NoError(t, err)
	for k, body := range docs {
		assert.Equal(t, string(body), string(back[k]), k)
	}
}

func TestFaultsSayWhere(t *testing.T) {
	const board = `{
  "version": 1,
  "name": "b",
  "title": "B",
  "pages": [
    { "title": "P", "widgets": [
      { "id": "a", "at": [0, 0, 6, 4], "text": "Hello" },
      { "id": "a", "at": [0, 4, 6, 4], "text": "Hello" } ] } ]
}`
	for name, c := range map[string]struct{ path, body, says string }{
		"a name twice":       {"dashboards/b.json", board, "dashboards/b.json:8: Each widget has an id of its own"},
		"no JSON":            {"dashboards/b.json", strings.Replace(board, `"B",`, `"B"`, 1), "dashboards/b.json:5: This is not JSON"},
		"an unknown key":     {"dashboards/b.json", strings.Replace(board, `"text": "Hello" },`, `"txt": "Hello" },`, 1), `dashboards/b.json:7: There is no key "txt" here.`},
		"another name":       {"dashboards/c.json", strings.Replace(board, `"a", "at": [0, 4`, `"b", "at": [0, 4`, 1), "dashboards/c.json:3: The document is called “b”"},
		"of another kind":    {"datasets/b.json", board, "datasets/b.json:5: There is no key \"pages\" here."},
		"a newer version":    {"charts/b.json", `{"version": 99}`, "charts/b.json:1:"},
		"nested too deep":    {"charts/b.json", strings.Repeat("[", 100) + strings.Repeat("]", 100), "charts/b.json:1:"},
		"nothing":            {"rules/b.json", "", "rules/b.json:1: This is not JSON"},
		"larger than it may": {"charts/b.json", strings.Repeat(" ", Largest+1), "charts/b.json: A document has at most 4 MB."},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			require.NoError(t, whole(filepath.Join(dir, c.path), []byte(c.body)))
			_, faults, err := Read(dir)
			require.NoError(t, err)
			require.Len(t, faults, 1)
			assert.Contains(t, faults[0].String(), c.says)
		})
	}
}

func FuzzLocate(f *testing.F) {
	f.Add([]byte(`{"a": [1, {"b": 2}]}`), "a[1].b")
	f.Add([]byte(`[[`), "0[0][0]")
	f.Fuzz(func(t *testing.T, body []byte, place string) {
		if at := locate(body, place); at < 0 || at > int64(len(body)) {
			t.Fatalf("%d of %d", at, len(body))
		}
	})
}

// What a folder says is held against itself where no source is given.
func TestCheckLooksAtWhatIsInTheFolder(t *testing.T) {
	dir := t.TempDir()
	for k, body := range shipped(t) {
		require.NoError(t, write(dir, k, body))
	}
	n, faults, err := Check(t.Context(), dir, nil)
	require.NoError(t, err)
	assert.Empty(t, faults)
	assert.Equal(t, len(shipped(t)), n)
	require.NoError(t, os.Remove(filepath.Join(dir, "datasets/hazards.json")))
	require.NoError(t, os.Remove(filepath.Join(dir, "dashboards/money.json")))
	_, faults, err = Check(t.Context(), dir, nil)
	require.NoError(t, err)
	var said []string
	for _, f := range faults {
		assert.Positive(t, f.Line)
		said = append(said, f.File+": "+f.Words)
	}
	assert.Contains(t, said, "dashboards/hazards.json: There is no dataset “hazards” in this folder.")
	assert.Contains(t, said, "charts/open-hazards-by-yard.json: There is no dataset “hazards” in this folder.")
	assert.Contains(t, said, "dashboards/yard-today.json: There is no dashboard “money” in this folder.")
}

func TestSettings(t *testing.T) {
	dir := t.TempDir()
	s, err := ReadSettings(dir)
	require.NoError(t, err)
	_, err = s.Workspace("", "", "key")
	assert.ErrorContains(t, err, "Which workspace?")
	w, err := s.Workspace("", "https://boards.example.org", "key")
	require.NoError(t, err)
	assert.Equal(t, "https://boards.example.org", w.Address)
	_, err = s.Workspace("", "https://boards.example.org", "")
	assert.ErrorContains(t, err, "ESKADEL_API_KEY")
	require.NoError(t, whole(filepath.Join(dir, settingsFile), []byte(`{"version":1,"workspaces":{"test":{"address":"http://a"},"live":{"address":"http://b","names":{"sources":{"s":"t"}}}}}`)))
	s, err = ReadSettings(dir)
	require.NoError(t, err)
	_, err = s.Workspace("", "", "key")
	assert.Error(t, err, "there are two")
	w, err = s.Workspace("live", "", "key")
	require.NoError(t, err)
	assert.Equal(t, "t", w.Names.Sources["s"])
	_, err = s.Workspace("other", "", "key")
	assert.ErrorContains(t, err, "“other”")
	require.NoError(t, whole(filepath.Join(dir, settingsFile), []byte(`{"version":1,"workspace":{}}`)))
	_, err = ReadSettings(dir)
	assert.ErrorContains(t, err, "workspace")
}
