package sentence_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
	"eskadel/core/sentence"
	"eskadel/core/sentence/sentencetest"
	"eskadel/golden"
)

// yards is the sample's dataset as somebody would have named it, with values that are known.
func yards(t testing.TB) (*dataset.Dataset, []sentence.Value) {
	doc := sample.Document()
	for name, label := range map[string][]string{"opened": {"Opened", "created", "logged"}, "promised": {"Promised", "due"}, "kind": {"Kind", "type"}, "boat": {"Boat", "vessel"}, "cost": {"Yard cost", "spend"}, "rough": {"Crew hours"}, "state": {"Status"}} {
		for i := range doc.Fields {
			if doc.Fields[i].Name == name {
				doc.Fields[i].Label, doc.Fields[i].Synonyms = label[0], label[1:]
			}
		}
	}
	doc.Measures = []dataset.MeasureDocument{{Name: "rate", Label: "Cost per hour", Formula: "sum(cost) / sum(rough)"}}
	doc.Conditions = []dataset.NamedCondition{{Name: "dear", Title: "Expensive", Where: filter.Compare("cost", filter.Above, "1000")}}
	ds, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	ds.Find("boat").Distinct = 400
	var values []sentence.Value
	add := func(field string, list ...string) {
		for _, v := range list {
			key, label, linked := strings.Cut(v, "=")
			if !linked {
				label = key
			}
			values = append(values, sentence.Value{Field: ds.Find(field), Key: key, Label: label})
		}
	}
	add("yard", "1=Tarn Quay", "2=Ostrey Head", "3=Bell Wharf", "4=Bell Wharf")
	add("region", "North", "South")
	add("boat", "Kittiwake", "North", "Grey Heron", "Émile")
	add("state", "open", "waiting for parts", "done")
	return ds, values
}

// testdata/typed.txt has what people type, and below it the sentence that is understood, the
// words that are read as others, and those that stand for nothing with what could stand
// there; other readings begin with "or". It is read when it changes: no line may give a wrong
// chart in silence.
func TestTypedWords(t *testing.T) {
	ds, values := yards(t)
	sets := sentencetest.All{ds, visits(t)}
	v := sentence.NewVocabulary(ds, values)
	var got strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&got, format+"\n", args...) }
	questions, on := 0, (*sentence.Reading)(nil)
	for _, line := range golden.Cases(t, "testdata/typed.txt") {
		say("%s", line)
		if strings.HasPrefix(line, "#") || line == "" {
			continue
		}
		questions++
		typed, further := strings.CutPrefix(line, "… ")
		var r *sentence.Reading
		if further {
			r = v.Read(typed, today, on.Document, sets)
		} else {
			r = v.Read(typed, today, nil, sets)
		}
		on = r
		for i, reading := range append([]*sentence.Reading{r}, r.Others...) {
			missing := sentence.Missing(reading.Document, ds)
			if missing != "" {
				missing = " — " + missing
			}
			say("  %s%s%s", map[bool]string{true: "or "}[i > 0], v.Text(reading.Document), missing)
			again := v.Read(v.Text(reading.Document), today, nil, sets)
			assert.Empty(t, again.Unknown, line)
			assert.Equal(t, sentencetest.Plain(reading.Document), sentencetest.Plain(again.Document), line)
		}
		if r.Nothing {
			say("  nothing is understood")
		}
		for _, c := range r.Corrected {
			say("  “%s” read as “%s”", c.Typed, c.Read)
		}
		for _, u := range r.Unknown {
			say("  ? “%s”: %s", u.Text, strings.Join(u.Offers, ", "))
		}
	}
	golden.Compare(t, "testdata/typed.txt", got.String())
	assert.GreaterOrEqual(t, questions, 200)
}

// A title is typed by itself, and what follows it of the finish.
func TestATitleNeedsNoFinishToBeginWith(t *testing.T) {
	ds, values := yards(t)
	v := sentence.NewVocabulary(ds, values)
	read := func(line string) *chart.Document {
		r := v.Read(line, today, nil, sentencetest.All{ds})
		assert.Empty(t, r.Unknown, line)
		return r.Document
	}
	assert.Equal(t, "Kinds of work", read("jobs by kind as bars, titled “Kinds of work”").Title)
	assert.Equal(t, read(`jobs by kind, finished: titled "Kinds"; legend below`), read(`jobs by kind titled "Kinds"; legend below`))
	assert.NotEmpty(t, v.Read("jobs by kind, legend below", today, nil, sentencetest.All{ds}).Unknown, "which is said only after “finished:”")
}

