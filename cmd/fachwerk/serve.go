package main

import (
	"context"
	"errors"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"os/signal"
	"runtime"
	"runtime/debug"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"fachwerk/internal/demo"
	"fachwerk/internal/desk"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/server"
	"fachwerk/web"
)

func serveCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "serve --db FILE",
		Short: "Serve the web application and all APIs",
		Args:  usageArgs(cobra.NoArgs),
	}
	db := dbFlag(c)
	addr := c.Flags().String("addr", "127.0.0.1:8080", "the address to listen on")
	outside := c.Flags().
		String("url", "", "the address as seen from outside, such as https://fachwerk.example; that of --addr if absent")
	proxies := c.Flags().
		StringSlice("trusted-proxies", nil, "addresses or networks (CIDR) whose X-Forwarded-For is believed")
	issuer := c.Flags().
		String("oidc-issuer", "", "an identity provider by which people sign in too (OpenID Connect); its secret is in "+
			"FACHWERK_OIDC_CLIENT_SECRET, or in the file that FACHWERK_OIDC_CLIENT_SECRET_FILE names")
	client := c.Flags().String("oidc-client-id", "", "what the identity provider knows Fachwerk as")
	provider := c.Flags().String("oidc-name", "", "what the identity provider is called on the sign-in page")
	onlyOwners := c.Flags().
		Bool("passwords-for-owners-only", false, "with an identity provider: nobody but owners signs in by password")
	newcomers := c.Flags().
		String("newcomers", "", "with an identity provider: the id of a group into which it may bring people whom nobody "+
			"has added")
	second := c.Flags().Bool("second-factor", false, "demand a second factor of whoever holds rights in Fachwerk")
	withDemo := c.Flags().Bool("demo", false, "fill an empty database with the demo organisation")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := require(cmd, "db"); err != nil {
			return err
		}
		trusted, err := prefixes(*proxies)
		if err != nil {
			return err
		}
		seen := inner.Outside{URL: strings.TrimRight(*outside, "/"), Proxies: trusted}
		if u, err := url.Parse(seen.URL); seen.URL != "" &&
			(err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || u.Path != "") {
			return usageError{fmt.Errorf("--url: expected an address like https://fachwerk.example, not %q", *outside)}
		}
		settings := account.Settings{SecondFactor: *second, Provider: account.Provider{
			Issuer: *issuer, ClientID: *client, Name: *provider, OnlyOwners: *onlyOwners, Newcomers: *newcomers,
		}}
		if settings.Provider.Issuer != "" {
			if settings.Provider.ClientID == "" {
				return usageError{errors.New("--oidc-issuer needs --oidc-client-id")}
			}
			if settings.Provider.ClientSecret, err = secretOf("FACHWERK_OIDC_CLIENT_SECRET"); err != nil {
				return err
			}
		}
		return serve(*db, *addr, *withDemo, seen, settings)
	}
	return c
}

// prefixes reads addresses and networks.
func prefixes(list []string) (out []netip.Prefix, err error) {
	for _, text := range list {
		p, err := netip.ParsePrefix(text)
		if err != nil {
			at, err := netip.ParseAddr(text)
			if err != nil {
				return nil, usageError{
					fmt.Errorf("--trusted-proxies: expected an address or a network like 10.0.0.0/8, not %q", text),
				}
			}
			p = netip.PrefixFrom(at, at.BitLen())
		}
		out = append(out, p)
	}
	return out, nil
}

// secretOf gives a secret that is named by an environment variable, or lies in the file that NAME_FILE names. Secrets
// are never given by flag: whoever lists the processes would read them.
func secretOf(name string) (string, error) {
	if file := os.Getenv(name + "_FILE"); file != "" {
		data, err := os.ReadFile(file)
		return strings.TrimSpace(string(data)), err
	}
	return os.Getenv(name), nil
}

