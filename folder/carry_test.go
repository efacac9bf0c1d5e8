package folder

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// kept is a workspace that keeps documents as the API does: each with a state of its own, which a
// change names.
type kept struct {
	docs      map[string][]byte // by their address
	state     map[string]int
	published []string
	refuse    string // an address that is not taken
}

func (s *kept) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	at, _ := strings.CutPrefix(r.URL.Path, "/api/v1/")
	fail := func(status int, words string) {
		w.WriteHeader(status)
		_ = json.NewEncoder(w).Encode(map[string]string{"detail": words, "place": "title"})
	}
	if r.Header.Get("Authorization") != "Bearer key" {
		fail(http.StatusUnauthorized, "Who is there?")
		return
	}
	list := []map[string]string{}
	if of, is := strings.CutSuffix(at, "/publish"); is {
		s.published = append(s.published, of)
		return
	}
	switch at {
	case "sources":
		list = append(list, map[string]string{"name": "desk"})
	case "datasets", "charts", "dashboards":
		for k := range s.docs {
			if name, is := strings.CutPrefix(k, at+"/"); is {
				list = append(list, map[string]string{"name": name})
			}
		}
	default:
		tag := fmt.Sprintf(`"%d"`, s.state[at])
		body, there := s.docs[at]
		switch {
		case r.Method == http.MethodGet && !there:
			fail(http.StatusNotFound, "There is no such document.")
		case r.Method == http.MethodGet:
			w.Header().Set("ETag", tag)
			_, _ = w.Write(body)
		case r.Method == http.MethodPost:
			fail(http.StatusUnprocessableEntity, "It cannot be said in words.")
		case there && r.Header.Get("If-Match") != tag:
			fail(http.StatusPreconditionFailed, "Somebody changed it.")
		case at == s.refuse:
			fail(http.StatusUnprocessableEntity, "It does not fit.")
		case r.Method == http.MethodDelete:
			delete(s.docs, at)
		default:
			s.docs[at], _ = io.ReadAll(r.Body)
			s.state[at]++
			w.Header().Set("ETag", fmt.Sprintf(`"%d"`, s.state[at]))
		}
		return
	}
	_ = json.NewEncoder(w).Encode(list)
}

func (s *kept) put(at, body string) {
	s.docs[at] = []byte(body)
	s.state[at]++
}

const (
	theRules = `{"version":1,"source":"desk","tables":[{"table":"job","row_rules":[{"roles":["everyone"],"where":"every row"}]}]}`
	jobs     = `{"version":1,"name":"jobs","title":"Jobs","record":["job","jobs"],"source":"desk","from":{"table":"job"},"key":["id"],"fields":[{"name":"kind","column":"kind","label":"Kind"},{"name":"yard","column":"yard","label":"Yard"}]}`
	chartOf  = `{"version":2,"title":"Kinds","dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"form":"bars"}`
	board    = `{"version":1,"name":"board","title":"Board","pages":[{"title":"P","widgets":[{"id":"a","at":[0,0,6,4],"chart":{"library":"kinds","version":3}},{"id":"b","at":[6,0,6,4],"text":"Hello"}]}]}`
)

// bench is a workspace with a document of each kind, and a folder that is carried to and from it.
func bench(t *testing.T) (*kept, *Carrier, *[]string) {
	s := &kept{docs: map[string][]byte{}, state: map[string]int{}}
	s.put("sources/desk/rules", theRules)
	s.put("datasets/jobs", jobs)
	s.put("charts/kinds", chartOf)
	s.put("dashboards/board", board)
	server := httptest.NewServer(s)
	t.Cleanup(server.Close)
	var said []string
	c := carrierTo(t, server.URL)
	c.Say = func(format string, args ...any) { said = append(said, fmt.Sprintf(format, args...)) }
	return s, c, &said
}

func carrierTo(t *testing.T, address string) *Carrier {
	return &Carrier{Dir: t.TempDir(), Workspace: &Workspace{Address: address, Key: "key"}, Say: func(string, ...any) {}}
}

