// Eskadel puts live dashboards inside an operational application. See README.md.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"eskadel/config"
	"eskadel/demo"
	"eskadel/identity"
	"eskadel/localpg"
	"eskadel/store"
	"eskadel/workspace"
)

const usage = `eskadel serve      serve a workspace
eskadel migrate    bring Eskadel's own tables up to date
eskadel person     add a person, or change one: password, roles, attributes
eskadel hostapp    register a host app, make a key that signs its viewer passes, or end one
eskadel reseal     seal what is secret with a new ESKADEL_KEY
eskadel settings   list the settings
eskadel pull       bring what a workspace holds into the files of a folder
eskadel push       carry the files of a folder into a workspace
eskadel diff       say in words how a folder differs from a workspace, or from another folder
eskadel check      check the files of a folder, a proof of a figure, or row rules: eskadel check documents
                   FOLDER, eskadel check proof FILE, eskadel check rules FILE
eskadel demo       run the demonstration on loopback

Settings come from the environment and from a file (-config FILE, lines NAME=value);
docs/operations.md says more. Every command has -help.
`

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if len(os.Args) < 2 {
		fmt.Fprint(os.Stderr, usage)
		os.Exit(2)
	}
	commands := map[string]func(context.Context, []string) error{"serve": serve, "migrate": migrate, "person": person, "hostapp": hostApp, "reseal": reseal, "settings": settings, "check": runCheck, "pull": pull, "push": push, "diff": diff, "demo": runDemo}
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

// flagsOf are the flags of a command, -config among them.
func flagsOf(name string) (*flag.FlagSet, *string) {
	flags := flag.NewFlagSet(name, flag.ExitOnError)
	return flags, flags.String("config", os.Getenv("ESKADEL_CONFIG"), "a file of settings, lines NAME=value")
}

// opened reads the settings and opens Eskadel's own database.
func opened(ctx context.Context, file string) (*config.Config, *store.Store, error) {
	c, err := config.Read(file)
	if err != nil {
		return nil, nil, err
	}
	s, err := store.Open(ctx, c.Database, c.Keys...)
	return c, s, err
}

func migrate(ctx context.Context, args []string) error {
	flags, file := flagsOf("migrate")
	if err := flags.Parse(args); err != nil {
		return err
	}
	_, s, err := opened(ctx, *file)
	if err != nil {
		return err
	}
	return s.Close()
}

// reseal seals every secret with the newest key.
func reseal(ctx context.Context, args []string) error {
	flags, file := flagsOf("reseal")
	if err := flags.Parse(args); err != nil {
		return err
	}
	_, s, err := opened(ctx, *file)
	if err != nil {
		return err
	}
	defer s.Close()
	n, err := workspace.Offline(s).Reseal(ctx, workspace.Operator())
	if err == nil {
		fmt.Printf("%d secrets were sealed with another key; none is now\n", n)
	}
	return err
}

func settings(context.Context, []string) error {
	for _, s := range config.Settings() {
		usual := ""
		if s.Usual != "" {
			usual = "; " + s.Usual + " when left out"
		}
		fmt.Printf("%-22s %s%s\n", s.Name, s.Words, usual)
	}
	return nil
}

// person adds somebody, or changes what is given of somebody who is there: everything else
// of theirs stays.
func person(ctx context.Context, args []string) error {
	flags, file := flagsOf("person")
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
	c, s, err := opened(ctx, *file)
	if err != nil {
		return err
	}
	defer s.Close()
	known, err := identity.Attributes(attributes)
	if err != nil {
		return err
	}
	change := identity.Change{Email: *email, Password: c.Password, Attributes: known, Roles: roles}
	if given["name"] {
		change.Name = name
	}
	if given["builder"] {
		change.Builder = builder
	}
	done, err := workspace.Offline(s).ChangePerson(ctx, workspace.Operator(), change)
	if err == nil {
		fmt.Println(done)
	}
	return err
}

// several collects a flag that may stand several times.
type several []string

func (o *several) String() string     { return fmt.Sprint(*o) }
func (o *several) Set(s string) error { *o = append(*o, s); return nil }

func hostApp(ctx context.Context, args []string) error {
	flags, file := flagsOf("hostapp")
	name, title := flags.String("name", "", "name, as in the tag and in the pass"), flags.String("title", "", "title, for people")
	address := flags.String("address", "", "what comes before the path of a record: https://desk.example")
	key := flags.String("key", "", "name of the key (kid) to make")
	public := flags.String("public-key", "", "a file with the public half (PEM) of the key pair that the key is; a secret is made when left out")
	minutes := flags.Int("pass-minutes", identity.PassMinutes, "how long its viewer passes may be good for, 1 to 60")
	endKey := flags.String("end-key", "", "name of a key to end, with every viewer whose pass it signed; nothing else is done")
	var from several
	flags.Var(&from, "origin", "an origin whose pages may show dashboards; may be given several times. Without any the application stays as it is")
	if err := flags.Parse(args); err != nil {
		return err
	}
	_, s, err := opened(ctx, *file)
	if err != nil {
		return err
	}
	defer s.Close()
	w, operator := workspace.Offline(s), workspace.Operator()
	if *endKey != "" {
		return w.EndHostKey(ctx, operator, *endKey)
	}
	if *key == "" && len(from) == 0 {
		return errors.New("-origin registers an application or changes it, -key makes a key of it, -end-key ends one: one of them is needed")
	}
	if len(from) > 0 { // else the application stays as it is
		if err := w.RegisterHost(ctx, operator, workspace.Registration{Name: *name, Title: *title, Address: *address, Origins: from, PassMinutes: *minutes}); err != nil {
			return err
		}
	}
	switch {
	case *key == "":
		return nil
	case *public != "":
		text, err := os.ReadFile(*public)
		if err != nil {
			return err
		}
		algorithm, err := w.AddPublicKey(ctx, operator, *name, *key, string(text))
		if err == nil {
			fmt.Printf("kid     %s\nalg     %s\n", *key, algorithm)
		}
		return err
	}
	secret, err := w.MakeHostKey(ctx, operator, *name, *key)
	if err == nil {
		fmt.Printf("kid     %s\nalg     %s\nsecret  %s\n", *key, identity.HS256, secret)
	}
	return err
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
	staff := flags.Int("staff-port", 8091, "port on 127.0.0.1 of the place where the organisation signs its people in")
	post := flags.Int("post-port", 8092, "port on 127.0.0.1 of the page that shows what is sent to anybody")
	fresh := flags.Bool("fresh", false, "forget everything kept before")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if *dir == "" {
		*dir = localpg.Folder(root, *name)
	}
	d, err := demo.Start(ctx, demo.Config{Dir: *dir, Fresh: *fresh, Scale: *scale, Eskadel: *port, YardDesk: *desk, Staff: *staff, Post: *post, Now: os.Getenv("ESKADEL_NOW"), Say: func(format string, a ...any) { fmt.Printf(format+"\n", a...) }})
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
  or through the organisation, which stands in at %s
What it sends to anybody: %s
Their PostgreSQL:         127.0.0.1:%d, in %s

Ctrl+C stops everything.
`, d.YardDesk, d.Eskadel, demo.BuilderEmail, demo.Password, demo.AuthorEmail, demo.Password, d.Staff.Issuer, d.PostPage, d.Cluster.Port, *dir)
	<-ctx.Done()
	fmt.Println("stopping")
	return nil
}
