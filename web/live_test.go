package web_test

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/workspace"
)

// Fifty viewers of one dashboard under one row rule cause one query per widget per change.
func TestFiftyViewersCostOneQueryPerWidget(t *testing.T) {
	conn := records(t)
	src, err := running.Engine.Source("yard-desk")
	require.NoError(t, err)
	const viewers = 50
	// All that depend on the jobs; their time axes come from a filter, so each asks one question.
	depend := []string{"open", "late", "cost", "parts", "starts", "crews", "jobs"}
	alerts, err := running.Workspace.Alerts(context.Background(), workspace.Operator()) // which would ask, too
	require.NoError(t, err)
	for _, a := range alerts {
		require.NoError(t, running.Workspace.PauseErrand(context.Background(), workspace.Operator(), a.ID))
		defer func() {
			assert.NoError(t, running.Workspace.ResumeErrand(context.Background(), workspace.Operator(), a.ID))
		}()
	}
	all := make([]viewer, viewers)
	events := make([]chan string, viewers)
	for i := range all {
		all[i] = foreman(t)
		var stop func()
		events[i], stop = all[i].live()
		defer stop()
	}
	for change := range 3 {
		before := src.Runs()
		_, err := conn.Exec(context.Background(), "update yard_job set yard_cost = yard_cost + 1 where id = (select min(id) from yard_job where yard_id = 3 and yard_cost is not null)")
		require.NoError(t, err)
		var wait sync.WaitGroup
		answers := make([]string, viewers)
		for i := range all {
			wait.Add(1)
			go func() {
				defer wait.Done()
				select {
				case e := <-events[i]:
					assert.True(t, strings.HasPrefix(e, "changed "), e)
					for _, w := range depend {
						assert.Contains(t, e, `"`+w+`"`)
					}
				case <-time.After(20 * time.Second):
					assert.Fail(t, "the change was not told")
					return
				}
				for _, w := range depend {
					_, b := all[i].do(http.MethodPost, "/view/yard-today/widgets/"+w, url.Values{})
					answers[i] += strings.Split(string(b), `"fresh"`)[0]
				}
			}()
		}
		wait.Wait()
		// And perhaps one more: for where the records begin, where the first steps of a chart have none.
		assert.GreaterOrEqual(t, src.Runs()-before, int64(len(depend)), "queries for change %d", change+1)
		assert.LessOrEqual(t, src.Runs()-before, int64(len(depend)+1), "queries for change %d", change+1)
		for i := range answers {
			require.Equal(t, answers[0], answers[i])
		}
	}
}

// Viewers under different rules never share a result.
func TestRulesAreNotShared(t *testing.T) {
	conn := records(t)
	state := map[string]any{"filters": map[string]any{"when": nil, "where": nil}}
	for yard := 1; yard <= 5; yard++ {
		v := as(t, []string{"foreman"}, map[string]any{"yard": yard})
		assert.Equal(t, scalar(t, conn, "select count(*) from yard_job where yard_id = $1 and status in ('open', 'in hand', 'waiting for parts')", yard), v.run("open", state).Figures[0].Exact)
	}
}

func TestOnlyWidgetsThatDependOnAChangeAreTold(t *testing.T) {
	conn := records(t)
	events, stop := director(t).live()
	defer stop()
	_, err := conn.Exec(context.Background(), "update invoice_line set net = net where id = 1")
	require.NoError(t, err)
	e := <-events
	for !strings.Contains(e, `"money"`) { // what a test before has changed may come first
		e = <-events
	}
	assert.Contains(t, e, `"revenue"`)
	assert.NotContains(t, e, `"cost"`)
	_, err = conn.Exec(context.Background(), "update sensor_note set noted_at = noted_at where id = 1; update yard set plan_x = plan_x where id = 1")
	require.NoError(t, err)
	assert.Contains(t, <-events, `"cost"`, "a linked table counts too")
}

// A stopped database gives a sentence, and everything comes back by itself.
func TestStoppedDatabase(t *testing.T) {
	v := director(t)
	asked := 0
	ask := func() (int, string) { // each time what has not been asked before
		asked++
		status, b := v.do(http.MethodPost, "/view/yard-today/widgets/cost", url.Values{"state": {fmt.Sprintf(`{"filters":{"when":{"last":%d,"unit":"day"}}}`, 40+asked)}})
		return status, string(b)
	}
	require.NoError(t, running.Cluster.Stop())
	status, words := ask()
	assert.Equal(t, http.StatusServiceUnavailable, status)
	assert.Contains(t, words, "does not answer")
	assert.NotContains(t, words, "127.0.0.1", "no detail of the database")
	require.NoError(t, running.Cluster.Restart(context.Background()))
	assert.Eventually(t, func() bool { status, _ := ask(); return status == http.StatusOK }, 20*time.Second, 200*time.Millisecond)
	src, err := running.Engine.Source("yard-desk")
	require.NoError(t, err)
	assert.Eventually(t, func() bool { return running.Engine.Hub.Heard(src.Name) }, 20*time.Second, 200*time.Millisecond, "changes are heard again")
}
