package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"time"

	"eskadel/check"
	"eskadel/config"
	"eskadel/core/period"
	"eskadel/deliver"
	"eskadel/deliver/chat"
	"eskadel/live"
	"eskadel/mail"
	"eskadel/observe"
	"eskadel/source/grammar"
	"eskadel/store"
	"eskadel/uploads"
	"eskadel/web"
	"eskadel/web/gate"
	"eskadel/workspace"
)

func serve(ctx context.Context, args []string) error {
	flags, file := flagsOf("serve")
	listen := flags.String("listen", "", "address to listen on; ESKADEL_LISTEN when left out")
	zone := flags.String("zone", "", "the workspace's IANA time zone; ESKADEL_ZONE when left out")
	if err := flags.Parse(args); err != nil {
		return err
	}
	observe.Log(os.Stderr)
	c, s, err := opened(ctx, *file)
	if err != nil {
		return err
	}
	defer s.Close()
	if *zone != "" {
		if c.Zone, err = time.LoadLocation(*zone); err != nil {
			return fmt.Errorf("use the zone %s: %w", *zone, err)
		}
	}
	// What runs behind the requests ends after them.
	behind, end := context.WithCancel(context.WithoutCancel(ctx))
	defer end()
	engine, err := engineOf(behind, s, c)
	if err != nil {
		return err
	}
	observe.SetSlow(c.SlowQuery)
	go func() {
		if err := grammar.Prepare(); err != nil {
			slog.Error("queries of builders cannot be read", "error", err)
		}
	}()
	files, err := openFiles(behind, c, s, engine)
	if err != nil {
		return err
	}
	around := workspace.Around{Files: files, Inside: c.FetchInside, Address: c.Address, Snapshots: c.Snapshots}
	if c.Mail != "" {
		if around.Mail, err = mail.New(c.Mail, c.MailFrom); err != nil {
			return fmt.Errorf("ESKADEL_MAIL: %w", err)
		}
	}
	w, err := workspace.Open(ctx, s, engine, around)
	if err != nil {
		return err
	}
	server, err := web.New(w)
	if err != nil {
		return err
	}
	server.PrintBy(c.Browser)
	if err := server.Behind(c.Proxies); err != nil {
		return err
	}
	if err := measure(ctx, c.Metrics); err != nil {
		return err
	}
	h := gate.Serve(server.Handler())
	h.Addr = cmp.Or(*listen, c.Listen)
	if err := invite(ctx, w, cmp.Or(c.Address, "http://"+h.Addr)); err != nil {
		return err
	}
	stopped := make(chan error, 1)
	go func() {
		<-ctx.Done()
		slog.Info("stopping: requests are let end, pages go on elsewhere")
		server.Stop()
		within, cancel := context.WithTimeout(context.Background(), c.StopWithin)
		defer cancel()
		err := h.Shutdown(within)
		if errors.Is(err, context.DeadlineExceeded) {
			err = h.Close()
		}
		stopped <- err
	}()
	go web.Tidy(ctx)
	go s.Forgetting(ctx, c.Snapshots)
	delivered := make(chan struct{})
	go func() {
		defer close(delivered)
		(&deliver.Runner{Workspace: w, Mail: around.Mail, Chat: chat.New(c.FetchInside), Printer: server.Printer}).Run(ctx)
	}()
	slog.Info("serving", "address", h.Addr)
	if err := h.ListenAndServe(); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	<-delivered
	return <-stopped
}

// invite prints the code that lets the first person in, as long as there is nobody. It goes to standard
// output, not into the log.
func invite(ctx context.Context, w *workspace.Workspace, address string) error {
	code, err := w.FirstCode(ctx)
	if err == nil && code != "" {
		fmt.Printf("\nThere is nobody yet who could sign in. Open\n\n  %s/first\n\nand write this code there, which lets the first person in once:\n\n  %s\n\n", address, code)
	}
	return err
}

// measure serves the measurements on an address of their own, if there is one.
func measure(ctx context.Context, address string) error {
	if address == "" {
		return nil
	}
	l, err := net.Listen("tcp", address)
	if err != nil {
		return fmt.Errorf("ESKADEL_METRICS: %w", err)
	}
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", observe.Metrics())
	h := gate.Serve(mux)
	go func() {
		<-ctx.Done()
		_ = h.Close()
	}()
	go func() { _ = h.Serve(l) }()
	slog.Info("serving metrics", "address", l.Addr())
	return nil
}

// engineOf asks the sources of a store, as the settings say.
func engineOf(ctx context.Context, s *store.Store, c *config.Config) (*live.Engine, error) {
	engine, err := live.NewEngine(ctx, s, period.ISO(c.Zone))
	if err != nil {
		return nil, err
	}
	return engine, settle(engine, c)
}

// settle sets what the settings say of answers: how old they may be, and what they take for
// now.
func settle(e *live.Engine, c *config.Config) error {
	e.KeepFor(c.LongestAge)
	e.KeepBytes(c.CacheBytes)
	if c.Now != "" {
		return e.PinNow(c.Now)
	}
	return nil
}

// openFiles sets up files as a source, if there is a database for them.
func openFiles(ctx context.Context, c *config.Config, s *store.Store, e *live.Engine) (*uploads.Uploads, error) {
	if c.Files == "" {
		return nil, nil
	}
	u, err := url.Parse(c.FilesReader)
	if err != nil {
		return nil, err
	}
	return uploads.Open(ctx, uploads.Config{Database: c.Files, Reader: c.FilesReader, Role: u.User.Username(), Allowed: c.FetchInside}, s, e)
}

// runCheck proves the row rules of dashboards for some viewers.
func runCheck(ctx context.Context, args []string) error {
	if len(args) > 0 && args[0] == "documents" {
		return checkDocuments(ctx, args[1:])
	}
	if len(args) > 0 && args[0] == "proof" {
		return checkProof(ctx, args[1:])
	}
	if len(args) == 0 || args[0] != "rules" {
		return errors.New("write: eskadel check documents FOLDER, eskadel check proof FILE, or eskadel check rules [-scratch ADDRESS] FILE")
	}
	flags, file := flagsOf("check rules")
	scratch := flags.String("scratch", "", "address of a database whose tables may be made and dropped; ESKADEL_SCRATCH when left out")
	if err := flags.Parse(args[1:]); err != nil {
		return err
	}
	c, s, err := opened(ctx, *file)
	if err != nil {
		return err
	}
	defer s.Close()
	if flags.NArg() != 1 || cmp.Or(*scratch, c.Scratch) == "" {
		return errors.New("name the file that says what to check, and a scratch database with -scratch")
	}
	b, err := os.ReadFile(flags.Arg(0))
	if err != nil {
		return err
	}
	asked, err := check.ReadConfig(b)
	if err != nil {
		return fmt.Errorf("read %s: %w", flags.Arg(0), err)
	}
	engine, err := engineOf(ctx, s, c)
	if err != nil {
		return err
	}
	lines, err := (&check.Checker{Store: s, Engine: engine, Scratch: cmp.Or(*scratch, c.Scratch)}).Rules(ctx, asked)
	if err != nil {
		return err
	}
	if differ := check.Print(os.Stdout, lines); differ > 0 {
		return fmt.Errorf("%d of %d paths differ", differ, len(lines))
	}
	fmt.Printf("%d paths, all the same\n", len(lines))
	return nil
}
