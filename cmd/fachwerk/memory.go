package main

import (
	"os"
	"runtime"
	"runtime/debug"
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
