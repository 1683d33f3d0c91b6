package account

import (
	"cmp"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"log/slog"
	"maps"
	"net/netip"
	"slices"
	"sync"
	"time"

	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// How often sign-in may be tried in vain within a while: at an account, and from an address, where names that nobody
// has are counted apart. Whoever signed in to an account from an address before is let through there up to a number of
// their own, whatever else comes from it: so nobody locks anybody out by guessing, at an account or at an address that
// many share.
const (
	triesWithin    = 15 * time.Minute
	triesOfAccount = 10
	triesOfFriend  = 30
	triesOfAddress = 60
	knownFor       = store.PlaceKept
	triesKept      = 50_000 // so many counts of addresses and of names that nobody has are remembered at most
)

// tries counts what was tried in vain.
type tries struct {
	sync.Mutex
	accounts map[string]failures // of accounts that are there, by name and by name and place
	strange  map[string]failures // of places, and of names that nobody has
	key      []byte              // by which places are hashed
}

type failures struct {
	since time.Time
	n     int
}

func (f failures) within(now time.Time) int {
	if now.Sub(f.since) >= triesWithin {
		return 0
	}
	return f.n
}

func count(in *map[string]failures, key string, now time.Time) {
	if *in == nil {
		*in = map[string]failures{}
	}
	f := (*in)[key]
	if f.within(now) == 0 {
		f = failures{since: now}
	}
	f.n++
	(*in)[key] = f
}

// forgetSome makes room where too much is remembered: first what is over, then what was tried least often.
func (t *tries) forgetSome(now time.Time) {
	if len(t.strange) <= triesKept {
		return
	}
	maps.DeleteFunc(t.strange, func(_ string, f failures) bool { return f.within(now) == 0 })
	if len(t.strange) <= triesKept {
		return
	}
	keys := slices.SortedFunc(maps.Keys(t.strange), func(a, b string) int { return t.strange[a].n - t.strange[b].n })
	for _, key := range keys[:len(keys)/2] {
		delete(t.strange, key)
	}
}

// placeOf is where a request comes from, as it is counted: an address, or of IPv6 the network of 64 bits that one
// customer has.
func placeOf(from string) string {
	a, err := netip.ParseAddr(from)
	if err != nil {
		return from
	}
	if a = a.Unmap().WithZone(""); a.Is6() {
		return netip.PrefixFrom(a, 64).Masked().String()
	}
	return a.String()
}

// A trial is an attempt to get in: at an account that is there, or under a name that nobody has.
type trial struct {
	account string // its id, or the name that nobody has
	known   bool
	place   string
	friend  bool // they signed in to the account from there before
	masked  bool // what is wrong is told in the words of too many attempts, as it is under names that nobody has
}

// errTooMany tells that it was tried too often.
var errTooMany = desk.Refuse(desk.Busy, "There were too many failed attempts. Wait 15 minutes, then try again.")

// attempt begins an attempt, or refuses it for a while. From a place where many names that nobody has were tried, a
// right password is taken all the same, and whatever else is tried is answered as one attempt too many, as soon and in
// the same words: so neither is anybody kept out nor told who is there.
func (d *Accounts) attempt(account string, known bool, from string) (trial, error) {
	now := d.Now()
	a := trial{account: account, known: known, place: placeOf(from)}
	a.friend = d.cameFrom(account, a.place, now) && known // asked in any case, so that the time tells nothing
	t := &d.tries
	t.Lock()
	defer t.Unlock()
	counts, most, key := t.accounts, triesOfAccount, account
	switch {
	case a.friend:
		most, key = triesOfFriend, account+" "+a.place
	case !known:
		counts, key = t.strange, "name "+account
	}
	if account == "" { // a passkey says whose it is
		key = ""
	}
	if counts[key].within(now) >= most ||
		!a.friend && t.strange["accounts at "+a.place].within(now) >= triesOfAddress {
		return a, errTooMany
	}
	a.masked = !a.friend && t.strange["names at "+a.place].within(now) >= triesOfAddress
	return a, nil
}

// failed counts an attempt that was in vain, and gives what is said of it.
func (d *Accounts) failed(a trial, says *desk.Error) *desk.Error {
	t, now := &d.tries, d.Now()
	t.Lock()
	defer t.Unlock()
	switch {
	case !a.known:
		if a.account != "" {
			count(&t.strange, "name "+a.account, now)
		}
		count(&t.strange, "names at "+a.place, now)
	case a.friend:
		count(&t.accounts, a.account+" "+a.place, now)
	default:
		count(&t.accounts, a.account, now)
		count(&t.strange, "accounts at "+a.place, now)
	}
	t.forgetSome(now)
	if a.masked {
		return errTooMany
	}
	return says
}

// passed keeps that somebody signed in from a place.
func (d *Accounts) passed(a trial) {
	d.tries.Lock()
	delete(d.tries.accounts, a.account+" "+a.place)
	d.tries.Unlock()
	key, err := d.placeKey()
	if err == nil {
		err = d.Store.SavePlace(store.Place{User: a.account, Place: hashedPlace(key, a.account, a.place), At: d.Now()})
	}
	if err != nil { // they are in all the same
		slog.Error("from where somebody signed in was not kept", "error", err)
	}
}

// often refuses what is asked from a place without an account too often, and counts it.
func (d *Accounts) often(what, from string) error {
	t, now := &d.tries, d.Now()
	t.Lock()
	defer t.Unlock()
	key := what + " at " + placeOf(from)
	if t.strange[key].within(now) >= triesOfAddress {
		return errTooMany
	}
	count(&t.strange, key, now)
	t.forgetSome(now)
	return nil
}

// cameFrom tells whether somebody signed in from a place not too long ago.
func (d *Accounts) cameFrom(user, place string, now time.Time) bool {
	key, err := d.placeKey()
	if err != nil {
		return false
	}
	p, err := d.Store.Place(user, hashedPlace(key, user, place))
	return err == nil && now.Sub(p.At) < knownFor
}

// hashedPlace is what is kept of where somebody signed in: it tells nobody who reads the database.
func hashedPlace(key []byte, user, place string) string {
	h := hmac.New(sha256.New, key)
	h.Write([]byte(user + "\x00" + place))
	return hex.EncodeToString(h.Sum(nil))
}

const settingPlaces = "places"

// placeKey is the secret by which places are hashed, made the first time.
func (d *Accounts) placeKey() ([]byte, error) {
	t := &d.tries
	t.Lock()
	defer t.Unlock()
	if t.key != nil {
		return t.key, nil
	}
	text, err := d.Store.Setting(settingPlaces)
	if errors.Is(err, store.ErrNotFound) || err == nil && text == "" {
		text = rand.Text()
		err = d.Store.SetSetting(settingPlaces, text)
	}
	if err == nil {
		t.key = []byte(cmp.Or(text, settingPlaces))
	}
	return t.key, err
}
