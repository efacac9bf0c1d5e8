package grammar

import (
	"context"

	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
	"github.com/tetratelabs/wazero/experimental"
)

// The program leaves a text that it refuses by a jump out of many calls at once. Jumps are
// made by the host: it keeps what the stack held where a jump may come back to.

// A mark is a place that a jump may come back to.
type mark struct {
	snapshot experimental.Snapshot
	answer   uint32 // where the number that comes back is written
	pointer  uint32
	stack    []byte
}

// marks are those of one instance.
type marks struct {
	top  *uint32
	list []mark
}

type marksKey struct{}

const most = 1000 // marks of one instance

func marksOf(ctx context.Context) *marks { return ctx.Value(marksKey{}).(*marks) }

func keep(ctx context.Context, m api.Module, stack []uint64) {
	of, place, answer := marksOf(ctx), uint32(stack[0]), uint32(stack[1])
	pointer := uint32(m.ExportedGlobal("__stack_pointer").Get())
	held, ok := m.Memory().Read(pointer, max(*of.top, pointer)-pointer)
	if !ok || len(of.list) >= most {
		panic(errBroken)
	}
	of.list = append(of.list, mark{experimental.GetSnapshotter(ctx).Snapshot(), answer, pointer, append([]byte{}, held...)})
	if !m.Memory().WriteUint64Le(place, uint64(len(of.list)-1)) || !m.Memory().WriteUint64Le(answer, 0) {
		panic(errBroken)
	}
	stack[0] = 0
}

func jump(ctx context.Context, m api.Module, stack []uint64) {
	of := marksOf(ctx)
	n, ok := m.Memory().ReadUint64Le(uint32(stack[0]))
	if !ok || n >= uint64(len(of.list)) {
		panic(errBroken)
	}
	back := of.list[n]
	m.ExportedGlobal("__stack_pointer").(api.MutableGlobal).Set(uint64(back.pointer))
	if !m.Memory().Write(back.pointer, back.stack) || !m.Memory().WriteUint64Le(back.answer, stack[1]) {
		panic(errBroken)
	}
	stack[0] = 0
	back.snapshot.Restore(stack[:1])
}

// jumps gives the program what it asks of its host besides WASI. An instance is used by one
// goroutine and is sent no signals, so that the rest is never called.
func jumps(ctx context.Context, rt wazero.Runtime) error {
	i32, i64 := api.ValueTypeI32, api.ValueTypeI64
	b := rt.NewHostModuleBuilder("wasix_32v1")
	add := func(name string, f api.GoModuleFunc, in, out []api.ValueType) {
		b.NewFunctionBuilder().WithGoModuleFunction(f, in, out).Export(name)
	}
	never := func(context.Context, api.Module, []uint64) { panic(errBroken) }
	add("stack_checkpoint", keep, []api.ValueType{i32, i32}, []api.ValueType{i32})
	add("stack_restore", jump, []api.ValueType{i32, i64}, nil)
	add("proc_id", func(_ context.Context, m api.Module, stack []uint64) {
		if !m.Memory().WriteUint32Le(uint32(stack[0]), 1) {
			panic(errBroken)
		}
		stack[0] = 0
	}, []api.ValueType{i32}, []api.ValueType{i32})
	add("callback_signal", never, []api.ValueType{i32, i32}, nil)
	add("thread_signal", never, []api.ValueType{i32, i32}, []api.ValueType{i32})
	add("futex_wait", never, []api.ValueType{i32, i32, i32, i32}, []api.ValueType{i32})
	add("futex_wake", never, []api.ValueType{i32, i32}, []api.ValueType{i32})
	add("futex_wake_all", never, []api.ValueType{i32, i32}, []api.ValueType{i32})
	add("thread_exit", never, []api.ValueType{i32}, nil)
	_, err := b.Instantiate(ctx)
	return err
}
