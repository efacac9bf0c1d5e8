// Package localpg runs a PostgreSQL of its own on loopback, from Debian's server
// binaries, with its files in one folder. The demo and the tests use it. When run by
// root, the server runs as the user postgres, because PostgreSQL refuses root.
package localpg

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// A Cluster is a running PostgreSQL server.
type Cluster struct {
	Port int
	dir  string
	bin  string
	cred *syscall.Credential
}

// Binaries finds the newest installed server's folder of programs.
func Binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if len(found) == 0 {
		return "", errors.New("PostgreSQL's server is not installed: run “make postgres”, which installs Debian's package")
	}
	sort.Slice(found, func(i, j int) bool { return version(found[i]) < version(found[j]) })
	return filepath.Dir(found[len(found)-1]), nil
}

func version(path string) int {
	n, _ := strconv.Atoi(strings.Split(path, "/")[4])
	return n
}

// Start makes the cluster in dir if there is none yet, and starts it on 127.0.0.1 at
// port, or at a free one when port is 0. A cluster that runs already is used as it is.
func Start(ctx context.Context, dir string, port int) (*Cluster, error) {
	bin, err := Binaries()
	if err != nil {
		return nil, err
	}
	dir, err = filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	if err := own(dir); err != nil {
		return nil, err
	}
	c := &Cluster{dir: dir, bin: bin}
	if err := c.becomePostgres(); err != nil {
		return nil, err
	}
	data := c.data()
	if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err != nil {
		if out, err := c.command("initdb", "-D", data, "-U", "postgres", "--auth=trust", "--encoding=UTF8", "--locale=C.UTF-8", "--no-sync").CombinedOutput(); err != nil {
			return nil, fmt.Errorf("make a PostgreSQL cluster in %s: %w: %s", data, err, out)
		}
	}
	if running := c.running(); running != 0 {
		c.Port = running
		return c, c.wait(ctx)
	}
	if c.Port = port; port == 0 {
		if c.Port, err = freePort(); err != nil {
			return nil, err
		}
	}
	return c, c.Restart(ctx)
}

// becomePostgres lets the postgres user own the cluster.
func (c *Cluster) becomePostgres() error {
	if os.Geteuid() != 0 {
		return nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return fmt.Errorf("run PostgreSQL as root: %w", err)
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	c.cred = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
	return os.Chown(c.dir, uid, gid)
}

func (c *Cluster) data() string { return filepath.Join(c.dir, "data") }

func (c *Cluster) command(name string, args ...string) *exec.Cmd {
	cmd := exec.Command(filepath.Join(c.bin, name), args...)
	cmd.Dir = c.dir
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: c.cred}
	return cmd
}

// running returns the port of the server that runs on the cluster, or 0.
func (c *Cluster) running() int {
	if c.command("pg_ctl", "status", "-D", c.data()).Run() != nil {
		return 0
	}
	b, err := os.ReadFile(filepath.Join(c.data(), "postmaster.pid"))
	lines := strings.Split(string(b), "\n")
	if err != nil || len(lines) < 4 {
		return 0
	}
	port, _ := strconv.Atoi(strings.TrimSpace(lines[3]))
	return port
}

// Restart starts the server again on its port, after Stop.
func (c *Cluster) Restart(ctx context.Context) error {
	options := fmt.Sprintf("-p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories= -c fsync=off -c synchronous_commit=off -c full_page_writes=off -c max_connections=200 -c shared_buffers=512MB -c effective_cache_size=2GB -c max_wal_size=4GB", c.Port)
	if out, err := c.command("pg_ctl", "start", "-w", "-t", "60", "-D", c.data(), "-l", filepath.Join(c.dir, "log"), "-o", options).CombinedOutput(); err != nil {
		log, _ := os.ReadFile(filepath.Join(c.dir, "log"))
		lines := strings.Split(strings.TrimSpace(string(log)), "\n")
		return fmt.Errorf("start PostgreSQL on port %d: %w: %s\nits last lines, of %s:\n%s", c.Port, err, strings.TrimSpace(string(out)), filepath.Join(c.dir, "log"), strings.Join(lines[max(0, len(lines)-12):], "\n"))
	}
	return c.wait(ctx)
}

func (c *Cluster) wait(ctx context.Context) error {
	for {
		conn, err := pgx.Connect(ctx, c.URL("postgres", "postgres"))
		if err == nil {
			return conn.Close(ctx)
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("wait for PostgreSQL: %w", err)
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// Stop ends the server; its files stay.
func (c *Cluster) Stop() error {
	if out, err := c.command("pg_ctl", "stop", "-m", "fast", "-w", "-D", c.data()).CombinedOutput(); err != nil {
		return fmt.Errorf("stop PostgreSQL: %w: %s", err, out)
	}
	return nil
}

// URL is the address of a database for a role. The cluster trusts loopback.
func (c *Cluster) URL(role, database string) string {
	return fmt.Sprintf("postgres://%s@127.0.0.1:%d/%s?sslmode=disable", role, c.Port, database)
}

// StopIn stops the cluster in dir, if there is one and it runs.
func StopIn(dir string) error {
	bin, err := Binaries()
	if err != nil {
		return err
	}
	c := &Cluster{dir: dir, bin: bin}
	if _, err := os.Stat(c.data()); err != nil {
		return nil
	}
	if err := c.becomePostgres(); err != nil {
		return err
	}
	if c.running() == 0 {
		return nil
	}
	return c.Stop()
}

// Database makes a role and a database that it owns, unless they exist. made tells
// whether the database is new.
func (c *Cluster) Database(ctx context.Context, role, database string) (made bool, err error) {
	conn, err := pgx.Connect(ctx, c.URL("postgres", "postgres"))
	if err != nil {
		return false, err
	}
	defer conn.Close(ctx)
	exists := func(query, name string) (yes bool) {
		err = errors.Join(err, conn.QueryRow(ctx, query, name).Scan(&yes))
		return yes
	}
	if !exists("select exists (select from pg_roles where rolname = $1)", role) && err == nil {
		_, err = conn.Exec(ctx, "create role "+pgx.Identifier{role}.Sanitize()+" login")
	}
	if !exists("select exists (select from pg_database where datname = $1)", database) && err == nil {
		_, err = conn.Exec(ctx, "create database "+pgx.Identifier{database}.Sanitize()+" owner "+pgx.Identifier{role}.Sanitize())
		made = err == nil
	}
	return made, err
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}
