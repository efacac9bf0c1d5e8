// Package demo sets up and runs the demonstration: Skerrin Boatyards' Yard Desk with its
// records, and Eskadel with the datasets and dashboards that read them. The documents go
// in through Eskadel's own HTTP API, as anybody's would.
package demo

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"eskadel/core/period"
	"eskadel/core/rule"
	"eskadel/deliver"
	"eskadel/deliver/chat"
	"eskadel/demo/mailbox"
	"eskadel/demo/organisation"
	"eskadel/demo/yarddesk"
	"eskadel/files"
	"eskadel/identity"
	"eskadel/live"
	"eskadel/localpg"
	"eskadel/mail"
	"eskadel/source"
	"eskadel/store"
	"eskadel/uploads"
	"eskadel/web"
	"eskadel/web/gate"
	"eskadel/workspace"
)

//go:embed documents
var documents embed.FS

// Config says how to run the demonstration.
type Config struct {
	Dir      string  // where the cluster and the key are kept
	Scale    float64 // 1 is about 40,000 jobs
	Eskadel  int     // port on 127.0.0.1; 0 for a free one
	YardDesk int     // port on localhost; 0 for a free one
	Post     int     // port on 127.0.0.1 of the page that shows letters and the chat; 0 for a free one
	Staff    int     // port on 127.0.0.1 of the place where the organisation signs its people in; 0 for a free one
	Postgres int     // port; 0 for a free one
	Fresh    bool    // forget what was kept before
	Measured bool    // it is to be measured: nobody is told that they ask too much
	Again    bool    // put the documents in again, though they are there
	Now      string  // what questions take for now; the true time when left out
	Say      func(format string, args ...any)
}

// Accounts of the demonstration. They are no secret: the server listens on loopback only.
const (
	BuilderEmail = "mara.quill@skerrin.example"
	AuthorEmail  = "edda.harrow@skerrin.example"
	Password     = "sail away"
)

// A Demo is a running demonstration.
type Demo struct {
	dir, now  string
	again     bool
	Cluster   *localpg.Cluster
	Eskadel   string // address
	YardDesk  string
	Staff     *organisation.Provider
	Post      *mailbox.Box // where letters and messages to anybody come
	PostPage  string       // address of its page
	Engine    *live.Engine
	Store     *store.Store
	Workspace *workspace.Workspace
	Deliver   *deliver.Runner
	Key       yarddesk.Config // the key that Yard Desk signs passes with

	Routes []gate.Route // of Eskadel

	doors  [5]net.Listener // Eskadel's, Yard Desk's, the organisation's, and those of its letters: to look at, and to send
	stop   []func()
	mail   *mail.Mailer
	cancel context.CancelFunc
}

// Stop ends everything that was started.
func (d *Demo) Stop() {
	d.cancel() // first of all, so that nobody complains of what ends
	for i := len(d.stop) - 1; i >= 0; i-- {
		d.stop[i]()
	}
}

// Start starts PostgreSQL, fills it if it is new, and serves both applications until
// Stop. The addresses are then ready.
func Start(ctx context.Context, c Config) (d *Demo, err error) {
	d = &Demo{dir: c.Dir, now: c.Now, again: c.Again}
	ctx, d.cancel = context.WithCancel(ctx)
	defer func() {
		if err != nil {
			d.Stop()
		}
	}()
	// The ports first: a second demonstration must not disturb the first.
	if d.doors[0], err = d.reserve(c.Eskadel); err != nil {
		return d, err
	}
	if d.doors[1], err = d.reserve(c.YardDesk); err != nil {
		return d, err
	}
	if d.doors[2], err = d.reserve(c.Staff); err != nil {
		return d, err
	}
	if d.doors[3], err = d.reserve(c.Post); err != nil {
		return d, err
	}
	if d.doors[4], err = d.reserve(0); err != nil {
		return d, err
	}
	port := func(i int) int { return d.doors[i].Addr().(*net.TCPAddr).Port }
	d.Eskadel, d.YardDesk = fmt.Sprintf("http://127.0.0.1:%d", port(0)), fmt.Sprintf("http://localhost:%d", port(1))
	if d.Staff, err = organisation.New(fmt.Sprintf("http://127.0.0.1:%d", port(2)), "eskadel", rand.Text(), d.Eskadel+"/sign-in/back"); err != nil {
		return d, err
	}
	d.listen(d.doors[2], d.Staff.Handler())
	d.Post, d.PostPage = mailbox.New(), fmt.Sprintf("http://127.0.0.1:%d", port(3))
	d.listen(d.doors[3], d.Post.Handler())
	go d.Post.Take(d.doors[4])
	d.stop = append(d.stop, d.Post.Close)
	release, err := localpg.Take(c.Dir)
	if err != nil {
		return d, err
	}
	d.stop = append(d.stop, release)
	if c.Fresh {
		if err := localpg.Forget(c.Dir); err != nil {
			return d, err
		}
	}
	c.Say("starting PostgreSQL")
	if d.Cluster, err = localpg.Start(ctx, c.Dir, c.Postgres); err != nil {
		return d, err
	}
	d.stop = append(d.stop, func() {
		if err := d.Cluster.Stop(); err != nil {
			c.Say("%s", err)
		}
	})
	if err := d.records(ctx, c); err != nil {
		return d, err
	}
	if err := d.serve(ctx, c); err != nil {
		return d, err
	}
	if err := d.load(ctx); err != nil {
		return d, err
	}
	if err := d.deliver(ctx); err != nil {
		return d, err
	}
	go web.Tidy(ctx)
	return d, d.watch(ctx)
}

