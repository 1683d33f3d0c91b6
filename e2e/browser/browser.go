// Package browser drives the real interface in a real browser, as a person would: it finds things by what they say,
// and clicks and types.
package browser

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/rooms"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"fachwerk/internal/core/model"
	"fachwerk/internal/demo"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/server"
	"fachwerk/internal/store"
	"fachwerk/web"
)

// patience is how long a thing may take to appear. It bounds a failure; nothing waits that long when all is well.
const patience = time.Minute

// Clock starts on a day and goes on from there; it can be set forward.
type Clock struct {
	day, began time.Time
	ahead      atomic.Int64 // nanoseconds
}

// NewClock starts a clock on a day.
func NewClock(day time.Time) *Clock { return &Clock{day: day, began: time.Now()} }

// Now is what the clock shows.
func (c *Clock) Now() time.Time {
	return c.day.Add(time.Since(c.began) + time.Duration(c.ahead.Load()))
}

// Set sets the clock forward to an instant.
func (c *Clock) Set(to time.Time) { c.ahead.Add(int64(to.Sub(c.Now()))) }

// Demo serves the demo organisation, as of what a clock shows, on a port of its own until stop is called. It gives the
// desk too that is served.
func Demo(folder string, clock *Clock) (url string, served *rooms.Desk, stop func() error, err error) {
	s, err := store.Open(filepath.Join(folder, "demo.db"), false)
	if err != nil {
		return "", nil, nil, err
	}
	if err := demo.Fill(s, clock.day); err != nil {
		return "", nil, nil, errors.Join(err, s.Close())
	}
	return serve(s, clock, "")
}

// Serve serves a design, as [Demo] does the demo organisation, but under a path of its host.
func Serve(
	folder string,
	day time.Time,
	design *model.Design,
) (url string, served *rooms.Desk, stop func() error, err error) {
	s, err := store.Open(filepath.Join(folder, "served.db"), false)
	if err != nil {
		return "", nil, nil, err
	}
	url, served, stop, err = serve(s, NewClock(day), "/tools/house")
	if err != nil {
		return "", nil, nil, err
	}
	if err := served.Load(design, desk.Begin, "generated"); err != nil {
		return "", nil, nil, errors.Join(err, stop())
	}
	return url, served, stop, nil
}

func serve(s *store.Store, clock *Clock, under string) (url string, served *rooms.Desk, stop func() error, err error) {
	d, err := rooms.Open(s, clock.Now)
	if err != nil {
		return "", nil, nil, errors.Join(err, s.Close())
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", nil, nil, errors.Join(err, s.Close())
	}
	// By name, since passkeys are made for one.
	url = fmt.Sprintf("http://localhost:%d%s", listener.Addr().(*net.TCPAddr).Port, under)
	d.Outside = url
	handler := server.New(d, s, web.Files(), inner.Outside{URL: url})
	srv := &http.Server{Handler: handler, ReadHeaderTimeout: time.Minute}
	go func() { _ = srv.Serve(listener) }()
	return url, d, func() error { return errors.Join(srv.Close(), s.Close()) }, nil
}

// Page is a window of a browser, signed in as nobody yet.
type Page struct {
	ctx    context.Context
	base   string
	mu     sync.Mutex
	errors []string
	// Refusals are expected: the server's answers 401, 403, 404, 409, 422 and 499 are no complaints while it is set.
	Refusals bool
}

// Launch opens a browser with a profile of its own and a window of a size. Close it by the function that is returned.
// A browser that does not start is started again: on a busy machine one now and then crashes before it shows anything.
func Launch(base string, width, height int) (p *Page, end func(), err error) {
	for range 3 {
		if p, end, err = launch(base, width, height); err == nil {
			break
		}
	}
	return p, end, err
}

