package main

import (
	"os"
	"runtime"
	"runtime/debug"

	"fachwerk/internal/core/fan"
)

// enough is how much memory the program may take, in bytes, before its garbage is collected more often than it would
// be otherwise.
const enough = 26 << 30 / 10 // 2.6 GiB

// boundMemory keeps garbage from piling up beside a large design, unless whoever runs the program has set bounds by
// GOMEMLIMIT.
func boundMemory() {
	if !memoryBounded() {
		debug.SetMemoryLimit(enough)
	}
}

func memoryBounded() bool { return os.Getenv("GOMEMLIMIT") != "" }

// makeRoom widens the bound, where it is needed, to what is in memory now times a fraction.
func makeRoom(times, by int64) {
	if memoryBounded() {
		return
	}
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	debug.SetMemoryLimit(max(enough, int64(m.HeapAlloc)*times/by))
}

// shareProcessors has requests answered while something long is counted on all processors. Go itself would hand a
// processor over every ten milliseconds only, so every request would wait that long, and longer; with twice as many
// threads, the operating system shares the processors out, and prefers who has waited.
func shareProcessors() {
	if os.Getenv("GOMAXPROCS") == "" {
		runtime.GOMAXPROCS(2 * fan.Parts())
	}
}