// loopback is where Yard Desk is asked to change its jobs.
var loopback = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("::1/128")}

// snapshotsKept is how long snapshots are kept.
const snapshotsKept = 730 * 24 * time.Hour

// Reader is the role that Eskadel reads Yard Desk's records as.
const Reader = "eskadel_reader"

// Changer is the role that Eskadel changes hazards as, of which it may change some columns.
const Changer = "eskadel_changer"

// FilesReader is the role that Eskadel reads uploaded files as.
const FilesReader = "eskadel_files_reader"

// records makes Yard Desk's database, with triggers and a role that only reads.
func (d *Demo) records(ctx context.Context, c Config) error {
	if _, err := d.Cluster.Database(ctx, "yarddesk", "yarddesk"); err != nil {
		return err
	}
	if _, err := d.Cluster.Database(ctx, "eskadel", "eskadel"); err != nil {
		return err
	}
	if _, err := d.Cluster.Database(ctx, Reader, "postgres"); err != nil {
		return err
	}
	if _, err := d.Cluster.Database(ctx, Changer, "postgres"); err != nil {
		return err
	}
	if _, err := d.Cluster.Database(ctx, "eskadel_files", "eskadel_files"); err != nil {
		return err
	}
	if _, err := d.Cluster.Database(ctx, FilesReader, "postgres"); err != nil {
		return err
	}
	conn, err := pgx.Connect(ctx, d.Cluster.URL("yarddesk", "yarddesk"))
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	var filled bool
	if err := conn.QueryRow(ctx, "select to_regclass('hazard_number') is not null").Scan(&filled); err != nil {
		return err
	}
	if !filled {
		c.Say("making four years of Yard Desk's records (scale %g)", c.Scale)
		// In one transaction, so that an interrupted start leaves nothing half filled.
		tx, err := conn.Begin(ctx)
		if err != nil {
			return err
		}
		defer func() { _ = tx.Rollback(ctx) }()
		now := time.Now()
		if c.Now != "" {
			if now, err = period.ReadNow(c.Now, time.UTC); err != nil {
				return err
			}
		}
		if err := yarddesk.Generate(ctx, tx.Conn(), c.Scale, now); err != nil {
			return err
		}
		if err := tx.Commit(ctx); err != nil {
			return err
		}
	}
	_, err = conn.Exec(ctx, yarddesk.Checks+"; grant usage on schema public to "+Reader+", "+Changer+"; grant select on all tables in schema public to "+Reader+", "+Changer+
		"; grant update (status, safeguards, review_due, owner_id, likelihood_after, severity_after) on hazard to "+Changer)
	return err
}

// watch has Yard Desk's tables announce their changes, as its row rules want it, unless they
// do so already.
func (d *Demo) watch(ctx context.Context) error {
	tables, err := d.Engine.Catalogue(ctx, "yard-desk")
	if err != nil {
		return err
	}
	conn, err := pgx.Connect(ctx, d.Cluster.URL("yarddesk", "yarddesk"))
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	sql := source.WatchSQL(nil, rule.Compared(tables))
	made := fmt.Sprintf("%x", sha256.Sum256([]byte(sql)))
	var before string
	if err := conn.QueryRow(ctx, "select coalesce(obj_description(to_regproc('public.eskadel_changed'), 'pg_proc'), '')").Scan(&before); err != nil || before == made {
		return err
	}
	if _, err = conn.Exec(ctx, sql+"; comment on function public.eskadel_changed() is '"+made+"'"); err != nil {
		return err
	}
	src, err := d.Engine.Source("yard-desk")
	if err == nil {
		_, err = src.Introspect(ctx) // now, not when it is noticed
	}
	return err
}

// key returns the key for Eskadel's secrets, kept beside the cluster.
func key(dir string) ([]byte, error) {
	name := filepath.Join(dir, "key")
	if b, err := os.ReadFile(name); err == nil {
		return hex.DecodeString(strings.TrimSpace(string(b)))
	}
	k := make([]byte, 32)
	if _, err := rand.Read(k); err != nil {
		return nil, err
	}
	return k, os.WriteFile(name, []byte(hex.EncodeToString(k)+"\n"), 0o600)
}