func launch(base string, width, height int) (*Page, func(), error) {
	profile, err := os.MkdirTemp("", "fachwerk-browser")
	if err != nil {
		return nil, nil, err
	}
	options := append(
		chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(program()),
		chromedp.NoSandbox,
		chromedp.UserDataDir(profile),
		chromedp.WindowSize(
			width,
			height,
		),
		chromedp.Flag("disable-gpu", true),
		chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-component-update", true),
		chromedp.Flag(
			"hide-scrollbars",
			true,
		),
		chromedp.Flag("force-prefers-reduced-motion", true),
		chromedp.Flag("lang", "en-GB"),
		chromedp.Flag("accept-lang", "en-GB"), // so that days are written as they are there
	)
	allocated, cancelAllocator := chromedp.NewExecAllocator(context.Background(), options...)
	p := &Page{base: base}
	ctx, cancel := chromedp.NewContext(allocated, chromedp.WithListener(p.listen))
	p.ctx = ctx
	end := func() {
		cancel()
		cancelAllocator()
		_ = os.RemoveAll(profile)
	}
	err = chromedp.Do(ctx, chromedp.EmulateViewport(int64(width), int64(height)), asFarAhead())
	if err != nil {
		end()
		return nil, nil, err
	}
	return p, end, nil
}

// program is Debian's Chromium: without the windows and menus that nobody looks at, where that is installed. It takes a
// good part less of the processor.
func program() string {
	const bare = "/usr/bin/chromium-headless-shell"
	if _, err := os.Stat(bare); err == nil {
		return bare
	}
	return "/usr/bin/chromium"
}

// asFarAhead puts the browser's clock ahead by as much as that of the walks (see e2e/days): by what FACHWERK_AHEAD
// says, or not at all.
func asFarAhead() chromedp.Action[chromedp.Void] {
	by, _ := time.ParseDuration(os.Getenv("FACHWERK_AHEAD"))
	return func(ctx context.Context, t *chromedp.Target) (none chromedp.Void, err error) {
		if by == 0 {
			return none, nil
		}
		_, err = cdp.Call(ctx, t, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{
			Source: fmt.Sprintf(`{
				const Machine = Date;
				Date = class extends Machine {
					constructor(...given) { if (given.length) super(...given); else super(Machine.now() + %[1]d); }
					static now() { return Machine.now() + %[1]d; }
				};
			}`, by.Milliseconds()),
		})
		return none, err
	}
}

// listen keeps what the console complains of. That somebody is not signed in yet is no complaint.
func (p *Page) listen(ev any) {
	said := ""
	switch e := ev.(type) {
	case *runtime.EventExceptionThrown:
		said = e.ExceptionDetails.Text
		if e.ExceptionDetails.Exception != nil {
			said += " " + e.ExceptionDetails.Exception.Description
		}
	case *runtime.EventConsoleAPICalled:
		if e.Type == runtime.ConsoleAPICalledTypeError || e.Type == runtime.ConsoleAPICalledTypeWarning {
			for _, a := range e.Args {
				said += string(a.Value) + a.Description + " "
			}
		}
	case *log.EventEntryAdded:
		expected := []string{"401", "403", "404", "409", "422", "499"}
		refused := p.Refusals && slices.ContainsFunc(expected, func(status string) bool {
			return strings.Contains(e.Entry.Text, "status of "+status)
		})
		if e.Entry.Level == log.EntryLevelError && !refused && !strings.HasSuffix(e.Entry.URL, "/api/me") {
			said = e.Entry.Text + " " + e.Entry.URL
		}
	}
	if said != "" {
		p.mu.Lock()
		p.errors = append(p.errors, said)
		p.mu.Unlock()
	}
}

// Complaints gives what the console has complained of so far.
func (p *Page) Complaints() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]string(nil), p.errors...)
}

func (p *Page) do(steps ...chromedp.Action[chromedp.Void]) error {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	return chromedp.Do(ctx, steps...)
}

// Open goes to a path of the application.
func (p *Page) Open(path string) error { return p.do(chromedp.Navigate(p.base + path)) }

// Resize gives the window another size.
func (p *Page) Resize(width, height int) error {
	return p.do(chromedp.EmulateViewport(int64(width), int64(height)))
}

// Slow makes every answer of the server come so much later; 0 makes an end of it.
func (p *Page) Slow(by time.Duration) error {
	type conditions struct {
		Offline            bool    `json:"offline"`
		Latency            float64 `json:"latency"` // ms
		DownloadThroughput float64 `json:"downloadThroughput"`
		UploadThroughput   float64 `json:"uploadThroughput"`
	}
	// Debian's browser does not take the command by rules that has come in its place.
	slow := cdp.Command[conditions, cdp.Empty]{Method: "Network.emulateNetworkConditions"}
	return p.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, slow, conditions{false, float64(by.Milliseconds()), -1, -1})
		return err
	}))
}

// Path is where the page is, with its query.
func (p *Page) Path() (string, error) {
	all, err := Eval[string](p, "location.href")
	return strings.TrimPrefix(all, p.base), err
}

