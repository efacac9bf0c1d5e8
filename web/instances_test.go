package web_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
)

// A balancer hands requests to instances one after another, and to another one where one
// does not answer.
type balancer struct {
	mu        sync.Mutex
	instances []string
	next      int
}

func (b *balancer) pick() *url.URL {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.next++
	u, _ := url.Parse(b.instances[b.next%len(b.instances)])
	return u
}

func (b *balancer) gone(host string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.instances) > 1 {
		b.instances = slices.DeleteFunc(b.instances, func(i string) bool { return strings.HasSuffix(i, host) })
	}
}

func (b *balancer) serve(t *testing.T) string {
	proxy := &httputil.ReverseProxy{
		FlushInterval: -1,
		Rewrite:       func(r *httputil.ProxyRequest) { r.SetURL(b.pick()); r.Out.Host = r.In.Host },
		ErrorHandler: func(w http.ResponseWriter, r *http.Request, _ error) {
			b.gone(r.URL.Host)
			w.WriteHeader(http.StatusBadGateway)
		},
		ErrorLog: nil,
	}
	s := httptest.NewServer(proxy)
	t.Cleanup(s.Close)
	return s.URL
}

// Two instances behind a balancer are one: what is done on one holds on the other, and the
// viewers of one that fails go on with the other.
func TestTwoInstancesAreOne(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	second, stop, err := running.Another(ctx)
	require.NoError(t, err)
	var once sync.Once
	defer once.Do(stop)
	mara := author(t, demo.BuilderEmail)
	there := *mara
	there.Address = second
	soon := func(f func() bool, why string) {
		t.Helper()
		require.Eventually(t, f, 20*time.Second, 5*time.Millisecond, why)
	}

	// A session of one is one of the other; a source that is connected on one serves on the other.
	_, status, err := there.Do(ctx, http.MethodGet, "/api/v1/datasets", nil)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, status)
	source, _ := json.Marshal(map[string]string{"title": "On both", "url": running.Cluster.URL(demo.Reader, "yarddesk")})
	code, b := send(t, mara, http.MethodPut, "/api/v1/sources/on-both", string(source))
	require.Equal(t, http.StatusOK, code, b)
	soon(func() bool {
		_, status, err := there.Do(ctx, http.MethodGet, "/api/v1/sources/on-both/tables", nil)
		return err == nil && status == http.StatusOK
	}, "the source serves on the other")
	code, b = send(t, mara, http.MethodDelete, "/api/v1/sources/on-both", nil)
	require.Equal(t, http.StatusOK, code, b)
	soon(func() bool {
		_, status, _ := there.Do(ctx, http.MethodGet, "/api/v1/sources/on-both/tables", nil)
		return status == http.StatusNotFound
	}, "and is closed there")

	// A viewer's stay, begun on one, goes on on the other; ended on one it is over on both.
	front := &balancer{instances: []string{running.Eskadel, second}}
	door := front.serve(t)
	ask := func(v viewer, path string) int {
		r, err := http.NewRequestWithContext(ctx, http.MethodPost, door+path, strings.NewReader(""))
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+v.bearer)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("Accept", "application/json")
		response, err := http.DefaultClient.Do(r)
		if err != nil {
			return 0
		}
		defer response.Body.Close()
		return response.StatusCode
	}
	looking := foreman(t)
	for range 6 {
		require.Equal(t, http.StatusOK, ask(looking, "/view/yard-today/widgets/cost"))
	}

	// Fifty look while one instance fails: each goes on, and is told of the next change.
	var open, told, answered atomic.Int64
	var all sync.WaitGroup
	for n := range 50 {
		v := foreman(t)
		all.Go(func() {
			for ctx.Err() == nil {
				r, _ := http.NewRequestWithContext(ctx, http.MethodGet, door+"/view/yard-today/live", nil)
				r.Header.Set("Authorization", "Bearer "+v.bearer)
				response, err := http.DefaultClient.Do(r)
				if err != nil || response.StatusCode != http.StatusOK {
					if err == nil {
						_ = response.Body.Close()
					}
					continue // as a page does, which tries again
				}
				open.Add(1)
				buffer := make([]byte, 4096)
				for {
					n, err := response.Body.Read(buffer)
					if strings.Contains(string(buffer[:n]), "event: changed") {
						told.Add(1)
					}
					if err != nil {
						break
					}
				}
				open.Add(-1)
				_ = response.Body.Close()
			}
		})
		all.Go(func() {
			for ctx.Err() == nil {
				if ask(v, fmt.Sprint("/view/yard-today/widgets/", widgets[n%len(widgets)])) == http.StatusOK {
					answered.Add(1)
				}
			}
		})
	}
	soon(func() bool { return open.Load() == 50 && answered.Load() > 50 }, "all are told of changes")
	once.Do(stop)
	soon(func() bool { return open.Load() == 50 }, "all go on")
	before := answered.Load()
	soon(func() bool { return answered.Load() > before+100 }, "and are answered")
	told.Store(0)
	conn := records(t)
	_, err = conn.Exec(ctx, "update yard_job set title = title where id = (select min(id) from yard_job where yard_id = 3)")
	require.NoError(t, err)
	soon(func() bool { return told.Load() >= 50 }, "and told")
	cancel()
	all.Wait()
	assert.Len(t, front.instances, 1)
}
