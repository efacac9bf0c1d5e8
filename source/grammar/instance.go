package grammar

import (
	"context"
	_ "embed"
	"encoding/binary"
	"errors"
	"fmt"
	"sync"
	"time"

	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
	"github.com/tetratelabs/wazero/experimental"
	"github.com/tetratelabs/wazero/imports/wasi_snapshot_preview1"
)

//go:embed libpg_query.wasm
var program []byte

// What one reading may take. The stack is many times what the deepest text within Bound
// needs; its lower end is looked at after each call all the same.
const (
	memoryPages = 3072 // of 64 KiB
	stackSize   = 24 << 20
	guardSize   = 64 << 10
	timeLimit   = 5 * time.Second
)

// machine is the program made ready to run, once in a process. Nothing that an instance
// does can change it.
var machine = sync.OnceValues(func() (*ready, error) {
	ctx := context.Background()
	config := wazero.NewRuntimeConfigCompiler().WithCoreFeatures(api.CoreFeaturesV2 | experimental.CoreFeaturesThreads).
		WithMemoryLimitPages(memoryPages).WithCloseOnContextDone(true)
	rt := wazero.NewRuntimeWithConfig(ctx, config)
	if _, err := wasi_snapshot_preview1.Instantiate(ctx, rt); err != nil {
		return nil, fmt.Errorf("make the grammar ready: %w", err)
	}
	if err := jumps(ctx, rt); err != nil {
		return nil, fmt.Errorf("make the grammar ready: %w", err)
	}
	code, err := rt.CompileModule(ctx, program)
	if err != nil {
		return nil, fmt.Errorf("make the grammar ready: %w", err)
	}
	return &ready{rt, code}, nil
})

type ready struct {
	runtime wazero.Runtime
	code    wazero.CompiledModule
}

// errBroken says that an instance did what it may not do; what it returned is not looked at.
var errBroken = errors.New("the grammar left its bounds")

// An instance reads one text and is thrown away.
type instance struct {
	module api.Module
	ctx    context.Context
	cancel context.CancelFunc
	floor  uint32 // the lower end of its stack
	top    uint32
}

func begin(ctx context.Context) (*instance, error) {
	m, err := machine()
	if err != nil {
		return nil, err
	}
	i := &instance{}
	i.ctx, i.cancel = context.WithTimeout(experimental.WithSnapshotter(ctx), timeLimit)
	i.ctx = context.WithValue(i.ctx, marksKey{}, &marks{top: &i.top})
	i.module, err = m.runtime.InstantiateModule(i.ctx, m.code, wazero.NewModuleConfig().WithName("").WithStartFunctions("_initialize"))
	if err != nil {
		i.cancel()
		return nil, fmt.Errorf("begin to read a query: %w", err)
	}
	if err := i.stack(); err != nil {
		i.end()
		return nil, err
	}
	if _, err := i.call("pg_query_init"); err != nil {
		i.end()
		return nil, err
	}
	return i, nil
}

// stack gives the instance a stack of its own, since the one it comes with has a few
// dozen kilobytes and, where these do not do, goes on in the memory beside it.
func (i *instance) stack() error {
	at, err := i.call("malloc", stackSize)
	if err != nil {
		return err
	}
	pointer, ok := i.module.ExportedGlobal("__stack_pointer").(api.MutableGlobal)
	if at == 0 || !ok || !i.module.Memory().Write(uint32(at), make([]byte, guardSize)) {
		return errBroken
	}
	i.floor, i.top = uint32(at), (uint32(at)+stackSize)&^15
	pointer.Set(uint64(i.top))
	return nil
}

// whole tells whether the stack has stayed where it may be.
func (i *instance) whole() bool {
	guard, ok := i.module.Memory().Read(i.floor, guardSize)
	if !ok || i.module.ExportedGlobal("__stack_pointer").Get() != uint64(i.top) {
		return false
	}
	for _, b := range guard {
		if b != 0 {
			return false
		}
	}
	return true
}

// end throws the instance away.
func (i *instance) end() {
	_ = i.module.Close(context.WithoutCancel(i.ctx))
	i.cancel()
}

func (i *instance) call(name string, args ...uint64) (uint64, error) {
	out, err := i.module.ExportedFunction(name).Call(i.ctx, args...)
	switch {
	case i.ctx.Err() != nil:
		return 0, i.ctx.Err()
	case err != nil:
		return 0, fmt.Errorf("%w: %s: %w", errBroken, name, err)
	case i.top != 0 && !i.whole():
		return 0, errBroken
	case len(out) == 0:
		return 0, nil
	}
	return out[0], nil
}

// put copies text into the instance's memory, ended by a zero byte.
func (i *instance) put(b []byte) (uint64, error) {
	at, err := i.call("malloc", uint64(len(b)+1))
	if err != nil {
		return 0, err
	}
	if at == 0 || !i.module.Memory().Write(uint32(at), append(append(make([]byte, 0, len(b)+1), b...), 0)) {
		return 0, errBroken
	}
	return at, nil
}

// number reads four bytes.
func (i *instance) number(at uint32) (uint32, error) {
	n, ok := i.module.Memory().ReadUint32Le(at)
	if !ok {
		return 0, errBroken
	}
	return n, nil
}

// text reads what ends with a zero byte.
func (i *instance) text(at uint32) (string, error) {
	var out []byte
	for ; ; at++ {
		b, ok := i.module.Memory().ReadByte(at)
		if !ok {
			return "", errBroken
		}
		if b == 0 {
			return string(out), nil
		}
		out = append(out, b)
	}
}

// bytes copies memory out, so that it outlives the instance.
func (i *instance) bytes(at, length uint32) ([]byte, error) {
	b, ok := i.module.Memory().Read(at, length)
	if !ok {
		return nil, errBroken
	}
	return append([]byte{}, b...), nil
}

// complaint reads why a text was refused: its words, and the place in it counted from 1, 0
// for none. A complaint is a record whose first member is the words, its fifth the place.
func (i *instance) complaint(at uint32) (words string, place int, err error) {
	message, err := i.number(at)
	if err != nil {
		return "", 0, err
	}
	cursor, err := i.number(at + 16)
	if err != nil {
		return "", 0, err
	}
	words, err = i.text(message)
	return words, int(int32(cursor)), err
}

var little = binary.LittleEndian