// Eval evaluates an expression in the page.
func Eval[T any](p *Page, expression string) (T, error) {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[T](expression))
}

// EvalAsync evaluates an expression that gives a promise, and waits for what it promises.
func EvalAsync[T any](p *Page, expression string) (T, error) {
	ctx, cancel := context.WithTimeout(p.ctx, 3*patience)
	defer cancel()
	return chromedp.Run(
		ctx,
		chromedp.Evaluate[T](expression, func(e *runtime.EvaluateParams) { e.AwaitPromise = new(true) }),
	)
}

// Wait waits until an expression is true in the page.
func (p *Page) Wait(expression string) error {
	deadline := time.Now().Add(patience)
	for {
		ok, err := Eval[bool](p, "!!("+expression+")")
		if ok && err == nil {
			return nil
		}
		if time.Now().After(deadline) {
			text, _ := Eval[string](p, "document.body.innerText")
			return fmt.Errorf("waited in vain for %s (last error: %v); the page says:\n%s", expression, err, text)
		}
		select {
		case <-p.ctx.Done():
			return p.ctx.Err()
		case <-time.After(25 * time.Millisecond):
		}
	}
}

// See waits until the page, or the part of it that a selector names, says a text.
func (p *Page) See(selector, text string) error {
	return p.Wait(
		fmt.Sprintf(
			"[...document.querySelectorAll(%s)].some(e => e.innerText.replace(/\\s+/g, ' ').includes(%s))",
			quote(selector),
			quote(text),
		),
	)
}

// Gone waits until nothing that a selector names says a text any longer.
func (p *Page) Gone(selector, text string) error {
	return p.Wait(
		fmt.Sprintf(
			"![...document.querySelectorAll(%s)].some(e => e.innerText.replace(/\\s+/g, ' ').includes(%s))",
			quote(selector),
			quote(text),
		),
	)
}

func quote(s string) string {
	data, _ := json.Marshal(s)
	return string(data)
}

// find is an expression for the first visible element that a selector names and that says a text; none behind a board.
func find(selector, text string) string {
	return fmt.Sprintf(
		"[...document.querySelectorAll(%s)].find(e => !e.disabled && e.getClientRects().length && "+
			"!e.closest('[data-aria-hidden=true]') && (e.innerText + ' ' + (e.getAttribute('aria-label') ?? "+
			"'')).replace(/\\s+/g, ' ').includes(%s))",
		quote(selector),
		quote(text),
	)
}

// place gives the middle of an element, in the window, once it stands still and nothing lies over it: a menu, say, is
// out of the window until it has its place. What is drawn anew between two looks is looked for again.
func (p *Page) place(selector, text string) (x, y float64, err error) {
	e := find(selector, text)
	at := "(async () => { const e = " + e + "; if (!e) return null; e.scrollIntoView({block: 'nearest'}); " +
		"const at = () => { const r = e.getBoundingClientRect(); " +
		"return [r.x + Math.min(r.width / 2, 60), r.y + r.height / 2] }; const was = at(); " +
		"await new Promise(requestAnimationFrame); " +
		"const hit = document.elementFromPoint(...was); " +
		"const meets = hit && hit !== document.documentElement && (e.contains(hit) || hit.contains(e)); " +
		"return meets && e.isConnected && String(at()) === String(was) ? was : null })()"
	for deadline := time.Now().Add(patience); time.Now().Before(deadline); {
		if err := p.Wait(e); err != nil {
			return 0, 0, err
		}
		if found, err := EvalAsync[[]float64](p, at); err != nil || len(found) == 2 {
			if err != nil {
				return 0, 0, err
			}
			return found[0], found[1], nil
		}
	}
	return 0, 0, fmt.Errorf("%s with %q never stands still, or something lies over it", selector, text)
}

// Click clicks on the first thing that a selector names and that says a text, once it is there.
func (p *Page) Click(selector, text string, options ...chromedp.MouseOption) error {
	x, y, err := p.place(selector, text)
	if err != nil {
		return err
	}
	return p.do(chromedp.MouseClickXY(x, y, options...))
}

// Hover moves the mouse onto a thing.
func (p *Page) Hover(selector, text string) error {
	x, y, err := p.place(selector, text)
	if err != nil {
		return err
	}
	return p.do(chromedp.MouseEvent("mouseMoved", x, y))
}

