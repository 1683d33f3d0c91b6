package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"fachwerk/internal/demo"
	"fachwerk/internal/desk"
	"fachwerk/internal/door/server"
	"fachwerk/web"
)

func serveCommand() *cobra.Command {
	c := &cobra.Command{Use: "serve --db FILE", Short: "Serve the web application and all APIs", Args: usageArgs(cobra.NoArgs)}
	db := dbFlag(c)
	addr := c.Flags().String("addr", "127.0.0.1:8080", "the address to listen on")
	withDemo := c.Flags().Bool("demo", false, "fill an empty database with the demo organisation")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := require(cmd, "db"); err != nil {
			return err
		}
		return serve(*db, *addr, *withDemo)
	}
	return c
}

func serve(db, addr string, withDemo bool) error {
	d, s, err := openDesk(db, false)
	if err != nil {
		return err
	}
	defer s.Close()
	if withDemo && d.Empty() {
		if err := demo.Fill(s, time.Now()); err != nil {
			return err
		}
		if d, err = desk.Open(s, time.Now); err != nil {
			return err
		}
	}
	listener, err := net.Listen("tcp", addr)
	if err != nil {
		return err
	}
	handler, _ := server.New(d, s, web.Files())
	srv := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, ErrorLog: slog.NewLogLogger(slog.Default().Handler(), slog.LevelWarn)}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	go follow(ctx, d)
	go remind(ctx, d)
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(listener) }()
	fmt.Printf("Fachwerk is ready at http://%s\n", listener.Addr())
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	grace, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	return errors.Join(srv.Shutdown(grace), s.Close())
}

// follow takes in what other commands apply to the same database while the server runs.
func follow(ctx context.Context, d *desk.Desk) {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := d.Follow(); err != nil {
				slog.Error("cannot read the database", "error", err)
			}
		}
	}
}

// remind puts the reminders that are due into the outbox.
func remind(ctx context.Context, d *desk.Desk) {
	tick := time.NewTicker(10 * time.Minute)
	defer tick.Stop()
	for {
		if err := d.RemindDue(); err != nil {
			slog.Error("cannot remind", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}
