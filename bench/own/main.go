// Own measures what answers cost Eskadel itself: how often its own database is asked for a
// widget that is answered from what is kept, how many such answers it gives in a second, and
// how much memory is kept under many different questions. It also kills one of two instances
// while viewers look, and tells how long they were without answers.
//
//	go run ./bench/own
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"eskadel/demo"
	"eskadel/localpg"
)

var (
	lasts     = flag.Duration("for", 5*time.Second, "how long answers are counted")
	questions = flag.Int("questions", 10_000, "different questions for what is kept")
)

func main() {
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := run(ctx); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(ctx context.Context) error {
	root, err := filepath.Abs(".")
	if err != nil {
		return err
	}
	d, err := demo.Start(ctx, demo.Config{Measured: true, Dir: localpg.Folder(root, "bench-own"), Scale: 0.2, Say: func(f string, a ...any) { fmt.Printf(f+"\n", a...) }})
	if err != nil {
		return err
	}
	defer d.Stop()
	fmt.Printf("%d processors\n", runtime.NumCPU())
	bearer, err := d.Viewer(ctx)
	if err != nil {
		return err
	}
	author, err := demo.SignIn(ctx, d.Eskadel, demo.AuthorEmail, demo.Password)
	if err != nil {
		return err
	}
	viewer := func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+bearer) }
	person := func(r *http.Request) {
		r.AddCookie(author.Cookie)
		r.Header.Set("X-CSRF-Token", author.CSRF)
	}
	for _, who := range []struct {
		name string
		head func(*http.Request)
	}{{"a viewer in a frame", viewer}, {"an author", person}} {
		if err := kept(ctx, d, who.name, who.head); err != nil {
			return err
		}
	}
	if err := failing(ctx, d, bearer); err != nil {
		return err
	}
	return bounded(ctx, d, author)
}

// client keeps connections for all who ask at once.
var client = &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 200}}

func ask(ctx context.Context, address string, head func(*http.Request)) (int, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, address, strings.NewReader(""))
	if err != nil {
		return 0, err
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	r.Header.Set("Accept", "application/json")
	head(r)
	response, err := client.Do(r)
	if err != nil {
		return 0, err
	}
	defer response.Body.Close()
	_, err = io.Copy(io.Discard, response.Body)
	return response.StatusCode, err
}

var widgets = []string{"open", "late", "revenue", "cost", "parts", "starts", "money", "crews"}

// kept measures answers from what is kept.
func kept(ctx context.Context, d *demo.Demo, name string, head func(*http.Request)) error {
	all := func() error {
		for _, w := range widgets {
			if status, err := ask(ctx, d.Eskadel+"/view/yard-today/widgets/"+w, head); err != nil || status != http.StatusOK {
				return fmt.Errorf("%s: %d %w", w, status, err)
			}
		}
		return nil
	}
	if err := all(); err != nil {
		return err
	}
	before := d.Store.Asked()
	if err := all(); err != nil {
		return err
	}
	asked := d.Store.Asked() - before
	var n atomic.Int64
	var wait sync.WaitGroup
	until := time.Now().Add(*lasts)
	for i := range 2 * runtime.NumCPU() {
		wait.Go(func() {
			for k := i; time.Now().Before(until); k++ {
				if status, err := ask(ctx, d.Eskadel+"/view/yard-today/widgets/"+widgets[k%len(widgets)], head); err == nil && status == http.StatusOK {
					n.Add(1)
				}
			}
		})
	}
	wait.Wait()
	fmt.Printf("%-22s %d widgets from what is kept: %d statements of Eskadel's own database; %.0f answers a second\n", name, len(widgets), asked, float64(n.Load())/lasts.Seconds())
	return nil
}

// failing ends one of two instances while fifty viewers look, each at one of them and going
// on with the other, and tells how long one was without an answer.
func failing(ctx context.Context, d *demo.Demo, bearer string) error {
	second, stop, err := d.Another(ctx)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	head := func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+bearer) }
	var longest, answered atomic.Int64
	var wait sync.WaitGroup
	for i := range 50 {
		wait.Go(func() {
			at := []string{second, d.Eskadel}
			last := time.Now()
			for k := i; ctx.Err() == nil; k++ {
				status, err := ask(ctx, at[0]+"/view/yard-today/widgets/"+widgets[k%len(widgets)], head)
				if err != nil || status != http.StatusOK {
					at[0], at[1] = at[1], at[0] // as behind a balancer
					continue
				}
				if gap := int64(time.Since(last)); gap > longest.Load() {
					longest.Store(gap)
				}
				last = time.Now()
				answered.Add(1)
			}
		})
	}
	for answered.Load() < 2000 {
		runtime.Gosched()
	}
	before := longest.Swap(0)
	from := answered.Load()
	stop()
	for answered.Load() < from+4000 {
		runtime.Gosched()
	}
	cancel()
	wait.Wait()
	fmt.Printf("one of two instances ends while 50 viewers look: the longest time without an answer was %d ms, %d ms before\n", time.Duration(longest.Load()).Milliseconds(), time.Duration(before).Milliseconds())
	return nil
}

// bounded asks many different questions and tells what is kept of them.
func bounded(ctx context.Context, d *demo.Demo, author *demo.Client) error {
	var stats runtime.MemStats
	most := int64(0)
	began := time.Now()
	for n := range *questions {
		q := fmt.Sprintf(`{"definition":{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"},{"count":"records"}],"by":[{"field":"opened","grain":"day"}],"where":{"field":"yard_cost","above":"%d"}}}`, n)
		b, status, err := author.Do(ctx, http.MethodPost, "/api/v1/run", []byte(q))
		if err == nil && status != http.StatusOK {
			err = errors.New(string(b))
		}
		if err != nil {
			return err
		}
		most = max(most, d.Engine.KeptBytes())
		if n%1000 == 999 {
			runtime.GC()
			runtime.ReadMemStats(&stats)
			fmt.Printf("%6d different questions: %d MB kept by count, %d MB of heap in use after collection\n", n+1, d.Engine.KeptBytes()>>20, stats.HeapInuse>>20)
		}
	}
	fmt.Printf("at most %d MB were kept; %.0f questions a second\n", most>>20, float64(*questions)/time.Since(began).Seconds())
	return nil
}