// Type puts a text into the field with a label.
func (p *Page) Type(label, text string) error {
	// Of several, the one on top that is called exactly so.
	e := fmt.Sprintf(
		`(() => { const name = e => (e.getAttribute('aria-label') ?? e.labels?.[0]?.innerText ?? '').replace(/ \\*$/, '').trim();
		const all = [...document.querySelectorAll('input, textarea')].filter(e => e.getClientRects().length && name(e).includes(%[1]s));
		const top = [...document.querySelectorAll('[role=dialog]')].at(-1);
		const rank = e => (top?.contains(e) ? 0 : 2) + (name(e) === %[1]s ? 0 : 1);
		return all.sort((a, b) => rank(a) - rank(b))[0] })()`,
		quote(label),
	)
	if err := p.Wait(e); err != nil {
		return err
	}
	if _, err := Eval[bool](p, "(() => { const e = "+e+"; e.focus(); e.select?.(); return true })()"); err != nil {
		return err
	}
	return p.do(strokes(text))
}

// Pick finds a thing by its name in the field with a label, and takes it.
func (p *Page) Pick(label, name string) error {
	return Steps(
		func() error { return p.Type(label, name) },
		func() error { return p.Wait("document.querySelector('[role=combobox][aria-expanded=true]')") },
		// what is found moves no more
		func() error { return p.Wait("document.querySelector('[role=listbox]:not([aria-busy=true])')") },
		func() error { return p.Click("[role=listbox] [role=option]", name) },
	)
}

// Upload hands a file to the place for files of a label.
func (p *Page) Upload(label, file string) error {
	selector := "input[type=file][aria-label=" + strconv.Quote(label) + "]"
	if err := p.Wait("document.querySelector(" + strconv.Quote(selector) + ")"); err != nil {
		return err
	}
	whole, err := filepath.Abs(file) // the browser has a folder of its own
	if err != nil {
		return err
	}
	return p.do(chromedp.SetUploadFiles(chromedp.CSS(selector), []string{whole}))
}

// Choose chooses an option of the list with a label, be it the browser's own or, of many options, the house's.
func (p *Page) Choose(label, option string) error {
	e := fmt.Sprintf(
		"[...document.querySelectorAll('select, button[role=combobox]')].find(e => e.getClientRects().length && "+
			"!e.closest('[data-aria-hidden=true]') && (e.getAttribute('aria-label') ?? e.labels?.[0]?.innerText ?? '').includes(%s) && "+
			"(!e.options || [...e.options].some(o => o.text.trim() === %s)))",
		quote(label),
		quote(option),
	)
	if err := p.Wait(e); err != nil {
		return err
	}
	many, err := Eval[bool](
		p,
		fmt.Sprintf(`(() => { const e = %s; if (!e.options) { e.click(); return true }
		const v = [...e.options].find(o => o.text.trim() === %s).value;
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(e, v);
		e.dispatchEvent(new Event('change', {bubbles: true})); return false })()`, e, quote(option)),
	)
	if err != nil || !many {
		return err
	}
	offer := "[...document.querySelectorAll('[role=listbox] [role=option]')].find(o => o.innerText.trim() === " +
		quote(option) + ")"
	if err := p.Wait(offer); err != nil {
		return err
	}
	_, err = Eval[bool](p, "("+offer+".click(), true)")
	return err
}

// SetDate puts a day into the place for days with a label.
func (p *Page) SetDate(label string, day time.Time) error {
	e := fmt.Sprintf(
		"[...document.querySelectorAll('input[data-day]')].find(e => (e.getAttribute('aria-label') ?? "+
			"e.labels?.[0]?.innerText ?? '').includes(%s))",
		quote(label),
	)
	if err := p.Wait(e); err != nil {
		return err
	}
	_, err := Eval[bool](p, fmt.Sprintf(`(() => { const e = %s;
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(e, %s);
		e.dispatchEvent(new Event('input', {bubbles: true})); return true })()`, e, quote(day.Format(time.DateOnly))))
	return err
}

// The keys that have no letter.
const (
	Enter = kb.Enter
	Down  = kb.ArrowDown
	Up    = kb.ArrowUp
	Left  = kb.ArrowLeft
	Right = kb.ArrowRight
	Home  = kb.Home
	End   = kb.End
	Esc   = kb.Escape
	F6    = kb.F6
)

