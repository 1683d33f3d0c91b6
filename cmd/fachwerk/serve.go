package main

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"sync"
	"syscall"
	"time"

	"github.com/coreos/go-systemd/v22/activation"
	"github.com/coreos/go-systemd/v22/daemon"
	"github.com/spf13/cobra"

	"fachwerk/internal/demo"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/door/copies"
	"fachwerk/internal/door/server"
	"fachwerk/internal/store"
	"fachwerk/web"
)

func serveCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "serve --db FILE",
		Short: "Serve the web application and all APIs",
		Long: "Serves the web application and all APIs. Every option but --config and --show-config can also be given by " +
			"the environment, as FACHWERK_ and its name in capitals with _ for -, or in the TOML file that --config names: " +
			"a flag counts before the environment, and that before the file.",
		Args: usageArgs(cobra.NoArgs),
	}
	defineSettings(c.Flags())
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		s, err := readSettings(cmd.Flags(), os.Environ())
		if err != nil {
			return err
		}
		if show, _ := cmd.Flags().GetBool("show-config"); show {
			return s.show(cmd.Flags(), cmd.OutOrStdout())
		}
		if s.DB == "" && s.Follow == "" {
			return usageError{errors.New("serve needs --db, or --follow")}
		}
		return serve(s)
	}
	return c
}

// filled opens a desk; with demo, an empty database is filled with the demo organisation first.
func filled(file string, withDemo bool) (*rooms.Desk, *store.Store, error) {
	d, s, err := openDesk(file, false)
	if err != nil || !withDemo {
		return d, s, err
	}
	tokens, err := s.AllTokens()
	renewed := false
	switch {
	case err != nil:
	case d.Empty() && len(tokens) == 0:
		if err := errors.Join(s.Close(), fill(file)); err != nil {
			return nil, nil, err
		}
		return openDesk(file, true)
	case d.Empty(): // it holds something after all, which stays
		renewed, err = true, demo.Fill(s, time.Now())
	default:
		renewed, err = demo.Renew(s)
	}
	if err == nil && renewed {
		d, err = rooms.Open(s, time.Now)
	}
	if err != nil {
		return nil, nil, errors.Join(err, s.Close())
	}
	return d, s, nil
}

// kept is the database of a server, and what goes with it.
type kept struct {
	*store.Store
	close func() error
}

// Close closes the database, and gives back what goes with it.
func (k *kept) Close() error { return errors.Join(k.Store.Close(), k.close()) }

// open opens the database that is served, with its lease; of a copy, one that holds nothing and goes with it.
func (s *settings) open() (*rooms.Desk, *kept, error) {
	file := s.DB
	var done func() error
	renew := func() error { return nil }
	if s.Follow != "" {
		folder, err := os.MkdirTemp("", "fachwerk-copy")
		if err != nil {
			return nil, nil, err
		}
		file, done = filepath.Join(folder, "copy.db"), func() error { return os.RemoveAll(folder) }
	} else {
		if beside := store.Served(s.DB); beside != "" && !s.Demo {
			return nil, nil, fmt.Errorf("there is no database %s, though there was one (%s lies there): put a backup in place by "+
				"fachwerk restore, or move away what lies beside it to begin with nothing", s.DB, beside)
		}
		lease, err := store.TakeLease(s.DB)
		if err != nil {
			return nil, nil, err
		}
		done, renew = lease.Release, func() error { return lease.Renew(s.DB) }
	}
	d, opened, err := filled(file, s.Demo)
	if err != nil {
		return nil, nil, errors.Join(err, done())
	}
	if err := renew(); err != nil {
		return nil, nil, errors.Join(err, opened.Close(), done())
	}
	return d, &kept{opened, sync.OnceValue(done)}, nil
}

// fill puts the demo organisation in place of an empty database. It is made beside it, and moved there once it is
// whole: a start that is broken off leaves no half of it.
func fill(file string) error {
	beside := file + ".filling"
	if err := store.Remove(beside); err != nil {
		return err
	}
	s, err := store.Open(beside, false)
	if err != nil {
		return err
	}
	if err := errors.Join(demo.Fill(s, time.Now()), s.Close()); err != nil {
		return err
	}
	return store.PutAt(beside, file)
}

