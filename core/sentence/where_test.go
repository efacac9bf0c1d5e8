package sentence_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset/sample"
	"eskadel/core/sentence"
)

// A condition begins with its field: what can be asked of it is ticked, one after the other.
func TestConditionsAreMadeByTicking(t *testing.T) {
	jobs := sample.Jobs()
	d := read(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"key figures"}`)
	values := []sentence.Counted{{Key: "1", Label: "Tarn Quay", Count: "31"}, {Key: "2", Label: "Ostrey", Count: "29"}, {Key: "3", Label: "Ravel Point", Count: "4"}}
	offered := func(name string) *sentence.Menu {
		f, err := jobs.Field(name)
		require.NoError(t, err)
		v := values
		if name != "yard" {
			v = nil
		}
		m := sentence.WhereField(d, jobs, f, v, []string{"berth"})
		assert.False(t, m.Search)
		return m
	}
	pick := func(name, label string) sentence.Choice {
		t.Helper()
		for _, c := range offered(name).Choices {
			if c.Label == label {
				require.NoError(t, c.Document.Definition.Check(jobs), label)
				d = c.Document
				return c
			}
		}
		t.Fatalf("%s has no choice %s", name, label)
		return sentence.Choice{}
	}
	says := func(want string) {
		t.Helper()
		assert.Equal(t, "Number of jobs of Jobs"+want+", as key figures", sentence.Text(d, jobs))
	}
	c := pick("yard", "Tarn Quay")
	assert.Equal(t, []any{"31", "where.yard", false}, []any{c.Kind, c.Next, c.Chosen}, "with how many have it; more can be ticked")
	says(", only where Yard is [1]")
	pick("yard", "Ostrey")
	says(", only where Yard is one of [1] or [2]")
	assert.True(t, offered("yard").Choices[1].Chosen)
	pick("yard", "all but what is ticked")
	says(", only where Yard is none of [1] or [2]")
	pick("yard", "Ravel Point")
	says(", only where Yard is none of [1], [2] or [3]")
	pick("yard", "Tarn Quay")
	pick("yard", "only what is ticked")
	says(", only where Yard is one of [2] or [3]")
	pick("opened", "in the last 12 months")
	says(", only where Yard is one of [2] or [3] and Opened in the last 12 months")
	pick("opened", "last year")
	says(", only where Yard is one of [2] or [3] and Opened last year")
	assert.True(t, pick("opened", "last year").Chosen, "what holds is marked")
	says(", only where Yard is one of [2] or [3]") // and chosen again no longer asked
	pick("late", "yes")
	says(", only where Yard is one of [2] or [3] and Late is yes")
	pick("late", "is empty")
	says(", only where Yard is one of [2] or [3] and Late is empty")
	pick("late", "any late")
	pick("yard", "the berth of whoever reads it")
	says(", only where Yard is your “berth”")
	pick("yard", "instead of what the dashboard says of Yard")
	assert.Equal(t, []string{"yard"}, d.Instead)
	pick("yard", "any yard")
	assert.Empty(t, d.Instead, "it goes with its condition")
	assert.Nil(t, d.Where)

	d = read(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"where":{"all":[{"field":"kind","is":"care"},{"field":"cost","above":5}]},"form":"key figures"}`)
	m, err := sentence.Choices(d, jobs, "where")
	require.NoError(t, err)
	assert.Equal(t, []string{"no longer: Kind is “care”", "no longer: Cost is above 5", "every record"}, []string{m.Choices[0].Label, m.Choices[1].Label, m.Choices[2].Label})
	left := m.Choices[0].Document
	assert.Equal(t, []string{"cost"}, left.Where.Fields())
	assert.Nil(t, m.Choices[2].Document.Where)
	last := len(m.Choices) - 1
	assert.Equal(t, "Region of yard", m.Choices[last].Label, "and what can be brought in")
	for i, words := range []string{"Opened this week", "Opened this month", "Opened this quarter", "Opened this year"} {
		assert.Equal(t, words, m.Choices[3+i].Label, "the dataset's own date at once")
		assert.True(t, strings.HasSuffix(sentence.Text(m.Choices[3+i].Document, jobs), "and "+words+", as key figures"))
	}
	for _, c := range m.Choices[7:last] {
		assert.Equal(t, "where."+c.Field, c.Next, c.Label)
		assert.Equal(t, c.Field == "kind" || c.Field == "cost", c.Chosen, c.Label)
	}
	many := make([]sentence.Counted, 60)
	f, err := jobs.Field("boat")
	require.NoError(t, err)
	assert.Equal(t, "(blank)", sentence.WhereField(d, jobs, f, many[:1], nil).Choices[0].Label)
	assert.True(t, sentence.WhereField(d, jobs, f, many, nil).Search, "of many the others can be looked for")
}

// Of which records a measure is, is offered as it is of a chart: the same conditions, put into the measure.
func TestThoseAreOfferedAsWhere(t *testing.T) {
	jobs := sample.Jobs()
	values := []sentence.Counted{{Key: "care", Label: "care", Count: "3"}, {Key: "rework", Label: "rework", Count: "1"}}
	for _, where := range []string{"", `,"where":{"field":"kind","one_of":["care","mishap"]}`, `,"where":{"all":[{"field":"opened","within":"this year"},{"field":"late","is":true}]}`} {
		of := read(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"},{"sum":"cost"}],"by":[{"field":"yard"}]`+where+`,"form":"table"}`)
		in := read(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"},{"sum":"cost"`+where+`}],"by":[{"field":"yard"}],"form":"table"}`)
		menus := [][2]*sentence.Menu{}
		chart, err := sentence.Choices(of, jobs, "where")
		require.NoError(t, err)
		measure, err := sentence.Choices(in, jobs, "those.1")
		require.NoError(t, err)
		menus = append(menus, [2]*sentence.Menu{chart, measure})
		for _, name := range []string{"kind", "opened", "late"} {
			f := jobs.Find(name)
			menus = append(menus, [2]*sentence.Menu{sentence.WhereField(of, jobs, f, values, nil), sentence.ThoseField(in, 1, jobs, f, values, nil)})
		}
		for _, m := range menus {
			assert.Equal(t, strings.Replace(m[0].Heading, "Only w", "Of those w", 1), m[1].Heading)
			var want, got []string
			for _, c := range m[0].Choices {
				if !strings.HasPrefix(c.Label, "instead of ") {
					want = append(want, fmt.Sprint(c.Label, c.Kind, c.Chosen, strings.Replace(c.Next, "where", "those.1", 1), asJSON(t, c.Document.Where)))
				}
			}
			for _, c := range m[1].Choices {
				got = append(got, fmt.Sprint(c.Label, c.Kind, c.Chosen, c.Next, asJSON(t, c.Document.Measures[1].Where)))
				assert.Nil(t, c.Document.Where)
				assert.Nil(t, c.Document.Measures[0].Where)
			}
			assert.Equal(t, want, got)
		}
	}
	_, err := sentence.Choices(read(t, `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"key figures"}`), jobs, "those.1")
	assert.Error(t, err)
}

func asJSON(t *testing.T, v any) string {
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return string(b)
}
