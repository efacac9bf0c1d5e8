// Eskadel puts live dashboards inside an operational application. See README.md.
package main

import (
	"context"
	"encoding/hex"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"os/signal"
	"strings"
	"syscall"
	"time"

	"eskadel/check"
	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/demo"
	"eskadel/identity"
	"eskadel/live"
	"eskadel/localpg"
	"eskadel/source/grammar"
	"eskadel/store"
	"eskadel/uploads"
	"eskadel/web"
)

const usage = `eskadel serve      serve a workspace
eskadel migrate    bring Eskadel's own tables up to date
eskadel person     add a person, or change one: password, roles, attributes
eskadel hostapp    register a host app, make a key that signs its viewer passes, or end one
eskadel check      prove row rules: eskadel check rules FILE
eskadel demo       run the demonstration on loopback

All but the last read ESKADEL_DATABASE (the address of Eskadel's own database) and
ESKADEL_KEY (64 hexadecimal digits; seals the passwords of sources). docs/operations.md
says more. Every command has -help.
`

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if len(os.Args) < 2 {
		fmt.Fprint(os.Stderr, usage)
		os.Exit(2)
	}
	commands := map[string]func(context.Context, []string) error{"serve": serve, "migrate": migrate, "person": person, "hostapp": hostApp, "check": runCheck, "demo": runDemo}
	run, ok := commands[os.Args[1]]
	if !ok {
		fmt.Fprint(os.Stderr, usage)
		os.Exit(2)
	}
	if err := run(ctx, os.Args[2:]); err != nil && !errors.Is(err, context.Canceled) {
		fmt.Fprintln(os.Stderr, "eskadel:", err)
		os.Exit(1)
	}
}

func openStore(ctx context.Context) (*store.Store, error) {
	key, err := hex.DecodeString(os.Getenv("ESKADEL_KEY"))
	if err != nil || len(key) != 32 {
		return nil, errors.New("ESKADEL_KEY must hold 64 hexadecimal digits; “openssl rand -hex 32” makes them")
	}
	return store.Open(ctx, os.Getenv("ESKADEL_DATABASE"), key)
}

func migrate(ctx context.Context, _ []string) error {
	s, err := openStore(ctx)
	if err != nil {
		return err
	}
	return s.Close()
}

// person adds somebody, or changes what is given of somebody who is there: everything else
// of theirs stays.
func person(ctx context.Context, args []string) error {
	flags := flag.NewFlagSet("person", flag.ExitOnError)
	name, email := flags.String("name", "", "name"), flags.String("email", "", "e-mail address")
	builder := flags.Bool("builder", false, "may look after sources and datasets, and sees every row")
	var roles, attributes several
	flags.Var(&roles, "role", "a role that row rules speak of; may be given several times")
	flags.Var(&attributes, "attribute", "name=value, an attribute that row rules speak of; given again for the same name makes a list")
	if err := flags.Parse(args); err != nil {
		return err
	}
	given := map[string]bool{}
	flags.Visit(func(f *flag.Flag) { given[f.Name] = true })
	s, err := openStore(ctx)
	if err != nil {
		return err
	}
	defer s.Close()
	known, err := identity.Attributes(attributes)
	if err != nil {
		return err
	}
	change := identity.Change{Email: *email, Password: os.Getenv("ESKADEL_PASSWORD"), Attributes: known, Roles: roles}
	if given["name"] {
		change.Name = name
	}
	if given["builder"] {
		change.Builder = builder
	}
	done, err := identity.Apply(ctx, s, change)
	if err != nil {
		return err
	}
	fmt.Println(done)
	return s.Audit(ctx, "command line", done, change.Email)
}

// several collects a flag that may stand several times.
type several []string

func (o *several) String() string     { return fmt.Sprint(*o) }
func (o *several) Set(s string) error { *o = append(*o, s); return nil }