func serve(set *settings) error {
	slog.SetDefault(set.log(os.Stderr))
	server.ShareProcessors()
	// The socket first: a request that comes while the design is read waits for it, and is not refused.
	listener, err := listen(set.Addr)
	if err != nil {
		return err
	}
	defer listener.Close()
	d, s, err := set.open()
	if err != nil {
		return err
	}
	defer s.Close()
	runtime.GC()
	makeRoom(7, 5)
	debug.FreeOSMemory() // what reading the design took
	outside := set.outside(listener.Addr().String())
	d.Outside = outside.URL
	d.Set(set.accounts())
	if !set.Demo {
		d.CloseHouse()
	}
	d.Limits = set.thresholds()
	d.SetZone(set.zone)
	var doors *server.Server
	var follows *copies.Copy
	if set.Follow == "" {
		doors = server.New(d, s.Store, web.Files(), outside)
	} else {
		follows = &copies.Copy{First: set.Follow, Token: set.secrets["follow-token"], Desk: d}
		doors = server.NewCopy(d, s.Store, web.Files(), outside, follows)
	}
	srv := hardened(doors)
	srv.RegisterOnShutdown(d.Close)
	if set.TLSCert != "" {
		certificate := &keyPair{certFile: set.TLSCert, keyFile: set.TLSKey}
		if _, err := certificate.get(nil); err != nil {
			return err
		}
		srv.TLSConfig = &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: certificate.get}
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	failed := make(chan error, 2)
	if set.MetricsAddr != "" {
		closeMeasures, err := serveMeasures(set.MetricsAddr, doors.Watch.Handler(), failed)
		if err != nil {
			return err
		}
		defer closeMeasures()
	}
	ready := func() {
		fmt.Printf("Fachwerk is ready at %s\n", outside.URL)
		_, _ = daemon.SdNotify(false, daemon.SdNotifyReady) // where a service manager waits for it
	}
	if follows == nil {
		prove(ctx, d, s.Store, set.DB, doors.Watch.Proven)
		go follow(ctx, d)
		go remind(ctx, d)
		go keepUses(ctx, d)
		go keepSnapshot(ctx, d)
		go countFindings(ctx, d)
		go forget(ctx, s.Store, set.retention())
		if set.sender != nil {
			p := set.postman(d)
			p.Told = doors.Watch.Letter
			slog.Info("letters are sent", "server", set.sender.Address())
			go p.Run(ctx)
		}
	}
	go warm(ctx, d)
	go func() {
		if srv.TLSConfig != nil {
			failed <- srv.ServeTLS(listener, "", "")
			return
		}
		failed <- srv.Serve(listener)
	}()
	if follows == nil {
		ready()
	} else {
		go follows.Follow(ctx, ready)
	}
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	_, _ = daemon.SdNotify(false, daemon.SdNotifyStopping)
	grace, cancel := context.WithTimeout(context.Background(), shutdownGrace)
	defer cancel()
	err = srv.Shutdown(grace)
	if errors.Is(err, context.DeadlineExceeded) { // whoever still sends or reads was acknowledged nothing
		err = srv.Close()
	}
	doors.API.Close(grace)
	d.Wait()
	if follows == nil {
		err = errors.Join(err, desk.Guarded(d.KeepUses))
	}
	return errors.Join(err, s.Close())
}

// listen gives the socket that a service manager has passed on (systemd.socket(5)), which outlives the server, or else
// opens one.
func listen(addr string) (net.Listener, error) {
	passed, err := activation.Listeners()
	if err != nil {
		return nil, err
	}
	switch len(passed) {
	case 0:
		return net.Listen("tcp", addr)
	case 1:
		return passed[0], nil
	}
	return nil, fmt.Errorf("one socket is to be passed on, not %d", len(passed))
}

// hardened makes a server that no slow client holds up.
func hardened(h http.Handler) *http.Server {
	return &http.Server{
		Handler:           h,
		ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout:       5 * time.Minute, // of a large file over a slow line
		MaxHeaderBytes:    64 << 10,
		IdleTimeout:       2 * time.Minute,
		ErrorLog:          slog.NewLogLogger(slog.Default().Handler(), slog.LevelDebug), // what clients do to connections
	}
}

// serveMeasures answers /metrics on an address of its own, until it is closed.
func serveMeasures(addr string, measures http.Handler, failed chan<- error) (closeIt func() error, err error) {
	listener, err := net.Listen("tcp", addr)
	if err != nil {
		return nil, err
	}
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", measures)
	srv := hardened(mux)
	srv.WriteTimeout = time.Minute
	go func() {
		if err := srv.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
			failed <- err
		}
	}()
	slog.Info("measures are served", "address", listener.Addr().String())
	return srv.Close, nil
}

// shutdownGrace is how long requests have to end when the server is to: service managers kill after a while.
const shutdownGrace = 4 * time.Second

// follow takes in what other commands apply to the same database while the server runs, and tells when the clock jumps.
func follow(ctx context.Context, d *rooms.Desk) {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	last := time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			now := time.Now()
			if by := jumped(last, now); by != 0 {
				d.Happened(
					desk.Event{What: desk.EventClock, Text: fmt.Sprintf("The clock jumped by %s. What is valid, due or past is "+
						"told by it.", by)},
				)
			}
			last = now
			d.CountLeftOut()
			if err := desk.Guarded(d.Follow); err != nil {
				slog.Error("cannot read the database", "error", err)
			}
		}
	}
}

