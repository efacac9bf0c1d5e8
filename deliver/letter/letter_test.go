package letter_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/deliver/letter"
	"eskadel/mail"
	"eskadel/mail/mailtest"
	"eskadel/view"
)

// hostile are texts that a record may hold.
var hostile = []string{"<script>alert(1)</script>", "\"><img src=x onerror=alert(1)>", "a\r\nBcc: x@elsewhere.example", "=1+1", "\u202eevil", strings.Repeat("long ", 400), "{{.B}}"}

func shown(texts ...string) []*view.Leaving {
	figures := &view.Leaving{Answer: &view.Answer{Title: texts[0], Figures: []chart.Figure{{Label: texts[0], Text: "231", Change: "+12.0%", Way: "up", Since: "on the week before: 206", Target: "97% of 238"}}}, Made: "Made from 231 jobs.", Count: 231}
	records := &view.Page{Heading: "2 jobs", Count: 2, Head: []chart.Heading{{Label: "Boat"}, {Label: "Cost", Number: true}}}
	for _, x := range texts {
		records.Rows = append(records.Rows, view.Record{Cells: []chart.Cell{{Text: x}, {Text: "£12.50", Number: true}}})
	}
	records.Count = int64(len(texts))
	return []*view.Leaving{figures, {Answer: &view.Answer{Title: "Jobs", Records: records}, Count: 2}, {Answer: &view.Answer{Title: "Empty", Nothing: "There are no jobs."}}}
}

func TestTextSaysTheFigures(t *testing.T) {
	b, err := letter.Write("Weekly", []string{"Good morning.", ""}, "Showing jobs.", shown("Open jobs", "Wren"), letter.How{Pictures: true})
	require.NoError(t, err)
	assert.True(t, b.Some)
	m, err := b.Letter(letter.To{Why: "You keep it.", As: "Edda", Address: "https://boards.example/x", Leave: "https://boards.example/leave"})
	require.NoError(t, err)
	for _, says := range []string{"Good morning.", "Showing jobs.", "Open jobs 231, +12.0% on the week before: 206, 97% of 238", "Made from 231 jobs.", "  Wren; Cost £12.50", "There are no jobs.",
		"Look at it: https://boards.example/x", "You keep it.", "It shows what Edda sees.", "No more of it: https://boards.example/leave"} {
		assert.Contains(t, m.Text, says)
	}
	for _, says := range []string{"<b>231</b>", "£12.50", "There are no jobs.", `<meta name="color-scheme" content="light dark">`, `href="https://boards.example/leave"`} {
		assert.Contains(t, m.HTML, says)
	}
	// The sum is of what is shown, whoever it is shown to, and whenever.
	same, err := letter.Write("Another", nil, "", shown("Open jobs", "Wren"), letter.How{})
	require.NoError(t, err)
	assert.Equal(t, b.Shown, same.Shown)
	other, err := letter.Write("Weekly", nil, "", shown("Open jobs", "Tern"), letter.How{Pictures: true})
	require.NoError(t, err)
	assert.NotEqual(t, b.Shown, other.Shown)
	none, err := letter.Write("Weekly", nil, "", shown("Open jobs", "Wren")[2:], letter.How{Pictures: true})
	require.NoError(t, err)
	assert.False(t, none.Some)
	said := shown("Open jobs", "Wren")
	said[0].Conditions = "number of jobs of Yard jobs"
	told, err := letter.Write("Weekly", nil, "", said, letter.How{Sentences: true})
	require.NoError(t, err)
	assert.Contains(t, told.Text(letter.To{}), "Number of jobs of Yard jobs.\nMade from 231 jobs.")
}

// What is written in records is text in a letter, and nothing else, up to its reader.
func TestHostileRecordsInLetters(t *testing.T) {
	sink := mailtest.Start(t)
	m, err := mail.New(sink.Address, "Eskadel <eskadel@boards.example>")
	require.NoError(t, err)
	for _, text := range hostile {
		b, err := letter.Write(text, []string{text}, text, shown(text, text), letter.How{Pictures: true})
		require.NoError(t, err)
		l, err := b.Letter(letter.To{Why: text, As: text})
		require.NoError(t, err)
		l.Name, l.To, l.Subject, l.ID = text, "orla@skerrin.example", text, "1@x"
		l.Files = []mail.File{{Name: text + ".csv", Type: "text/csv", Bytes: []byte("a")}}
		require.NoError(t, m.Send(t.Context(), l, nil))
		got := <-sink.Arrived
		assert.Equal(t, []string{"orla@skerrin.example"}, got.To)
		assert.Empty(t, got.Header.Get("Bcc"))
		assert.NotContains(t, got.HTML, "<script>alert")
		assert.NotContains(t, got.HTML, "<img src=x")
		assert.Len(t, got.Files, 1)
		assert.Contains(t, got.Text, strings.TrimSpace(strings.ReplaceAll(text, "\r\n", "\n"))[:4])
	}
}

func TestLongTablesAreCut(t *testing.T) {
	var all []string
	for i := range 50 {
		all = append(all, fmt.Sprint("boat ", i))
	}
	b, err := letter.Write("Weekly", nil, "", shown(all...), letter.How{Pictures: true})
	require.NoError(t, err)
	assert.Len(t, b.Parts[1].Rows, 30)
	assert.Contains(t, b.Parts[1].Lines, "The first 30 of 50 lines.")
}
