// Command files measures how fast a CSV file is loaded, beside psql's \copy of the same
// file into the same table in the same run, and how much memory it takes.
//
//	go run ./bench/files -megabytes 1024
package main

import (
	"bufio"
	"context"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"time"

	"github.com/jackc/pgx/v5"

	"eskadel/files"
	"eskadel/localpg"
)

func main() {
	megabytes := flag.Int("megabytes", 1024, "size of the file")
	rounds := flag.Int("rounds", 3, "how often each is done; the medians are compared")
	flag.Parse()
	if err := run(*megabytes, *rounds); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(megabytes, rounds int) error {
	ctx := context.Background()
	root, err := os.Getwd()
	if err != nil {
		return err
	}
	dir := localpg.Folder(root, "bench-files")
	c, err := localpg.Start(ctx, dir, 0)
	if err != nil {
		return err
	}
	defer func() { _ = c.Stop() }()
	for _, role := range []string{"files", "files_reader"} {
		if _, err := c.Database(ctx, role, "files"); err != nil {
			return err
		}
	}
	path := filepath.Join(os.TempDir(), "eskadel-bench.csv")
	n, err := write(path, megabytes<<20)
	if err != nil {
		return err
	}
	defer os.Remove(path)
	fmt.Printf("%d rows, %d MB\n", n, megabytes)
	url := c.URL("files", "files")
	loader, err := files.Open(ctx, url, "files_reader")
	if err != nil {
		return err
	}
	defer loader.Close()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	var ours, theirs []float64
	for range rounds {
		if _, err := conn.Exec(ctx, "drop table if exists plain; create table plain (id bigint, opened timestamptz, promised date, kind text, boat text, hours numeric, cost numeric, note text); checkpoint", pgx.QueryExecModeSimpleProtocol); err != nil {
			// Only a superuser may ask for a checkpoint.
			if _, err = conn.Exec(ctx, "drop table if exists plain; create table plain (id bigint, opened timestamptz, promised date, kind text, boat text, hours numeric, cost numeric, note text)", pgx.QueryExecModeSimpleProtocol); err != nil {
				return err
			}
		}
		start := time.Now()
		if out, err := exec.Command("psql", url, "-q", "-c", `\copy plain from '`+path+`' with (format csv, header true)`).CombinedOutput(); err != nil {
			return fmt.Errorf("psql: %w: %s", err, out)
		}
		theirs = append(theirs, float64(n)/time.Since(start).Seconds())
		start = time.Now()
		loaded, err := loader.Load(ctx, path, "bench.csv", "bench", files.How{}, func(string, int64) {})
		if err != nil {
			return err
		}
		if loaded[0].Rows != n {
			return fmt.Errorf("%d rows were loaded of %d", loaded[0].Rows, n)
		}
		ours = append(ours, float64(n)/time.Since(start).Seconds())
		fmt.Printf("\\copy %.0f rows/s, ours %.0f rows/s, ratio %.2f\n", theirs[len(theirs)-1], ours[len(ours)-1], ours[len(ours)-1]/theirs[len(theirs)-1])
	}
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	fmt.Printf("median: \\copy %.0f rows/s, ours %.0f rows/s, ratio %.2f; memory taken from the system: %d MB\n", median(theirs), median(ours), median(ours)/median(theirs), m.Sys>>20)
	return nil
}

func median(x []float64) float64 {
	for i := range x {
		for j := i + 1; j < len(x); j++ {
			if x[j] < x[i] {
				x[i], x[j] = x[j], x[i]
			}
		}
	}
	return x[len(x)/2]
}

// write makes a file of jobs with some texts in quotes.
func write(path string, size int) (n int64, err error) {
	f, err := os.Create(path)
	if err != nil {
		return 0, err
	}
	defer f.Close()
	w := bufio.NewWriterSize(f, 1<<20)
	kinds := []string{"seasonal care", "mishap", "survey finding", "rework", "fit-out"}
	r := rand.New(rand.NewPCG(1, 2))
	written, err := w.WriteString("id,opened,promised,kind,boat,hours,cost,note\n")
	at := time.Date(2022, 1, 1, 0, 0, 0, 0, time.UTC)
	for written < size && err == nil {
		n++
		at = at.Add(11 * time.Second)
		note := "Put right before the season"
		if n%7 == 0 {
			note = `"Leaks at the stern, said to be ""slow"""`
		}
		var k int
		k, err = fmt.Fprintf(w, "%d,%s,%s,%s,Saltwind %d,%.1f,%.2f,%s\n", n, at.Format(time.RFC3339), at.AddDate(0, 0, r.IntN(40)).Format(time.DateOnly), kinds[r.IntN(5)], r.IntN(1300), r.Float64()*40, r.Float64()*4000, note)
		written += k
	}
	if err != nil {
		return n, err
	}
	return n, w.Flush()
}
