package server

import (
	"os"
	"runtime"

	"fachwerk/internal/core/fan"
)

// ShareProcessors has requests answered while something long is counted on all processors. Go itself would hand a
// processor over every ten milliseconds only, so every request would wait that long, and longer; with twice as many
// threads, the operating system shares the processors out, and prefers who has waited. Whoever has set GOMAXPROCS is
// left their choice.
func ShareProcessors() {
	if os.Getenv("GOMAXPROCS") == "" {
		runtime.GOMAXPROCS(2 * fan.Parts())
	}
}