func serve(db, addr string, withDemo bool, outside inner.Outside, settings account.Settings) error {
	slog.SetLogLoggerLevel(slog.LevelInfo)
	opened := boundMemory()
	d, s, err := openDesk(db, false)
	if err != nil {
		return err
	}
	defer s.Close()
	if withDemo && !d.Empty() {
		renewed, err := demo.Renew(s)
		if err != nil {
			return err
		}
		if renewed {
			if d, err = rooms.Open(s, time.Now); err != nil {
				return err
			}
		}
	}
	if withDemo && d.Empty() {
		if err := demo.Fill(s, time.Now()); err != nil {
			return err
		}
		if d, err = rooms.Open(s, time.Now); err != nil {
			return err
		}
	}
	opened()
	listener, err := net.Listen("tcp", addr)
	if err != nil {
		return err
	}
	if outside.URL == "" {
		outside.URL = "http://" + listener.Addr().String()
	}
	settings.Outside = outside.URL
	d.Set(settings)
	handler, _ := server.New(d, s, web.Files(), outside)
	srv := &http.Server{
		Handler:           handler,
		ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout:       5 * time.Minute, // of a large file over a slow line
		MaxHeaderBytes:    64 << 10,
		IdleTimeout:       2 * time.Minute,
		ErrorLog:          slog.NewLogLogger(slog.Default().Handler(), slog.LevelWarn),
	}
	srv.RegisterOnShutdown(d.Close)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	go follow(ctx, d)
	go remind(ctx, d)
	go warm(ctx, d)
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(listener) }()
	fmt.Printf("Fachwerk is ready at http://%s\n", listener.Addr())
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	grace, cancel := context.WithTimeout(context.Background(), shutdownGrace)
	defer cancel()
	err = srv.Shutdown(grace)
	if errors.Is(err, context.DeadlineExceeded) { // whoever still sends or reads was acknowledged nothing
		err = srv.Close()
	}
	return errors.Join(err, s.Close())
}

// shutdownGrace is how long requests have to end when the server is to: service managers kill after a while.
const shutdownGrace = 4 * time.Second

// enough is how much memory the server may take, in bytes, before its garbage is collected more often than it would
// be otherwise.
const enough = 5 << 29 // 2.5 GiB

// boundMemory keeps garbage from piling up beside a large design, unless whoever runs the server has set bounds by
// GOMEMLIMIT. What it gives is to be called once the design is in memory: then it is known how much must be had.
func boundMemory() (opened func()) {
	if os.Getenv("GOMEMLIMIT") != "" {
		return func() {}
	}
	debug.SetMemoryLimit(enough)
	return func() {
		var m runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&m)
		debug.SetMemoryLimit(max(enough, int64(m.HeapAlloc)*7/5))
		debug.FreeOSMemory() // what reading the design took
	}
}

// follow takes in what other commands apply to the same database while the server runs.
func follow(ctx context.Context, d *rooms.Desk) {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := desk.Guarded(d.Follow); err != nil {
				slog.Error("cannot read the database", "error", err)
			}
		}
	}
}

// calm is how long no revision must have come before something is counted ahead.
const calm = time.Second

// warm counts ahead, whenever no revision has come for a while, what the first question would wait for.
func warm(ctx context.Context, d *rooms.Desk) {
	for first := true; ; {
		moved := d.Moved.Wait()
		select {
		case <-ctx.Done():
			return
		case <-moved:
			continue
		case <-time.After(calm):
		}
		if err := desk.Guarded(func() error { d.Warm(ctx, first); return nil }); err != nil {
			slog.Error("cannot count ahead", "error", err)
		}
		first = false
		select {
		case <-ctx.Done():
			return
		case <-moved:
		}
	}
}

// remind puts the reminders that are due into the outbox.
func remind(ctx context.Context, d *rooms.Desk) {
	tick := time.NewTicker(10 * time.Minute)
	defer tick.Stop()
	for {
		if err := desk.Guarded(d.RemindDue); err != nil {
			slog.Error("cannot remind", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}
