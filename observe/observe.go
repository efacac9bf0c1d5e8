// Package observe is what an installation is watched by: measurements for Prometheus, and
// log lines that say which request they belong to.
package observe

import (
	"context"
	"log/slog"
	"net/http"
	"strconv"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

var registry = prometheus.NewRegistry()

// spans are the borders of what is measured in seconds.
var spans = []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10, 20}

var (
	requests = prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "eskadel_request_seconds", Help: "Requests by route, method and status, with the time until they were answered.", Buckets: spans}, []string{"route", "method", "status"})
	// questions are those that a source's database was asked, not those answered from the cache.
	questions = prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "eskadel_question_seconds", Help: "Questions to the databases of sources, with the time they took, waiting among it.", Buckets: spans}, []string{"source", "outcome"})
	own       = prometheus.NewHistogram(prometheus.HistogramOpts{Name: "eskadel_own_statement_seconds", Help: "Statements to Eskadel's own database.", Buckets: spans})
	cached    = prometheus.NewCounterVec(prometheus.CounterOpts{Name: "eskadel_cache_total", Help: "What was looked for in the cache: kept, joined to one being asked, or asked."}, []string{"outcome"})
	held      = prometheus.NewGaugeVec(prometheus.GaugeOpts{Name: "eskadel_cache_bytes", Help: "About how much memory kept answers take."}, []string{})
	streams   = prometheus.NewGauge(prometheus.GaugeOpts{Name: "eskadel_streams", Help: "Pages that are told of changes just now."})
	waiting   = prometheus.NewGaugeVec(prometheus.GaugeOpts{Name: "eskadel_queue_waiting", Help: "Questions that wait for a connection to a source."}, []string{"source"})
	delivered = prometheus.NewHistogram(prometheus.HistogramOpts{Name: "eskadel_delivery_seconds", Help: "Deliveries and alerts that were sent, with the time they took.", Buckets: spans})
	letters   = prometheus.NewCounterVec(prometheus.CounterOpts{Name: "eskadel_letters_total", Help: "Letters and messages by what became of them."}, []string{"state"})
	heard     = prometheus.NewCounterVec(prometheus.CounterOpts{Name: "eskadel_changes_total", Help: "Changes of records that were heard."}, []string{"source"})
)

func init() {
	registry.MustRegister(requests, questions, own, cached, held, streams, waiting, heard, delivered, letters, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
}

// Metrics answers with everything that is measured, as Prometheus reads it.
func Metrics() http.Handler {
	return promhttp.HandlerFor(registry, promhttp.HandlerOpts{})
}

// Request notes an answered request. The route is as it is registered, so that there are not
// more of them than there are routes.
func Request(route, method string, status int, took time.Duration) {
	requests.WithLabelValues(route, method, strconv.Itoa(status)).Observe(took.Seconds())
}

// What became of a question.
const (
	Answered = "answered"
	Failed   = "failed"
	Stopped  = "stopped"
)

// Question notes a question to a source's database; one that took long is told of in the log.
func Question(ctx context.Context, source, outcome string, took time.Duration) {
	questions.WithLabelValues(source, outcome).Observe(took.Seconds())
	if slow := Slow(); slow > 0 && took >= slow {
		slog.WarnContext(ctx, "a question to a source was slow", "source", source, "outcome", outcome, "took", took.Round(time.Millisecond))
	}
}

// Own notes a statement to Eskadel's own database; one that took long is told of in the log,
// without its values.
func Own(ctx context.Context, statement string, took time.Duration) {
	own.Observe(took.Seconds())
	if slow := Slow(); slow > 0 && took >= slow {
		slog.WarnContext(ctx, "Eskadel's own database was slow", "statement", statement, "took", took.Round(time.Millisecond))
	}
}

// What came of looking into the cache.
const (
	Kept   = "kept"
	Joined = "joined"
	Asked  = "asked"
)

// Cache notes a look into the cache.
func Cache(outcome string) { cached.WithLabelValues(outcome).Inc() }

// Held says how much memory kept answers take.
func Held(bytes int64) { held.WithLabelValues().Set(float64(bytes)) }

// Streams counts pages that are told of changes.
func Streams(more int) { streams.Add(float64(more)) }

// Waiting counts questions that wait for a source.
func Waiting(source string, more int) { waiting.WithLabelValues(source).Add(float64(more)) }

// Delivered notes that something was done by itself.
func Delivered(took time.Duration) { delivered.Observe(took.Seconds()) }

// Letter notes what became of a letter or a message.
func Letter(state string) { letters.WithLabelValues(state).Inc() }

// Changed notes a change of records that was heard.
func Changed(source string) { heard.WithLabelValues(source).Inc() }