func (d *Demo) serve(ctx context.Context, c Config) error {
	c.Say("starting Eskadel and Yard Desk")
	k, err := key(c.Dir)
	if err != nil {
		return err
	}
	if d.Store, err = store.Open(ctx, d.Cluster.URL("eskadel", "eskadel"), k); err != nil {
		return err
	}
	forgetting, forgotten := context.WithCancel(ctx)
	go d.Store.Forgetting(forgetting, snapshotsKept)
	d.stop = append(d.stop, func() { forgotten(); _ = d.Store.Close() })
	if d.mail, err = mail.New("smtp://"+d.doors[4].Addr().String(), "Eskadel <eskadel@skerrin.example>"); err != nil {
		return err
	}
	hash, err := identity.HashPassword(Password)
	if err != nil {
		return err
	}
	d.Key = yarddesk.Config{Database: d.Cluster.URL("yarddesk", "yarddesk"), EskadelURL: d.Eskadel, KeyID: "yard-desk-1"}
	if err := d.Store.Change(ctx, "demonstration", func(tx *store.Tx) error { return d.begin(ctx, tx, hash) }); err != nil {
		return err
	}
	zone, err := time.LoadLocation("Europe/London")
	if err != nil {
		return err
	}
	if d.Engine, err = live.NewEngine(ctx, d.Store, period.ISO(zone)); err != nil {
		return err
	}
	if c.Now != "" {
		if err := d.Engine.PinNow(c.Now); err != nil {
			return err
		}
	}
	kept, err := uploads.Open(ctx, uploads.Config{Database: d.Cluster.URL("eskadel_files", "eskadel_files"), Reader: d.Cluster.URL(FilesReader, "eskadel_files"), Role: FilesReader}, d.Store, d.Engine)
	if err != nil {
		return err
	}
	d.stop = append(d.stop, kept.Close)
	if d.Workspace, err = workspace.Open(ctx, d.Store, d.Engine, workspace.Around{Files: kept, Inside: loopback, Mail: d.mail, Address: d.Eskadel, Snapshots: snapshotsKept}); err != nil {
		return err
	}
	server, err := web.New(d.Workspace)
	if err != nil {
		return err
	}
	d.Deliver = &deliver.Runner{Workspace: d.Workspace, Mail: d.mail, Chat: chat.New(loopback), Printer: server.Printer}
	delivering, enough := context.WithCancel(ctx)
	delivered := make(chan struct{})
	go func() { defer close(delivered); d.Deliver.Run(delivering) }()
	d.stop = append(d.stop, func() { enough(); <-delivered })
	if c.Measured {
		server.Gate.Unlimited()
	}
	d.Routes = server.Routes()
	d.listen(d.doors[0], server.Handler())
	app, err := yarddesk.New(ctx, d.Key)
	if err != nil {
		return err
	}
	d.stop = append(d.stop, app.Close)
	d.listen(d.doors[1], app.Handler())
	return nil
}

// Another starts one more instance of Eskadel over the same databases, on a port of its own;
// stop ends it at once, as a machine does that fails.
func (d *Demo) Another(ctx context.Context) (address string, stop func(), err error) {
	ctx, cancel := context.WithCancel(ctx)
	k, err := key(d.dir)
	if err != nil {
		cancel()
		return "", nil, err
	}
	s, err := store.Open(ctx, d.Cluster.URL("eskadel", "eskadel"), k)
	if err != nil {
		cancel()
		return "", nil, err
	}
	end := func() { cancel(); _ = s.Close() }
	engine, err := live.NewEngine(ctx, s, d.Engine.Calendar())
	if err != nil {
		end()
		return "", nil, err
	}
	if d.now != "" {
		if err := engine.PinNow(d.now); err != nil {
			end()
			return "", nil, err
		}
	}
	w, err := workspace.Open(ctx, s, engine, workspace.Around{Inside: loopback})
	if err != nil {
		end()
		return "", nil, err
	}
	server, err := web.New(w)
	if err != nil {
		end()
		return "", nil, err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		end()
		return "", nil, err
	}
	h := gate.Serve(server.Handler())
	go func() { _ = h.Serve(l) }()
	return "http://" + l.Addr().String(), func() { _ = h.Close(); end() }, nil
}

