package account

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	_ "embed"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/crypto/argon2"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
)

// The cost of a password hash: one pass over 19 MiB twice over, the least that is recommended for argon2id.
const (
	hashTime, hashMemory, hashThreads, hashLength = 2, 19 * 1024, 1, 32
	// MinPassword is how many characters a password has at least.
	MinPassword = 12
	maxPassword = 256
)

// Hashing takes memory, so only a few passwords are hashed at once; some more may wait.
const (
	hashesAtOnce  = 2
	hashesWaiting = 64
)

var (
	hashing = make(chan struct{}, hashesAtOnce)
	waiting = make(chan struct{}, hashesAtOnce+hashesWaiting)
)

// hashed runs do while it has a place among the passwords that are hashed at once.
func hashed(ctx context.Context, do func()) error {
	busy := desk.Refuse(desk.Busy, "Many people are signing in just now. Try again in a moment.")
	if ctx == nil {
		ctx = context.Background()
	}
	select {
	case waiting <- struct{}{}:
		defer func() { <-waiting }()
	default:
		return busy
	}
	select {
	case hashing <- struct{}{}:
		defer func() { <-hashing }()
	case <-ctx.Done():
		return ctx.Err()
	}
	do()
	return nil
}

func hashPassword(password string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails
	key := argon2.IDKey([]byte(password), salt, hashTime, hashMemory, hashThreads, hashLength)
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, hashMemory, hashTime, hashThreads,
		base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(key))
}

func passwordFits(hash, password string) bool {
	var version, memory, passes int
	var threads uint8
	parts := strings.Split(hash, "$")
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false
	}
	if _, err := fmt.Sscanf(parts[2], "v=%d", &version); err != nil || version != argon2.Version {
		return false
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &passes, &threads); err != nil {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil {
		return false
	}
	got := argon2.IDKey([]byte(password), salt, uint32(passes), uint32(memory), threads, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
}

// decoy makes an unknown name take as long to refuse as a wrong password.
var decoy = hashPassword("nobody has this")

//go:embed common.txt
var commonText string

// common are words of which well-known passwords are made.
var common = func() map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(commonText) {
		out[w] = true
	}
	return out
}()

// lookalikes are signs that stand for letters in passwords.
var lookalikes = strings.NewReplacer(
	"0",
	"o",
	"1",
	"i",
	"3",
	"e",
	"4",
	"a",
	"5",
	"s",
	"7",
	"t",
	"@",
	"a",
	"$",
	"s",
	"!",
	"i",
	"€",
	"e",
)

// weak says why a password is no good; empty if it is. One's own names and well-known passwords are none, nor is what
// is left of a password when these are taken out of it (NIST SP 800-63B, §5.1.1.2).
func weak(password string, u *model.User) string {
	n := utf8.RuneCountInString(password)
	if n < MinPassword || len(password) > maxPassword {
		return fmt.Sprintf("A password has at least %d characters and at most %d bytes; this one has %d characters.",
			MinPassword, maxPassword, n)
	}
	lower := strings.ToLower(password)
	if kinds := map[rune]bool{}; true {
		for _, r := range lower {
			kinds[r] = true
		}
		if len(kinds) < 5 {
			return "This password repeats a few characters: choose another."
		}
	}
	if runs(lower) {
		return "This password is a run of keys or letters: choose another."
	}
	rest := lower
	if u != nil {
		address, _, _ := strings.Cut(u.Email, "@")
		for _, name := range append(strings.FieldsFunc(u.DisplayName+" "+u.UserName+" "+address, func(r rune) bool {
			return !unicode.IsLetter(r) && !unicode.IsDigit(r)
		}), u.UserName) {
			if len(name) >= 3 {
				rest = strings.ReplaceAll(rest, strings.ToLower(name), "")
			}
		}
	}
	if utf8.RuneCountInString(rest) < MinPassword/2 {
		return "This password is made of your own names: choose another."
	}
	// What stands at the end, a year or a sign, makes a word no better; nor do signs that look like its letters.
	stem := strings.TrimRightFunc(rest, func(r rune) bool { return !unicode.IsLetter(r) })
	for _, text := range []string{lookalikes.Replace(stem), stem} {
		if made(lettersOf(text)) {
			return "This password is made of words that many people use: choose another."
		}
	}
	return ""
}

func lettersOf(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) {
			return r
		}
		return -1
	}, text)
}

// made tells whether a text is nothing but well-known words.
func made(text string) bool {
	if text == "" {
		return true
	}
	ends := make([]bool, len(text)+1) // places up to which it is made of such words
	ends[0] = true
	for i := range text {
		if !ends[i] {
			continue
		}
		for j := i + 3; j <= len(text); j++ {
			if common[text[i:j]] {
				ends[j] = true
			}
		}
	}
	return ends[len(text)]
}

// runs tells whether a text runs along the alphabet, the digits or a row of keys.
func runs(text string) bool {
	for _, row := range []string{"abcdefghijklmnopqrstuvwxyz", "0123456789", "qwertyuiopasdfghjklzxcvbnm",
		"qwertzuiopasdfghjklyxcvbnm"} {
		for _, line := range []string{strings.Repeat(row, 3), reversed(strings.Repeat(row, 3))} {
			if strings.Contains(line, text) {
				return true
			}
		}
	}
	return false
}

func reversed(s string) string {
	b := []byte(s)
	for i, j := 0, len(b)-1; i < j; i, j = i+1, j-1 {
		b[i], b[j] = b[j], b[i]
	}
	return string(b)
}

func secret() (text, hash string) {
	text = rand.Text()
	return text, hashSecret(text)
}

func hashSecret(text string) string {
	sum := sha256.Sum256([]byte(text))
	return hex.EncodeToString(sum[:])
}
