// Taking measures what leaves: pictures of a chart, and records as files, beside the same records
// copied by hand as CSV by the database itself, in the same run; and what memory that takes.
//
//	go run ./bench/taking              a million jobs
//	go run ./bench/taking -scale 2.5   a hundred thousand
package main

import (
	"context"
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"os/signal"
	"regexp"
	"runtime/debug"
	"runtime/metrics"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"

	"eskadel/core/dashboard"
	"eskadel/core/field"
	"eskadel/core/marks"
	"eskadel/deliver/picture"
	"eskadel/deliver/sheet"
	"eskadel/demo"
	"eskadel/identity"
	"eskadel/localpg"
	"eskadel/view"
	"eskadel/workspace"
)

func main() {
	scale := flag.Float64("scale", 25, "how many records: 25 is a million jobs")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := run(ctx, *scale); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// memory is what the process holds now, in MB.
func memory() int {
	b, _ := os.ReadFile("/proc/self/status")
	m := regexp.MustCompile(`VmRSS:\s+(\d+) kB`).FindSubmatch(b)
	kb, _ := strconv.Atoi(string(m[1]))
	return kb / 1024
}

// live is what of the heap was in use when it was last looked through, in MB.
func live() int {
	s := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	metrics.Read(s)
	return int(s[0].Value.Uint64() >> 20)
}

// held runs something, and tells how long it took and how much more memory was held meanwhile: in use,
// and taken from the system, which has what is no longer in use in it too.
func held(f func() error) (took time.Duration, used, more int, err error) {
	debug.FreeOSMemory()
	before, most := memory(), atomic.Int64{}
	liveBefore, liveMost := live(), atomic.Int64{}
	done := make(chan struct{})
	go func() {
		for {
			select {
			case <-done:
				return
			case <-time.After(20 * time.Millisecond):
				most.Store(max(most.Load(), int64(memory())))
				liveMost.Store(max(liveMost.Load(), int64(live())))
			}
		}
	}()
	start := time.Now()
	err = f()
	took = time.Since(start)
	close(done)
	return took, max(0, int(liveMost.Load())-liveBefore), max(0, int(most.Load())-before), err
}

// A counter counts what is written to it.
type counter struct{ bytes int64 }

func (c *counter) Write(b []byte) (int, error) {
	c.bytes += int64(len(b))
	return len(b), nil
}

func run(ctx context.Context, scale float64) error {
	root, err := os.Getwd()
	if err != nil {
		return err
	}
	d, err := demo.Start(ctx, demo.Config{Measured: true, Dir: localpg.Folder(root, fmt.Sprintf("bench-%g", scale)), Scale: scale, Again: true, Say: func(f string, a ...any) { fmt.Printf(f+"\n", a...) }})
	if err != nil {
		return err
	}
	defer d.Stop()
	p, err := d.Store.PersonByEmail(ctx, demo.AuthorEmail)
	if err != nil {
		return err
	}
	who, err := identity.ByID(ctx, d.Store, p.ID)
	if err != nil {
		return err
	}
	look := func(state dashboard.State) (*workspace.Look, error) {
		return d.Workspace.Look(ctx, who, "yard-today", false, state)
	}
	l, err := look(dashboard.State{})
	if err != nil {
		return err
	}
	fmt.Printf("\n| a picture of 258 marks | ms, median of 40 |\n|---|---|\n")
	cost, err := l.Pictured("cost", "svg")
	if err != nil {
		return err
	}
	for _, how := range []picture.How{{Kind: "svg"}, {Kind: "png"}, {Kind: "png", Size: "slide"}, {Kind: "pdf"}} {
		var all []time.Duration
		for i := range 50 {
			start := time.Now()
			if _, err := picture.Write(cost, how); err != nil {
				return err
			}
			if i >= 10 { // the first warm up
				all = append(all, time.Since(start))
			}
		}
		slices.Sort(all)
		fmt.Printf("| %s %s | %.1f |\n", how.Kind, how.Size, float64(all[len(all)/2].Microseconds())/1000)
	}
	if err := printing(ctx, d); err != nil {
		return err
	}
	conn, err := pgx.Connect(ctx, d.Cluster.URL(demo.Reader, "yarddesk"))
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	fields := []string{"opened", "started", "kind", "part", "crew_hours", "yard_cost", "yard"}
	byHand := `copy (select opened_at, started_on, kind, part, crew_hours, yard_cost, y.name from yard_job j join yard y on y.id = j.yard_id where status <> 'withdrawn' order by j.id) to stdout (format csv, header)`
	mark := marks.Reference{Version: l.Version, Now: time.Now()}
	all := dashboard.State{Filters: map[string]*dashboard.Setting{}}
	for _, f := range l.Doc.Filters { // each of them lifted
		all.Filters[f.Name] = nil
	}
	if l, err = look(all); err != nil {
		return err
	}
	fmt.Printf("\n| records | lines | seconds | lines a second | MB written | MB in use more | MB taken more | ratio to copy by hand |\n|---|---|---|---|---|---|---|---|\n")
	var hand time.Duration
	for range 2 { // the second time it is in memory
		c := &counter{}
		start := time.Now()
		tag, err := conn.PgConn().CopyTo(ctx, c, byHand)
		if err != nil {
			return err
		}
		if hand = time.Since(start); c.bytes > 0 {
			defer fmt.Printf("by hand: %d lines in %.1f s, %d MB\n", tag.RowsAffected(), hand.Seconds(), c.bytes>>20)
		}
	}
	for _, kind := range sheet.Kinds[:2] {
		to, err := os.CreateTemp("", "bench-*")
		if err != nil {
			return err
		}
		defer func() { _ = os.Remove(to.Name()) }()
		lines, first := int64(0), time.Duration(0)
		begun := time.Now()
		took, used, more, err := held(func() error {
			_, err := sheet.Records(func(begin func(*view.Filed) error, each func([]field.Value) error) error {
				return l.RecordsFile("cost", mark, workspace.Paging{Columns: fields}, kind.Name, begin, func(row []field.Value) error {
					if lines++; lines == 1 {
						first = time.Since(begun)
					}
					return each(row)
				})
			}, kind, to, func(int64, int64) error { return nil })
			return err
		})
		if err != nil {
			return fmt.Errorf("%s: %w", kind.Name, err)
		}
		size, _ := to.Seek(0, io.SeekEnd)
		fmt.Printf("| %s | %d | %.1f (the first line after %.1f) | %.0f | %d | %d | %d | %.1f |\n", kind.Name, lines, took.Seconds(), first.Seconds(), float64(lines)/took.Seconds(), size>>20, used, more, took.Seconds()/hand.Seconds())
	}
	return nil
}

// printing measures a dashboard of nine widgets and a list of some hundred records on paper, from the
// request to the last byte, with the start of the browser.
func printing(ctx context.Context, d *demo.Demo) error {
	c, err := demo.SignIn(ctx, d.Eskadel, demo.AuthorEmail, demo.Password)
	if err != nil {
		return err
	}
	fmt.Printf("\n| on paper | s, median of 5 | kB |\n|---|---|---|\n")
	for _, kind := range []string{"pdf", "png"} {
		var all []time.Duration
		size := 0
		for range 5 {
			r, err := http.NewRequestWithContext(ctx, http.MethodPost, d.Eskadel+"/view/yard-today/print", strings.NewReader(url.Values{"kind": {kind}, "state": {`{"filters":{"when":{"last":1,"unit":"month"}}}`}}.Encode()))
			if err != nil {
				return err
			}
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			r.Header.Set("Accept", "application/json")
			r.Header.Set("X-CSRF-Token", c.CSRF)
			r.AddCookie(c.Cookie)
			start := time.Now()
			response, err := http.DefaultClient.Do(r)
			if err != nil {
				return err
			}
			b, err := io.ReadAll(response.Body)
			_ = response.Body.Close()
			if err == nil && response.StatusCode != http.StatusOK {
				err = fmt.Errorf("print: %.300s", b)
			}
			if err != nil {
				return err
			}
			all, size = append(all, time.Since(start)), len(b)
		}
		slices.Sort(all)
		fmt.Printf("| %s | %.2f | %d |\n", kind, all[2].Seconds(), size>>10)
	}
	return nil
}
