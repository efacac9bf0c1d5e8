package print

import (
	"bytes"
	"context"
	"fmt"
	"image/png"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
)

func nothing(int64, int64) error { return nil }

// What is printed is the page once it says that it is ready; of other servers it reaches none.
func TestPrint(t *testing.T) {
	var reached atomic.Int64
	other := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { reached.Add(1) }))
	defer other.Close()
	rows := strings.Repeat("<tr><td>Mend keel</td><td>12.50</td></tr>", 120)
	p := New("", http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		if r.URL.Path == "/wrong" {
			fmt.Fprint(w, `<script>document.documentElement.dataset.wrong = "The records do not answer."</script>`)
			return
		}
		fmt.Fprintf(w, `<!doctype html><html lang="en"><title>Jobs of the yard</title><h1>Jobs</h1><img src="%[1]s/a.png"><img src="http://localhost:9/b.png"><a href="https://yard.example/jobs/7">Job 7</a>
			<table><thead style="break-inside: avoid"><tr><th>Job</th><th>Cost</th></tr></thead><tbody>%[2]s</tbody></table>
			<script>const of = document.documentElement.dataset; of.of = "2"; of.done = "1";
			fetch("%[1]s/c").catch(() => {}).finally(() => { of.done = "2"; of.ready = "yes"; })</script>`, other.URL, rows)
	}))
	told := [][2]int64{}
	b, err := p.Print(t.Context(), "/page", How{Foot: `Jobs <b>& more</b>`}, func(done, of int64) error {
		told = append(told, [2]int64{done, of})
		return nil
	})
	require.NoError(t, err)
	assert.Zero(t, reached.Load(), "another server")
	assert.Equal(t, [2]int64{2, 2}, told[len(told)-1])
	out := func(name string, args ...string) string {
		c := exec.Command(name, args...)
		c.Stdin = bytes.NewReader(b)
		said, err := c.CombinedOutput()
		require.NoError(t, err, "%s", said)
		return string(said)
	}
	info, text := out("pdfinfo", "-"), out("pdftotext", "-layout", "-", "-")
	assert.Regexp(t, `Tagged:\s+yes`, info)
	assert.Contains(t, info, "Jobs of the yard")
	assert.Regexp(t, `595\.\d+ x 841\.\d+ pts \(A4\)`, info)
	pages := strings.Split(strings.TrimSuffix(text, "\f"), "\f")
	require.Greater(t, len(pages), 1)
	for i, page := range pages {
		assert.Regexp(t, `Job\s+Cost`, page, "the headings of page %d", i+1)
		assert.Contains(t, page, "Jobs <b>& more</b>")
		assert.Contains(t, page, fmt.Sprintf("page %d of %d", i+1, len(pages)))
	}
	assert.Equal(t, 120, strings.Count(text, "Mend keel"), "nothing is cut")
	assert.Contains(t, out("pdfinfo", "-url", "-"), "https://yard.example/jobs/7")

	b, err = p.Print(t.Context(), "/page", How{Kind: "png"}, nothing)
	require.NoError(t, err)
	img, err := png.Decode(bytes.NewReader(b))
	require.NoError(t, err)
	assert.Equal(t, 2560, img.Bounds().Dx())
	assert.Greater(t, img.Bounds().Dy(), 3000, "all of it")

	_, err = p.Print(t.Context(), "/wrong", How{}, nothing)
	assert.ErrorContains(t, err, "The records do not answer.")
	stopped, stop := context.WithCancel(t.Context())
	_, err = p.Print(stopped, "/page", How{Paper: "Letter", Across: true}, func(int64, int64) error {
		stop()
		return stopped.Err()
	})
	assert.ErrorIs(t, err, context.Canceled)
}

// Without a browser it is said why, and what is wanted is one of what there is.
func TestWithout(t *testing.T) {
	_, err := (&Printer{}).Print(t.Context(), "/", How{}, nothing)
	assert.Equal(t, problem.Down, problem.Of(err).Code)
	assert.ErrorContains(t, err, "no Chromium is installed")
	for words, how := range map[string]How{"pdf or png": {Kind: "gif"}, "A4, A3, Letter": {Paper: "A9"}} {
		_, err := how.Whole()
		assert.ErrorContains(t, err, words)
	}
}
