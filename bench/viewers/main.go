// Viewers measures what many viewers of one dashboard cost: each holds a stream of changes
// and asks for every widget that a change concerns, as a page does. It prints how long it
// took from a change in the host app until a viewer had every answer, and what memory
// Eskadel held meanwhile and afterwards.
//
//	go run ./bench/viewers                    five hundred viewers, 25 changes a minute, two minutes
//	go run ./bench/viewers -viewers 50 -for 30s
package main

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"os/signal"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"

	"eskadel/localpg"
)

var (
	viewers = flag.Int("viewers", 500, "how many look at once")
	changes = flag.Int("changes", 25, "changes in a minute")
	lasts   = flag.Duration("for", 2*time.Minute, "how long changes go on")
	scale   = flag.Float64("scale", 1, "how many records: 1 is about 40,000 jobs")
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

// A running demonstration, in a process of its own so that its memory can be told.
type running struct {
	process           *exec.Cmd
	eskadel, yardDesk string
	postgres          string
}

func start(ctx context.Context) (*running, error) {
	root, err := os.Getwd()
	if err != nil {
		return nil, err
	}
	bin := localpg.Place(root) + "/bin/eskadel-bench"
	if out, err := exec.CommandContext(ctx, "go", "build", "-o", bin, "./cmd/eskadel").CombinedOutput(); err != nil {
		return nil, fmt.Errorf("build: %w: %s", err, out)
	}
	r := &running{process: exec.Command(bin, "demo", "-name", "bench-viewers", "-port", "0", "-yarddesk-port", "0", "-scale", fmt.Sprint(*scale))}
	r.process.Stderr = os.Stderr
	out, err := r.process.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := r.process.Start(); err != nil {
		return nil, err
	}
	found := regexp.MustCompile(`(?m)^(Yard Desk, the host app|Eskadel|Their PostgreSQL): +(\S+?),?(?: in .*)?$`)
	for lines := bufio.NewScanner(out); lines.Scan(); {
		if m := found.FindStringSubmatch(lines.Text()); m != nil {
			switch m[1] {
			case "Eskadel":
				r.eskadel = m[2]
			case "Their PostgreSQL":
				r.postgres = m[2]
			default:
				r.yardDesk = m[2]
			}
		}
		if strings.HasPrefix(lines.Text(), "Ctrl+C") {
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return r, nil
		}
	}
	return nil, errors.New("the demonstration did not start")
}

// memory is what the process holds, in MB.
func (r *running) memory() int {
	b, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", r.process.Process.Pid))
	m := regexp.MustCompile(`VmRSS:\s+(\d+) kB`).FindSubmatch(b)
	if m == nil {
		return 0
	}
	kb, _ := strconv.Atoi(string(m[1]))
	return kb / 1024
}

// A looker is one viewer.
type looker struct {
	r      *running
	bearer string
	client *http.Client
}

var staff = regexp.MustCompile(`<option value="(\d+)"`)

// admit signs somebody in at Yard Desk and exchanges their pass, as page and frame do.
func (r *running) admit(n int) (*looker, error) {
	jar, _ := cookiejar.New(nil)
	client := &http.Client{Jar: jar, Transport: &http.Transport{MaxConnsPerHost: 6, MaxIdleConnsPerHost: 6}}
	body := func(response *http.Response, err error) (string, error) {
		if err != nil {
			return "", err
		}
		defer response.Body.Close()
		b, err := io.ReadAll(response.Body)
		return string(b), err
	}
	page, err := body(client.Get(r.yardDesk + "/sign-in"))
	if err != nil {
		return nil, err
	}
	people := staff.FindAllStringSubmatch(page, -1)
	if len(people) == 0 {
		return nil, errors.New("the sign-in page shows no staff")
	}
	if _, err := body(client.PostForm(r.yardDesk+"/sign-in", url.Values{"staff": {people[n%len(people)][1]}})); err != nil {
		return nil, err
	}
	pass, err := body(client.Get(r.yardDesk + "/eskadel-pass"))
	if err != nil {
		return nil, err
	}
	b, _ := json.Marshal(map[string]string{"pass": strings.TrimSpace(pass), "origin": r.yardDesk})
	answer, err := body(client.Post(r.eskadel+"/embed/yard-desk/yard-today/session", "application/json", strings.NewReader(string(b))))
	if err != nil {
		return nil, err
	}
	var out struct{ Bearer, Detail string }
	if err := json.Unmarshal([]byte(answer), &out); err != nil || out.Bearer == "" {
		return nil, fmt.Errorf("viewer %d: %s", n, answer)
	}
	return &looker{r, out.Bearer, client}, nil
}

func (l *looker) do(ctx context.Context, method, path string, form url.Values) (*http.Response, error) {
	q, err := http.NewRequestWithContext(ctx, method, l.r.eskadel+path, strings.NewReader(form.Encode()))
	if err != nil {
		return nil, err
	}
	q.Header.Set("Authorization", "Bearer "+l.bearer)
	q.Header.Set("Accept", "application/json")
	q.Header.Set("Accept-Encoding", "gzip") // unpacking is the browsers' work, on machines of their own
	q.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	response, err := l.client.Do(q)
	if err == nil && response.StatusCode != http.StatusOK {
		b, _ := io.ReadAll(response.Body)
		response.Body.Close()
		err = fmt.Errorf("%s: %d %.200s", path, response.StatusCode, b)
	}
	return response, err
}

// ask asks for widgets at once, as a page does.
func (l *looker) ask(ctx context.Context, widgets []string) error {
	errs := make([]error, len(widgets))
	var all sync.WaitGroup
	for i, w := range widgets {
		all.Go(func() {
			response, err := l.do(ctx, http.MethodPost, "/view/yard-today/widgets/"+w, url.Values{"state": {"{}"}})
			if errs[i] = err; err == nil {
				_, errs[i] = io.Copy(io.Discard, response.Body)
				response.Body.Close()
			}
		})
	}
	all.Wait()
	return errors.Join(errs...)
}

// follow asks for what changes concern until ctx ends; changed is when the last was made.
func (l *looker) follow(ctx context.Context, changed *atomic.Int64, took func(time.Duration)) error {
	response, err := l.do(ctx, http.MethodGet, "/view/yard-today/live", nil)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	lines := bufio.NewReader(response.Body)
	for event := ""; ; {
		line, err := lines.ReadString('\n')
		if err != nil {
			return nil // it has ended
		}
		if name, ok := strings.CutPrefix(line, "event: "); ok {
			event = strings.TrimSpace(name)
		}
		data, ok := strings.CutPrefix(line, "data: ")
		if !ok || event != "changed" {
			continue
		}
		var e struct{ Widgets []string }
		if err := json.Unmarshal([]byte(data), &e); err != nil {
			return err
		}
		if changed.Load() == 0 {
			continue // what was heard before the first
		}
		since := time.Unix(0, changed.Load())
		if err := l.ask(ctx, e.Widgets); err != nil {
			if ctx.Err() != nil {
				return nil
			}
			return err
		}
		took(time.Since(since))
	}
}

var everything = []string{"open", "late", "revenue", "cost", "parts", "starts", "money", "crews", "jobs"}

func run(ctx context.Context) error {
	r, err := start(ctx)
	if err != nil {
		return err
	}
	defer func() {
		_ = r.process.Process.Signal(syscall.SIGINT)
		_ = r.process.Wait()
	}()
	fmt.Printf("%d MB at the start\n", r.memory())
	watch, leave := context.WithCancel(ctx)
	defer leave()
	var mu sync.Mutex
	var all []time.Duration
	var failed atomic.Int64
	var changed atomic.Int64
	var looking sync.WaitGroup
	for n := range *viewers {
		l, err := r.admit(n)
		if err != nil {
			return err
		}
		if err := l.ask(ctx, everything); err != nil {
			return err
		}
		looking.Go(func() {
			err := l.follow(watch, &changed, func(d time.Duration) {
				mu.Lock()
				all = append(all, d)
				mu.Unlock()
			})
			if err != nil && failed.Add(1) == 1 {
				fmt.Println(err)
			}
		})
	}
	fmt.Printf("%d MB with %d viewers\n", r.memory(), *viewers)
	conn, err := pgx.Connect(ctx, "postgres://yarddesk@"+r.postgres+"/yarddesk?sslmode=disable")
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	every := time.NewTicker(time.Minute / time.Duration(*changes))
	defer every.Stop()
	end := time.Now().Add(*lasts)
	made, most := 0, 0
	for time.Now().Before(end) {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-every.C:
		}
		changed.Store(time.Now().UnixNano())
		if _, err := conn.Exec(ctx, "update yard_job set yard_cost = coalesce(yard_cost, 0) + 1 where id = (select id from yard_job order by id desc offset $1 limit 1)", made%500); err != nil {
			return err
		}
		made++
		most = max(most, r.memory())
	}
	time.Sleep(3 * time.Second) // for the last to be seen
	leave()
	looking.Wait()
	slices.Sort(all)
	if len(all) == 0 {
		return errors.New("no change was seen")
	}
	at := func(p float64) time.Duration { return all[int(p*float64(len(all)-1))].Round(time.Millisecond) }
	fmt.Printf("%d changes, seen %d times of %d, %d viewers failed\nuntil every answer was there: median %v, 90%% %v, 99%% %v, longest %v\nat most %d MB meanwhile\n", made, len(all), made**viewers, failed.Load(), at(0.5), at(0.9), at(0.99), at(1), most)
	for range 12 {
		time.Sleep(10 * time.Second)
		fmt.Printf("%d MB afterwards\n", r.memory())
	}
	return nil
}
