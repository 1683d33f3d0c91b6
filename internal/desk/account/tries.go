package account

import (
	"sync"
	"time"

	"fachwerk/internal/desk"
)

// How often sign-in may be tried in vain: at an account and from an address within a while. An address from which
// somebody signed in to the account before is let through all the same up to a greater number, so that a stranger who
// guesses locks nobody out.
const (
	triesWithin    = 15 * time.Minute
	triesOfAccount = 10
	triesOfFriend  = 30
	triesOfAddress = 60
	knownFor       = 30 * 24 * time.Hour
	triesKept      = 50_000 // so many accounts and addresses are remembered at most
)

type tries struct {
	sync.Mutex
	failures map[string]failures // by account, by address, and by both
	friends  map[[2]string]time.Time
}

type failures struct {
	since time.Time
	n     int
}

func (t *tries) count(key string, now time.Time) int {
	f := t.failures[key]
	if now.Sub(f.since) >= triesWithin {
		return 0
	}
	return f.n
}

// may refuses to try once more for a while. Where no account is known, only the address counts.
func (t *tries) may(account, from string, now time.Time) error {
	t.Lock()
	defer t.Unlock()
	most, key := triesOfAccount, "account "+account
	if now.Sub(t.friends[[2]string{account, from}]) < knownFor && !t.friends[[2]string{account, from}].IsZero() {
		most, key = triesOfFriend, "both "+account+" "+from
	}
	if account != "" && t.count(key, now) >= most || t.count("address "+from, now) >= triesOfAddress {
		return desk.Refuse(desk.Busy, "There were too many failed attempts. Wait 15 minutes, then try again.")
	}
	return nil
}

func (t *tries) failed(account, from string, now time.Time) {
	t.Lock()
	defer t.Unlock()
	if t.failures == nil || len(t.failures) > triesKept {
		t.failures = map[string]failures{}
	}
	keys := []string{"address " + from}
	if account != "" {
		keys = append(keys, "account "+account, "both "+account+" "+from)
	}
	for _, key := range keys {
		f := t.failures[key]
		if now.Sub(f.since) >= triesWithin {
			f = failures{since: now}
		}
		f.n++
		t.failures[key] = f
	}
}

func (t *tries) passed(account, from string, now time.Time) {
	t.Lock()
	defer t.Unlock()
	if t.friends == nil || len(t.friends) > triesKept {
		t.friends = map[[2]string]time.Time{}
	}
	t.friends[[2]string{account, from}] = now
	delete(t.failures, "both "+account+" "+from)
}