func (c *Carrier) file(t *testing.T, k string) string {
	b, err := os.ReadFile(filepath.Join(c.Dir, k+".json"))
	require.NoError(t, err)
	return string(b)
}

// edit changes a file by hand.
func (c *Carrier) edit(t *testing.T, k, was, is string) {
	text := c.file(t, k)
	require.Contains(t, text, was)
	require.NoError(t, os.WriteFile(filepath.Join(c.Dir, k+".json"), []byte(strings.Replace(text, was, is, 1)), 0o644))
}

func TestPullEditPush(t *testing.T) {
	s, c, said := bench(t)
	ctx := t.Context()
	require.NoError(t, c.Pull(ctx))
	assert.NotContains(t, c.file(t, "dashboards/board"), `"version": 3`, "the versions of charts are the workspace's")
	n, err := c.Diff(ctx)
	require.NoError(t, err)
	assert.Zero(t, n, "pull, then diff: nothing")
	require.NoError(t, c.Push(ctx))
	assert.Equal(t, 1, s.state["dashboards/board"], "pull, then push: nothing changes")

	c.edit(t, "dashboards/board", "Hello", "Good day")
	c.edit(t, "datasets/jobs", `"label": "Kind"`, `"label": "Sort"`)
	*said = nil
	n, err = c.Diff(ctx)
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	assert.Contains(t, (*said)[0], "datasets/jobs: fields › “Sort” › label was “Kind”, is “Sort”")
	assert.Contains(t, (*said)[1], "dashboards/board: pages › “P” › widgets › “b” › text was “Hello”, is “Good day”")
	c.DryRun = true
	require.NoError(t, c.Push(ctx))
	assert.Contains(t, string(s.docs["dashboards/board"]), "Hello", "only said")
	c.DryRun, c.Publish = false, true
	require.NoError(t, c.Push(ctx))
	assert.Contains(t, string(s.docs["dashboards/board"]), "Good day")
	assert.Equal(t, []string{"dashboards/board"}, s.published, "a dataset holds as soon as it is kept")

	// A new file is made there, one that is gone only with -remove.
	require.NoError(t, os.Rename(filepath.Join(c.Dir, "charts/kinds.json"), filepath.Join(c.Dir, "charts/sorts.json")))
	require.NoError(t, c.Push(ctx))
	assert.Contains(t, s.docs, "charts/sorts")
	assert.Contains(t, s.docs, "charts/kinds")
	c.Remove = true
	require.NoError(t, c.Push(ctx))
	assert.NotContains(t, s.docs, "charts/kinds")
	delete(s.docs, "charts/sorts")
	require.NoError(t, c.Pull(ctx))
	assert.NoFileExists(t, filepath.Join(c.Dir, "charts/sorts.json"), "as it was removed there")
}