func hostApp(ctx context.Context, args []string) error {
	flags := flag.NewFlagSet("hostapp", flag.ExitOnError)
	name, title := flags.String("name", "", "name, as in the tag and in the pass"), flags.String("title", "", "title, for people")
	address := flags.String("address", "", "what comes before the path of a record: https://desk.example")
	key := flags.String("key", "", "name of the key (kid) to make")
	minutes := flags.Int("pass-minutes", identity.PassMinutes, "how long its viewer passes may be good for, 1 to 60")
	endKey := flags.String("end-key", "", "name of a key to end, with every viewer whose pass it signed; nothing else is done")
	var from several
	flags.Var(&from, "origin", "an origin whose pages may show dashboards; may be given several times")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if err := dataset.CheckName(*name); err != nil {
		return err
	}
	s, err := openStore(ctx)
	if err != nil {
		return err
	}
	defer s.Close()
	if *endKey != "" {
		return errors.Join(s.EndHostKey(ctx, *endKey), s.Audit(ctx, "command line", "ended the key "+*endKey, *name))
	}
	if *key == "" || len(from) == 0 {
		return errors.New("-key and at least one -origin are needed")
	}
	if *minutes < 1 || *minutes > 60 {
		return errors.New("-pass-minutes is from 1 to 60")
	}
	secret := identity.NewSecret()
	err = errors.Join(
		s.SaveHostApp(ctx, *name, *title, *address, from, *minutes),
		s.SaveHostKey(ctx, *key, *name, identity.Algorithm, secret),
		s.Audit(ctx, "command line", "registered the host app with key "+*key, *name),
	)
	if err != nil {
		return err
	}
	fmt.Printf("kid     %s\nalg     %s\nsecret  %s\n", *key, identity.Algorithm, secret)
	return nil
}