// strokes types keys as a keyboard does: what a key types goes with the stroke itself, so a page that takes the key
// for something else keeps it from being typed.
func strokes(keys string) chromedp.Action[chromedp.Void] {
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		for _, r := range keys {
			events := kb.Encode(r)
			if len(events) == 3 {
				events[0].Text, events[0].UnmodifiedText = events[1].Text, events[1].UnmodifiedText
				events = []*input.DispatchKeyEventParams{events[0], events[2]}
			}
			for _, e := range events {
				if _, err := cdp.Call(ctx, t, input.DispatchKeyEvent, *e); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// Authenticator plugs a made-up authenticator into the browser, which makes passkeys and shows them without being
// asked.
func (p *Page) Authenticator() error {
	return p.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		if _, err := cdp.Call(ctx, t, webauthn.Enable, webauthn.EnableParams{}); err != nil {
			return err
		}
		_, err := cdp.Call(ctx, t, webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{
			Options: &webauthn.VirtualAuthenticatorOptions{
				Protocol:                    webauthn.AuthenticatorProtocolCtap2,
				Transport:                   webauthn.AuthenticatorTransportInternal,
				HasResidentKey:              true,
				HasUserVerification:         true,
				IsUserVerified:              true,
				AutomaticPresenceSimulation: true,
			},
		})
		return err
	}))
}

// Press presses keys, one after the other.
func (p *Page) Press(keys ...string) error {
	for _, k := range keys {
		if err := p.do(strokes(k)); err != nil {
			return err
		}
	}
	return nil
}

// PressAlt presses a key with Alt.
func (p *Page) PressAlt(key string) error {
	return p.do(chromedp.KeyEvent(key, chromedp.KeyModifiers(chromedp.ModifierAlt)))
}

// PressShift presses a key with Shift.
func (p *Page) PressShift(key string) error {
	return p.do(chromedp.KeyEvent(key, chromedp.KeyModifiers(chromedp.ModifierShift)))
}

// PressControl presses a letter with the Control key.
func (p *Page) PressControl(key string) error {
	return p.do(chromedp.KeyEvent(key, chromedp.KeyModifiers(chromedp.ModifierCtrl)))
}

// Drag draws with the mouse from one thing to another.
func (p *Page) Drag(fromSelector, from, toSelector, to string) error {
	x1, y1, err := p.place(fromSelector, from)
	if err != nil {
		return err
	}
	x2, y2, err := p.place(toSelector, to)
	if err != nil {
		return err
	}
	steps := []chromedp.Action[chromedp.Void]{
		chromedp.MouseEvent("mouseMoved", x1, y1),
		chromedp.MouseEvent("mousePressed", x1, y1, chromedp.ButtonLeft, chromedp.ClickCount(1)),
	}
	for i := 1; i <= 8; i++ {
		f := float64(i) / 8
		steps = append(steps, chromedp.MouseEvent("mouseMoved", x1+(x2-x1)*f, y1+(y2-y1)*f, chromedp.ButtonLeft))
	}
	return p.do(
		append(steps, chromedp.MouseEvent("mouseReleased", x2, y2, chromedp.ButtonLeft, chromedp.ClickCount(1)))...)
}

// Steps takes steps one after the other, until one fails.
func Steps(steps ...func() error) error {
	for _, step := range steps {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

// Settled waits until nothing on the page is on its way any longer.
func (p *Page) Settled() error {
	return p.Wait(
		"document.getElementById('root')?.childElementCount > 0 && !document.querySelector('.animate-pulse, [data-waiting]')",
	)
}

// SignIn goes through the sign-in page.
func (p *Page) SignIn(userName, password string) error {
	if err := p.Open("/"); err != nil {
		return err
	}
	if err := p.Type("User name", userName); err != nil {
		return err
	}
	if err := p.Type("Password", password); err != nil {
		return err
	}
	if err := p.Click("button", "Sign in"); err != nil {
		return err
	}
	return p.Wait("document.querySelector('header nav')")
}

// SignOut signs out by the menu.
func (p *Page) SignOut() error {
	if err := p.Click("header button", "▾"); err != nil {
		return err
	}
	if err := p.Click("[role=menuitem]", "Sign out"); err != nil {
		return err
	}
	return p.See("button", "Sign in")
}

// Shot writes a picture of the window.
func (p *Page) Shot(file string) error {
	if err := p.Wait("document.fonts.status === 'loaded'"); err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(file, png, 0o644)
}