func TestTwoPushesDoNotOverwrite(t *testing.T) {
	s, one, _ := bench(t)
	two := carrierTo(t, one.Workspace.Address)
	ctx := t.Context()
	require.NoError(t, one.Pull(ctx))
	require.NoError(t, two.Pull(ctx))
	one.edit(t, "dashboards/board", "Hello", "Good day")
	require.NoError(t, one.Push(ctx))
	two.edit(t, "dashboards/board", `"Board"`, `"The board"`)
	two.edit(t, "datasets/jobs", `"label": "Kind"`, `"label": "Sort"`)
	assert.ErrorContains(t, two.Push(ctx), "nothing was pushed: 1 document was changed there since")
	assert.Contains(t, string(s.docs["datasets/jobs"]), `"Kind"`, "nothing at all")

	// Pulling puts both changes together; then it can be pushed.
	require.NoError(t, two.Pull(ctx))
	assert.Contains(t, two.file(t, "dashboards/board"), "Good day")
	assert.Contains(t, two.file(t, "dashboards/board"), "The board")
	require.NoError(t, two.Push(ctx))
	assert.Contains(t, string(s.docs["dashboards/board"]), "The board")

	// Both changed the same: the file stays, until one says which.
	one.edit(t, "dashboards/board", "Good day", "Good evening")
	two.edit(t, "dashboards/board", "Good day", "Good night")
	require.NoError(t, two.Push(ctx))
	assert.ErrorContains(t, one.Pull(ctx), "1 document differs here and there")
	assert.Contains(t, one.file(t, "dashboards/board"), "Good evening")
	assert.Error(t, one.Push(ctx))
	one.Over = true
	require.NoError(t, one.Pull(ctx))
	assert.Contains(t, one.file(t, "dashboards/board"), "Good night")

	// A folder that was never pulled overwrites nothing by itself, as in a pipeline.
	fresh := carrierTo(t, one.Workspace.Address)
	require.NoError(t, os.CopyFS(fresh.Dir, os.DirFS(two.Dir)))
	require.NoError(t, os.Remove(filepath.Join(fresh.Dir, stateFile)))
	fresh.edit(t, "dashboards/board", "Good night", "Sleep well")
	assert.ErrorContains(t, fresh.Push(ctx), "nothing was pushed")
	fresh.Over = true
	require.NoError(t, fresh.Push(ctx))
	assert.Contains(t, string(s.docs["dashboards/board"]), "Sleep well")
}

func TestWhatIsBrokenOrRefused(t *testing.T) {
	s, c, said := bench(t)
	ctx := t.Context()
	require.NoError(t, c.Pull(ctx))
	c.edit(t, "datasets/jobs", `"label": "Kind"`, `"label": "Sort"`)
	c.edit(t, "dashboards/board", `"title": "Board"`, `"titel": "Board"`)
	for _, do := range []func() error{func() error { return c.Push(ctx) }, func() error { return c.Pull(ctx) }} {
		assert.EqualError(t, do(), `dashboards/board.json:4: There is no key "titel" here.`)
	}
	assert.Contains(t, string(s.docs["datasets/jobs"]), `"Kind"`, "the folder is refused whole")
	c.edit(t, "dashboards/board", `"titel": "Board"`, `"title": "The board"`)

	// What the workspace does not take is said, with what it took before; it goes on from there.
	s.refuse = "dashboards/board"
	assert.EqualError(t, c.Push(ctx), "dashboards/board: It does not fit. (title) It stopped there; pushed before: datasets/jobs")
	s.refuse = ""
	*said = nil
	require.NoError(t, c.Push(ctx))
	assert.Equal(t, []string{"dashboards/board: title was “Board”, is “The board”", "1 document is pushed"}, *said)

	c.Workspace.Key = "another"
	assert.ErrorContains(t, c.Pull(ctx), "Who is there?")
	require.NoError(t, os.WriteFile(filepath.Join(c.Dir, stateFile), []byte("{"), 0o644))
	assert.ErrorContains(t, c.Pull(ctx), "remove it, then pull")
}

// Names of a workspace are those of the files as soon as they are here.
func TestCarryingUnderOtherNames(t *testing.T) {
	s, c, _ := bench(t)
	ctx := t.Context()
	c.Workspace.Names = Names{Sources: map[string]string{"desk-test": "desk"}, Datasets: map[string]string{"jobs-test": "jobs"}, Dashboards: map[string]string{"board-test": "board"}}
	require.NoError(t, c.Pull(ctx))
	assert.Contains(t, c.file(t, "rules/desk-test"), `"source": "desk-test"`)
	assert.Contains(t, c.file(t, "charts/kinds"), `"dataset": "jobs-test"`)
	c.edit(t, "dashboards/board-test", "Hello", "Good day")
	require.NoError(t, c.Push(ctx))
	assert.Contains(t, string(s.docs["dashboards/board"]), "Good day")
	assert.Len(t, s.docs, 4, "nothing new is made")
}