func serve(ctx context.Context, args []string) error {
	flags := flag.NewFlagSet("serve", flag.ExitOnError)
	listen := flags.String("listen", "127.0.0.1:8080", "address to listen on")
	zone := flags.String("zone", "Europe/London", "the workspace's IANA time zone")
	if err := flags.Parse(args); err != nil {
		return err
	}
	place, err := time.LoadLocation(*zone)
	if err != nil {
		return fmt.Errorf("use the zone %s: %w", *zone, err)
	}
	s, err := openStore(ctx)
	if err != nil {
		return err
	}
	defer s.Close()
	engine, err := live.NewEngine(ctx, s, period.ISO(place))
	if err != nil {
		return err
	}
	if err := settle(engine); err != nil {
		return err
	}
	go func() {
		if err := grammar.Prepare(); err != nil {
			slog.Error("queries of builders cannot be read", "error", err)
		}
	}()
	files, err := openFiles(ctx, s, engine)
	if err != nil {
		return err
	}
	server, err := web.New(s, engine, files)
	if err != nil {
		return err
	}
	proxies, err := networks("ESKADEL_PROXIES")
	if err == nil {
		err = server.Behind(proxies)
	}
	if err != nil {
		return err
	}
	h := web.Serve(server.Handler())
	h.Addr = *listen
	go func() {
		<-ctx.Done()
		_ = h.Close()
	}()
	go web.Tidy(ctx)
	slog.Info("serving", "address", *listen)
	if err := h.ListenAndServe(); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

// settle sets what the environment says of answers: how old they may be, and what they take
// for now.
func settle(e *live.Engine) error {
	if written := os.Getenv("ESKADEL_LONGEST_AGE"); written != "" {
		age, err := time.ParseDuration(written)
		if err != nil || age < 0 || age > time.Hour {
			return fmt.Errorf("ESKADEL_LONGEST_AGE is a time of at most an hour, such as 60s, not %q", written)
		}
		e.KeepFor(age)
	}
	if written := os.Getenv("ESKADEL_NOW"); written != "" {
		return e.PinNow(written)
	}
	return nil
}

// networks reads networks, or single addresses, from the environment.
func networks(name string) (out []netip.Prefix, err error) {
	for _, one := range strings.FieldsFunc(os.Getenv(name), func(r rune) bool { return r == ' ' || r == ',' }) {
		p, err := netip.ParsePrefix(one)
		if a, e := netip.ParseAddr(one); e == nil {
			p, err = a.Prefix(a.BitLen())
		}
		if err != nil {
			return nil, fmt.Errorf("%s holds networks such as 10.1.0.0/16 or addresses such as 127.0.0.1: %w", name, err)
		}
		out = append(out, p)
	}
	return out, nil
}

// openFiles sets up files as a source, if ESKADEL_FILES names a database for them.
func openFiles(ctx context.Context, s *store.Store, e *live.Engine) (*uploads.Uploads, error) {
	database, reader := os.Getenv("ESKADEL_FILES"), os.Getenv("ESKADEL_FILES_READER")
	if database == "" {
		return nil, nil
	}
	u, err := url.Parse(reader)
	if err != nil || u.User == nil || u.User.Username() == "" {
		return nil, errors.New("ESKADEL_FILES_READER must hold the address of the same database with a role that only reads")
	}
	allowed, err := networks("ESKADEL_FETCH_INSIDE")
	if err != nil {
		return nil, err
	}
	return uploads.Open(ctx, uploads.Config{Database: database, Reader: reader, Role: u.User.Username(), Allowed: allowed}, s, e)
}

// runCheck proves the row rules of dashboards for some viewers.
func runCheck(ctx context.Context, args []string) error {
	if len(args) == 0 || args[0] != "rules" {
		return errors.New("write: eskadel check rules [-scratch ADDRESS] FILE")
	}
	flags := flag.NewFlagSet("check rules", flag.ExitOnError)
	scratch := flags.String("scratch", os.Getenv("ESKADEL_SCRATCH"), "address of a database whose tables may be made and dropped")
	if err := flags.Parse(args[1:]); err != nil {
		return err
	}
	if flags.NArg() != 1 || *scratch == "" {
		return errors.New("name the file that says what to check, and a scratch database with -scratch")
	}
	b, err := os.ReadFile(flags.Arg(0))
	if err != nil {
		return err
	}
	config, err := check.ReadConfig(b)
	if err != nil {
		return fmt.Errorf("read %s: %w", flags.Arg(0), err)
	}
	s, err := openStore(ctx)
	if err != nil {
		return err
	}
	defer s.Close()
	engine, err := live.NewEngine(ctx, s, period.ISO(time.UTC))
	if err != nil {
		return err
	}
	if err := settle(engine); err != nil {
		return err
	}
	lines, err := (&check.Checker{Store: s, Engine: engine, Scratch: *scratch}).Rules(ctx, config)
	if err != nil {
		return err
	}
	if differ := check.Print(os.Stdout, lines); differ > 0 {
		return fmt.Errorf("%d of %d paths differ", differ, len(lines))
	}
	fmt.Printf("%d paths, all the same\n", len(lines))
	return nil
}

func runDemo(ctx context.Context, args []string) error {
	flags := flag.NewFlagSet("demo", flag.ExitOnError)
	root, err := os.Getwd()
	if err != nil {
		return err
	}
	dir := flags.String("dir", "", "where the records are kept; in the project's own place when left out")
	name := flags.String("name", "demo", "what they are called there")
	scale := flags.Float64("scale", 1, "how many records: 1 is about 40,000 jobs")
	port := flags.Int("port", 8080, "Eskadel's port on 127.0.0.1")
	desk := flags.Int("yarddesk-port", 8090, "Yard Desk's port on localhost")
	fresh := flags.Bool("fresh", false, "forget everything kept before")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if *dir == "" {
		*dir = localpg.Folder(root, *name)
	}
	d, err := demo.Start(ctx, demo.Config{Dir: *dir, Fresh: *fresh, Scale: *scale, Eskadel: *port, YardDesk: *desk, Now: os.Getenv("ESKADEL_NOW"), Say: func(format string, a ...any) { fmt.Printf(format+"\n", a...) }})
	if err != nil {
		return err
	}
	defer d.Stop()
	fmt.Printf(`
Yard Desk, the host app:  %s
  sign in by choosing one of the staff: foremen see their own yard, directors all five
Eskadel:                  %s
  builder  %s   password  %s
  author   %s  password  %s
Their PostgreSQL:         127.0.0.1:%d, in %s

Ctrl+C stops everything.
`, d.YardDesk, d.Eskadel, demo.BuilderEmail, demo.Password, demo.AuthorEmail, demo.Password, d.Cluster.Port, *dir)
	<-ctx.Done()
	fmt.Println("stopping")
	return nil
}
