package web

import (
	"context"
	"runtime/debug"
	"runtime/metrics"
	"time"
)

// Tidy gives memory back to the system while little of what was taken is in use, such as
// after many viewers have left, until ctx ends.
func Tidy(ctx context.Context) {
	const idle = 64 << 20
	free := []metrics.Sample{{Name: "/memory/classes/heap/free:bytes"}, {Name: "/memory/classes/heap/objects:bytes"}, {Name: "/gc/heap/live:bytes"}}
	every := time.NewTicker(20 * time.Second)
	defer every.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
		metrics.Read(free)
		// Free, or dead since the last collection.
		if unused := free[0].Value.Uint64() + free[1].Value.Uint64() - min(free[1].Value.Uint64(), free[2].Value.Uint64()); unused > idle {
			debug.FreeOSMemory()
		}
	}
}
