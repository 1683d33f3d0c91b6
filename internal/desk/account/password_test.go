package account

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

func TestWeakPasswords(t *testing.T) {
	mira := &model.User{UserName: "mira.strand", DisplayName: "Mira Strandvik", Email: "m.strandvik@skerryhaven.example"}
	for password, says := range map[string]string{
		"short":                        "at least 12 characters",
		"elevenchars":                  "at least 12 characters",
		strings.Repeat("ü", 130):       "at most 256 bytes",
		"aaaaaaaaaaaaaaaa":             "repeats a few",
		"abababababab":                 "repeats a few",
		"abcdefghijklmnop":             "run of keys",
		"qwertyuiopasdf":               "run of keys",
		"098765432109":                 "run of keys",
		"passwordpassword":             "words that many people use",
		"P4ssw0rd-Welcome!2026":        "words that many people use",
		"Summer2026Summer2026":         "words that many people use",
		"correct horse battery staple": "words that many people use",
		"mira.strand2026":              "your own names",
		"StrandvikMiraStrandvik1":      "your own names",
		"seven grey herons at dusk":    "",
		"tidewater-lantern":            "",
		"kT9#vLq2!mZx":                 "",
		"Mira saw nine gannets":        "",
	} {
		if got := weak(password, mira); says == "" && got != "" || !strings.Contains(got, says) {
			t.Errorf("%q: %q, want %q", password, got, says)
		}
	}
}

// Only so many passwords are hashed at once, and only so many wait; who gives up leaves the queue.
func TestHashingIsBounded(t *testing.T) {
	hold, began := make(chan struct{}), make(chan struct{}, hashesAtOnce)
	done := make(chan error, hashesAtOnce)
	for range hashesAtOnce {
		go func() { done <- hashed(t.Context(), func() { began <- struct{}{}; <-hold }) }()
	}
	for range hashesAtOnce {
		<-began
	}
	ctx, cancel := context.WithCancel(t.Context())
	queue := make(chan error, hashesWaiting)
	for range hashesWaiting {
		go func() { queue <- hashed(ctx, func() { t.Error("a password is hashed beyond those at once") }) }()
	}
	for len(waiting) < hashesAtOnce+hashesWaiting {
		time.Sleep(time.Millisecond) // until all of them stand in the queue
	}
	e := (*desk.Error)(nil)
	if err := hashed(t.Context(), func() {}); !errors.As(err, &e) || e.Cause != desk.Busy {
		t.Errorf("one more gets %v", err)
	}
	cancel()
	for range hashesWaiting {
		if err := <-queue; !errors.Is(err, context.Canceled) {
			t.Errorf("who gives up gets %v", err)
		}
	}
	close(hold)
	for range hashesAtOnce {
		if err := <-done; err != nil {
			t.Error(err)
		}
	}
	if err := hashed(t.Context(), func() {}); err != nil {
		t.Errorf("afterwards: %v", err)
	}
}
