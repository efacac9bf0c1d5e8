package page

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTextsAreWrittenWithoutWhatCouldRun(t *testing.T) {
	for text, want := range map[string]string{
		"**late** jobs":                       "<p><strong>late</strong> jobs</p>\n",
		"[the yard](https://yard.example/)":   `<p><a target="_blank" rel="noopener" href="https://yard.example/">the yard</a></p>` + "\n",
		"![plan](/pictures/plan.svg)":         `<p><img src="https://host.example/pictures/plan.svg" alt="plan"></p>` + "\n",
		"[run](javascript:alert(1))":          `<p><a target="_blank" rel="noopener" href="">run</a></p>` + "\n",
		"![far](//evil.example/plan.svg)":     `<p><img alt="far"></p>` + "\n",
		`![far](/\\evil.example/plan.svg)`:    `<p><img alt="far"></p>` + "\n",
		"![far](https://evil.example/a.png)":  `<p><img alt="far"></p>` + "\n",
		"a <script>alert(1)</script> b":       "<p>a <!-- raw HTML omitted -->alert(1)<!-- raw HTML omitted --> b</p>\n",
		"<img src=x onerror=alert(1)>\n\nend": "<!-- raw HTML omitted -->\n<p>end</p>\n",
	} {
		got, err := markdown(text, "https://host.example")
		require.NoError(t, err)
		assert.Equal(t, want, string(got), text)
	}
}