// begin makes the demonstration's people, its source and its host app, unless they are there.
func (d *Demo) begin(ctx context.Context, tx *store.Tx, hash string) error {
	for _, p := range []store.Person{{Name: "Mara Quill", Email: BuilderEmail, PasswordHash: hash, Builder: true}, {Name: "Edda Harrow", Email: AuthorEmail, PasswordHash: hash}} {
		if _, err := tx.AddPerson(ctx, &p, []string{"director"}, nil); err != nil {
			return err
		}
	}
	err := errors.Join(
		tx.SaveSource(ctx, "yard-desk", "Yard Desk", d.Cluster.URL(Reader, "yarddesk"), "postgresql"),
		tx.SaveChanger(ctx, "yard-desk", Changer, tx.Seal("")),
		tx.SaveOrganisation(ctx, &store.Organisation{Title: "Skerrin staff", Issuer: d.Staff.Issuer, Client: d.Staff.Client, SealedSecret: tx.Seal(d.Staff.Secret), Admits: true, Revision: 1}),
		tx.SaveHostApp(ctx, &store.HostApp{Name: "yard-desk", Title: "Yard Desk", Address: d.YardDesk, PassMinutes: identity.PassMinutes}, []string{d.YardDesk}),
		tx.Audit(ctx, "set up the demonstration", "Yard Desk"),
	)
	if err != nil {
		return err
	}
	if _, d.Key.Secret, err = tx.HostKey(ctx, d.Key.KeyID); err != nil {
		d.Key.Secret = identity.NewSecret()
		return tx.AddHostKey(ctx, &store.HostKey{ID: d.Key.KeyID, HostApp: "yard-desk", Algorithm: identity.HS256}, d.Key.Secret)
	}
	return nil
}

func (d *Demo) reserve(port int) (net.Listener, error) {
	l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
	if err != nil {
		return nil, fmt.Errorf("port %d cannot be used; is the demonstration running already? Choose others with -port, -yarddesk-port, -staff-port and -post-port: %w", port, err)
	}
	d.stop = append(d.stop, func() { _ = l.Close() })
	return l, nil
}

func (d *Demo) listen(l net.Listener, h http.Handler) {
	s := gate.Serve(h)
	d.stop = append(d.stop, func() { _ = s.Close() })
	go func() { _ = s.Serve(l) }()
}

// load puts the demo's documents in, unless they are there: as the builder, through the API.
func (d *Demo) load(ctx context.Context) error {
	c, err := SignIn(ctx, d.Eskadel, BuilderEmail, Password)
	if err != nil {
		return err
	}
	if err := d.loadFiles(ctx, c); err != nil {
		return err
	}
	for _, kind := range []string{"datasets", "charts", "findings", "dashboards"} {
		// The builder keeps the datasets, the author the charts and dashboards.
		in, query := kind, ""
		switch kind {
		case "findings":
			in, query = "charts", "?folder=Findings"
		case "charts":
			if c, err = SignIn(ctx, d.Eskadel, AuthorEmail, Password); err != nil {
				return err
			}
		}
		files, err := fs.ReadDir(documents, path.Join("documents", kind))
		if err != nil {
			return err
		}
		for _, f := range files {
			name := strings.TrimSuffix(f.Name(), ".json")
			address := "/api/v1/" + in + "/" + name
			if _, status, err := c.Do(ctx, http.MethodGet, address, nil); err != nil || status == http.StatusOK && !d.again {
				if err != nil {
					return err
				}
				continue
			}
			b, err := documents.ReadFile(path.Join("documents", kind, f.Name()))
			if err != nil {
				return err
			}
			if err := c.put(ctx, http.MethodPut, address+query, b, "If-Match", "*"); err != nil {
				return err
			}
			if kind == "dashboards" {
				if err := c.put(ctx, http.MethodPost, address+"/publish", nil); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// loadFiles uploads the sample files and, the first time, puts the row rules in.
func (d *Demo) loadFiles(ctx context.Context, c *Client) error {
	list, err := fs.ReadDir(documents, "documents/files")
	if err != nil {
		return err
	}
	known, _, err := c.Do(ctx, http.MethodGet, "/api/v1/files", nil)
	if err != nil {
		return err
	}
	for _, f := range list {
		if strings.Contains(string(known), f.Name()) {
			continue
		}
		b, err := documents.ReadFile("documents/files/" + f.Name())
		if err != nil {
			return err
		}
		if err := c.put(ctx, http.MethodPut, "/api/v1/files/"+files.NameOf(f.Name())+"?original="+url.QueryEscape(f.Name()), b); err != nil {
			return err
		}
	}
	rules, err := fs.ReadDir(documents, "documents/rules")
	if err != nil {
		return err
	}
	for _, f := range rules {
		address := "/api/v1/sources/" + strings.TrimSuffix(f.Name(), ".json") + "/rules"
		kept, status, err := c.Do(ctx, http.MethodGet, address, nil)
		if err != nil || status == http.StatusOK && strings.Contains(string(kept), `"table"`) {
			if err != nil {
				return err
			}
			continue
		}
		b, err := documents.ReadFile("documents/rules/" + f.Name())
		if err != nil {
			return err
		}
		if err := c.put(ctx, http.MethodPut, address, b); err != nil {
			return err
		}
	}
	return nil
}
