// Words measures how long it takes to read a typed line and to complete it, over a dataset of
// 200 fields with 10,000 values that are known: go run ./bench/words
package main

import (
	"fmt"
	"os"
	"slices"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/sentence"
)

func main() {
	held, err := measure()
	if err != nil {
		fmt.Fprintln(os.Stderr, "words:", err)
		os.Exit(1)
	}
	if !held {
		fmt.Println("\nNot every limit was held.")
		os.Exit(1)
	}
}

// wide is a dataset with so many fields, every fourth of which is a number.
func wide(fields int) (*dataset.Dataset, error) {
	table := &dataset.Table{Schema: "public", Name: "job", Kind: "table", Unique: [][]string{{"id"}}, Columns: []dataset.Column{{Name: "id", Type: field.Integer, Native: true}, {Name: "opened", Type: field.Date, Native: true}}}
	doc := &dataset.Document{Version: dataset.Version, Name: "jobs", Title: "Jobs", Record: [2]string{"job", "jobs"}, Source: "desk", Key: []string{"id"}, Date: "opened", From: dataset.From{Table: "job"}, Fields: []dataset.FieldDocument{{Name: "opened", Column: "opened", Label: "Opened"}}}
	for i := range fields - 1 {
		name, kind := fmt.Sprintf("f%d", i), field.Text
		if i%4 == 0 {
			kind = field.Number
		}
		table.Columns = append(table.Columns, dataset.Column{Name: name, Type: kind, Native: true})
		doc.Fields = append(doc.Fields, dataset.FieldDocument{Name: name, Column: name, Label: fmt.Sprintf("%s of part %d", []string{"Cost", "Kind", "Maker", "State"}[i%4], i)})
	}
	return dataset.Resolve(doc, dataset.Catalogue{table}, nil)
}

func measure() (held bool, err error) {
	ds, err := wide(200)
	if err != nil {
		return false, err
	}
	var values []sentence.Value
	for i := range 10_000 {
		values = append(values, sentence.Value{Field: ds.Find("f1"), Key: fmt.Sprint(i), Label: fmt.Sprintf("Maker %d of the north", i)})
	}
	v, now := sentence.NewVocabulary(ds, values), time.Date(2026, 11, 18, 14, 23, 0, 0, time.UTC)
	held = true
	fmt.Printf("| what | line | ms | at most |\n|---|---|---|---|\n")
	row := func(what, line string, most time.Duration, do func()) {
		var took []time.Duration
		for range 51 {
			start := time.Now()
			do()
			took = append(took, time.Since(start))
		}
		slices.Sort(took)
		median := took[len(took)/2]
		missed := ""
		if median > most {
			held, missed = false, " (missed)"
		}
		fmt.Printf("| %s | %s | %.2f%s | %.0f |\n", what, line, float64(median.Microseconds())/1000, missed, float64(most.Milliseconds()))
	}
	for _, line := range []string{"cost of part 4 by month for Maker 77 of the north since March", "average cost of part 8 and number of jobs by kind of part 1 where state of part 3 is \"open\" compared with last year as a table", "cots of part 4 by mnth of zebras"} {
		row("read", line, 5*time.Millisecond, func() { v.Read(line, now, nil, nil) })
	}
	for _, line := range []string{"cost of part 4 for mak", "cost of pa", "by stat"} {
		row("completed", line, 50*time.Millisecond, func() { v.Complete(line, 8) })
	}
	row("the vocabulary made", "200 fields, 10,000 values", 100*time.Millisecond, func() { sentence.NewVocabulary(ds, values) })
	return held, nil
}