// jumped is by how much the clock was set between two readings of it, beyond the time that passed; 0 if that is little.
func jumped(last, now time.Time) time.Duration {
	if by := now.Round(0).Sub(last.Round(0)) - now.Sub(last); by.Abs() > 2*time.Second {
		return by.Round(time.Second)
	}
	return 0
}

// soon is how large a database may be, in bytes, to be proven before anybody is served.
const soon = 32 << 20

// prove proves the pages and chains of the database, and that the design is the one that the record leads to, and tells
// in the log what is wrong and what can be done. Of a design that was altered beside the record, what the record says
// is served, and nothing is changed. A large database is proven while it is served; until its design is, nothing is
// changed either.
func prove(ctx context.Context, d *rooms.Desk, s *store.Store, file string, proven func(sound bool)) {
	look := func() {
		err := desk.Guarded(func() error {
			err := s.Within(ctx).Present()
			if altered := (*store.ErrAltered)(nil); errors.As(err, &altered) {
				d.Distrust(altered)
				return err
			}
			d.Hold("")
			if err != nil {
				return err
			}
			if err := s.Within(ctx).Whole(); err != nil {
				return err
			}
			_, err = s.Within(ctx).Verify("")
			if unsealed := (*store.ErrUnsealed)(nil); errors.As(err, &unsealed) {
				d.Hold("What lets people in, or what was decided, was altered beside Fachwerk, so nothing is changed until whoever " +
					"runs it has decided what stands (fachwerk verify, fachwerk mend).")
			}
			return err
		})
		switch {
		case err == nil:
			proven(true)
			slog.Info("the database is sound", "file", file)
		case ctx.Err() == nil:
			proven(false)
			remedy := "keep it, find out by fachwerk verify and the backups since when, and put a sound one in place by fachwerk restore"
			if altered := (*store.ErrAltered)(nil); errors.As(err, &altered) {
				remedy = "what the record says is served, for reading only"
			}
			slog.Error("the database is not sound: "+remedy, "file", file, "error", err)
		}
	}
	if info, err := os.Stat(file); err == nil && info.Size() <= soon {
		look()
		return
	}
	d.Hold("The design is being compared with the record, as after each start: changes are taken in a moment.")
	go look()
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

// forget deletes what has been kept for long enough, once a day.
func forget(ctx context.Context, s *store.Store, r store.Retention) {
	tick := time.NewTicker(24 * time.Hour)
	defer tick.Stop()
	for {
		if err := desk.Guarded(func() error { return s.Forget(r, time.Now()) }); err != nil {
			slog.Error("cannot delete what has been kept for long enough", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// keepUses keeps the uses that decisions have noted, once a minute, and takes in those that another process has kept.
func keepUses(ctx context.Context, d *rooms.Desk) {
	eachMinute(ctx, func() time.Duration {
		if err := desk.Guarded(d.KeepUses); err != nil {
			slog.Error("cannot keep when people last used something; it is tried again", "error", err)
		}
		return time.Minute
	})
}

// keepSnapshot keeps a snapshot of a large design, so that the next start is quick; it looks once a minute whether one
// is due.
func keepSnapshot(ctx context.Context, d *rooms.Desk) {
	eachMinute(ctx, func() time.Duration {
		if err := desk.Guarded(func() error { return d.KeepSnapshot(ctx) }); err != nil {
			slog.Warn("no snapshot of the design can be kept beside the database; it is tried again in an hour", "error", err)
			return time.Hour
		}
		return time.Minute
	})
}

// countFindings counts once an hour what was loose at the ends of weeks that are over and not counted yet.
func countFindings(ctx context.Context, d *rooms.Desk) {
	eachMinute(ctx, func() time.Duration {
		if err := desk.Guarded(d.CountFindings); err != nil {
			slog.Error("cannot count the findings of weeks past; it is tried again in an hour", "error", err)
		}
		return time.Hour
	})
}

// eachMinute calls do after a minute, and again each time after as long as it says.
func eachMinute(ctx context.Context, do func() (again time.Duration)) {
	for wait := time.Minute; ; wait = do() {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
	}
}

// remind does what is due by itself, once a minute: rounds of series, reminders, endings.
func remind(ctx context.Context, d *rooms.Desk) {
	tick := time.NewTicker(time.Minute)
	defer tick.Stop()
	for {
		if err := desk.Guarded(d.SeriesDue); err != nil {
			slog.Error("cannot do what series of reviews are due to do", "error", err)
		}
		letters := func() error { return errors.Join(d.RemindDue(), d.TasksDue(), d.AbsencesDue()) }
		if err := desk.Guarded(letters); err != nil {
			slog.Error("cannot remind", "error", err)
		}
		if err := desk.Guarded(d.FindingsDue); err != nil {
			slog.Error("cannot write to owners about findings", "error", err)
		}
		if err := desk.Guarded(d.DropAdopted); err != nil {
			slog.Error("cannot look which kept catalogues were adopted", "error", err)
		}
		if err := desk.Guarded(d.EndDue); err != nil {
			slog.Error("cannot end what is due", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}