func TestCompletion(t *testing.T) {
	ds, values := yards(t)
	v := sentence.NewVocabulary(ds, values)
	for line, want := range map[string]string{
		"ya": "Yard, Yard cost", "yard c": "Yard cost", "sum of ya": "Yard, Yard cost", "yard cost by mo": "per month, this month, last month, in the last 12 months", "for tar": "Tarn Quay (Yard), against a target of", "for tarn q": "Tarn Quay (Yard)", "by vess": "Boat", "wait": "waiting for parts (Status)", "nor": "Boat “North” (Boat), Region “North” (Region)", "bell": "Yard “Bell Wharf” (Yard)",
		"comp": "compared with, compared with the year before, compared with the period before", "per mo": "per month, this month, last month, in the last 12 months", "top": "", "x": "", "": "", "exp": "Expensive", "cost per": "Cost per hour, per day, per week, per month, per quarter",
	} {
		var got []string
		for _, o := range v.Complete(line, 5) {
			text := o.Text
			if o.Kind != "" && !strings.Contains("text number date timestamp measure boolean linked record kept by name", o.Kind) {
				text += " (" + o.Kind + ")"
			}
			got = append(got, text)
			assert.LessOrEqual(t, o.From, len(line))
		}
		assert.Equal(t, want, strings.Join(got, ", "), line)
	}
}

// Whatever is typed is read without failing, and what is understood is said in words that are
// read as the same.
func FuzzRead(f *testing.F) {
	for _, line := range []string{"top 5 boats by yard cost since March as a pie", "average of the sum of yard cost per week of those where (Kind is “a” or not late), split by Yard per month, the largest 3 of each", "“", "\"", "`", "[", "your", "(((", "the largest", "per", "\xff\xfe", "compared with", "only where Kind is", "against targets per month: ", "with a line at", "in order of", "100%", "Kind is one of ,", "-", "£", "Q", "…", "日本"} {
		f.Add(line)
	}
	ds, values := yards(f)
	sets := sentencetest.All{ds, visits(f)}
	v := sentence.NewVocabulary(ds, values)
	f.Fuzz(func(t *testing.T, line string) {
		if len(line) > 400 {
			return
		}
		for _, o := range v.Complete(line, 8) {
			require.LessOrEqual(t, o.From, len(line))
		}
		r := v.Read(line, today, nil, sets)
		for _, u := range r.Unknown {
			require.Equal(t, line[u.From:u.To], u.Text)
		}
		if ds.Find("kind") == nil || r.Document.Check(ds) != nil {
			return // a chart that cannot be drawn is said as well as it can be
		}
		again := v.Read(v.Text(r.Document), today, nil, sets)
		require.Empty(t, again.Unknown, "%q as %q", line, v.Text(r.Document))
		require.Equal(t, sentencetest.Plain(r.Document), sentencetest.Plain(again.Document), "%q as %q", line, v.Text(r.Document))
	})
}

// A label with something in brackets is known without it, too, unless another is called so.
func TestWhatStandsInBracketsNeedNotBeTyped(t *testing.T) {
	doc := sample.Document()
	for i, label := range map[int]string{6: "Cost (net)", 7: "Rough (m)", 3: "Boat (name)", 8: "Boat"} {
		doc.Fields[i].Label = label
	}
	ds, err := dataset.Resolve(doc, sample.Tables(), nil)
	require.NoError(t, err)
	for line, want := range map[string]string{
		"sum of cost by kind": "Sum of Cost (net) of Jobs, by Kind, as bars",
		"average rough":       "Average of Rough (m) of Jobs, as key figures",
		"jobs by boat":        "Number of jobs of Jobs, by Boat, as bars",
	} {
		r := sentence.NewVocabulary(ds, nil).Read(line, today, nil, nil)
		assert.Empty(t, r.Unknown, line)
		assert.Equal(t, want, sentence.Text(r.Document, ds))
	}
}
