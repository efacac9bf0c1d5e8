package observe

import (
	"context"
	"io"
	"log/slog"
	"sync/atomic"
	"time"
)

type requestKey struct{}

// InRequest is a context whose log lines say which request they belong to.
func InRequest(ctx context.Context, id string) context.Context {
	return context.WithValue(ctx, requestKey{}, id)
}

// handler adds the request to each line.
type handler struct{ slog.Handler }

func (h handler) Handle(ctx context.Context, r slog.Record) error {
	if id, ok := ctx.Value(requestKey{}).(string); ok {
		r.AddAttrs(slog.String("request", id))
	}
	return h.Handler.Handle(ctx, r)
}

func (h handler) WithAttrs(attrs []slog.Attr) slog.Handler {
	return handler{h.Handler.WithAttrs(attrs)}
}
func (h handler) WithGroup(name string) slog.Handler { return handler{h.Handler.WithGroup(name)} }

// Log has log lines written to w, each with the request that it belongs to.
func Log(w io.Writer) {
	slog.SetDefault(slog.New(handler{slog.NewTextHandler(w, &slog.HandlerOptions{Level: slog.LevelInfo})}))
}

var slow atomic.Int64

// SetSlow says from when on a question is slow; never for 0.
func SetSlow(d time.Duration) { slow.Store(int64(d)) }

// Slow is from when on a question is slow.
func Slow() time.Duration { return time.Duration(slow.Load()) }
