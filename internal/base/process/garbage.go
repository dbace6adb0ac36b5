package process

import (
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"sync"
	"sync/atomic"
)

// room is what may be made between two collections: a part of what is in use, in
// percent, and never less than so many bytes.
type room struct {
	percent int
	least   uint64
}

var (
	allowed atomic.Pointer[room]
	watch   sync.Once
)

// Usual is how the program collects, unless a command knows better.
func Usual() (percent int, least uint64) { return 100, 24 << 20 }

// Garbage has memory collected when percent more is in use than after the last
// collection, but not before least bytes were made. Most documents are small, and so
// is what is held of them: without the second, memory is gone through every few
// megabytes, which takes a third of the processor time of filling. What holds much
// pays nothing for it. Where the user has set GOGC, that is kept.
func Garbage(percent int, least uint64) {
	if os.Getenv("GOGC") != "" {
		return
	}
	allowed.Store(&room{percent, least})
	settle()
	watch.Do(again)
}

// again settles the percentage after each collection. The runtime frees what has a
// finalizer once it is found unused, which is once a collection.
func again() {
	mark := new([16]byte)
	runtime.SetFinalizer(mark, func(*[16]byte) {
		settle()
		again()
	})
}

func settle() {
	held := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	metrics.Read(held)
	r := allowed.Load()
	percent := r.percent
	if live := max(held[0].Value.Uint64(), 1<<20); r.least*100/live > uint64(percent) {
		percent = int(r.least * 100 / live)
	}
	debug.SetGCPercent(percent)
}
