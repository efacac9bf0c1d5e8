// Package config holds the settings of an installation: which there are, what each means,
// and how it is read, from a file and from the environment, which comes first.
package config

import (
	"encoding/hex"
	"fmt"
	"net/netip"
	"net/url"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"github.com/joho/godotenv"
)

// Config is the settings of an installation.
type Config struct {
	Database    string         // address of Eskadel's own database
	Keys        [][]byte       // the one that seals secrets, then those before it
	Listen      string         // address to serve on
	Metrics     string         // address to serve metrics on; nowhere when empty
	Zone        *time.Location // of the workspace, until its settings name another
	Proxies     []netip.Prefix // that stand before it and say who asks
	Files       string         // address of the database of uploaded files, as its owner; none when empty
	FilesReader string         // the same as a role that only reads
	FetchInside []netip.Prefix // networks inside that files may be fetched from
	LongestAge  time.Duration  // how old an answer may be though nothing was heard
	CacheBytes  int64          // how much memory kept answers may take
	SlowQuery   time.Duration  // from when on a question is told of in the log
	StopWithin  time.Duration  // how long requests may take to end when it stops
	Snapshots   time.Duration  // how long snapshots are kept
	Now         string         // what questions take for now; the true time when empty
	Scratch     string         // address of a database for proving row rules
	Address     string         // that people reach it at
	Mail        string         // the server that letters are sent through; none when empty
	Browser     string         // that prints pages; the one that is found when empty
	MailFrom    string         // the address that they come from
	Password    string         // of a person who is added or changed by the command line
}

// A Setting is one of them, as documentation and errors speak of it.
type Setting struct {
	Name    string // in the environment and in the file
	Words   string
	Usual   string // what holds when it is left out
	Secret  bool
	set     func(*Config, string) error
	without string // why it cannot be left out
}

// Settings lists what there is.
func Settings() []Setting {
	return []Setting{
		{Name: "ESKADEL_DATABASE", Words: "the address of Eskadel's own database", Secret: true, without: "it is needed, such as postgres://eskadel:…@127.0.0.1:5432/eskadel",
			set: func(c *Config, v string) error { c.Database = v; return address(v) }},
		{Name: "ESKADEL_KEY", Words: "the key that seals what is secret, 64 hexadecimal digits", Secret: true, without: "64 hexadecimal digits are needed; “openssl rand -hex 32” makes them",
			set: func(c *Config, v string) error { return c.key(v) }},
		{Name: "ESKADEL_KEYS_BEFORE", Words: "keys that secrets were sealed with before, with commas between, the newest first", Secret: true,
			set: func(c *Config, v string) error {
				for _, one := range list(v) {
					if err := c.key(one); err != nil {
						return err
					}
				}
				return nil
			}},
		{Name: "ESKADEL_LISTEN", Words: "the address to serve on", Usual: "127.0.0.1:8080",
			set: func(c *Config, v string) error { c.Listen = v; return door(v) }},
		{Name: "ESKADEL_METRICS", Words: "the address to serve metrics on, for a network that only those who operate it reach; none when left out",
			set: func(c *Config, v string) error { c.Metrics = v; return door(v) }},
		{Name: "ESKADEL_ZONE", Words: "the workspace's IANA time zone, until its settings name another", Usual: "Europe/London",
			set: func(c *Config, v string) (err error) { c.Zone, err = time.LoadLocation(v); return err }},
		{Name: "ESKADEL_PROXIES", Words: "networks or addresses of proxies whose X-Forwarded-For and X-Forwarded-Proto are believed; none when left out",
			set: func(c *Config, v string) (err error) { c.Proxies, err = networks(v); return err }},
		{Name: "ESKADEL_FILES", Words: "the address of the database of uploaded files, as its owner; without it there are no uploads", Secret: true,
			set: func(c *Config, v string) error { c.Files = v; return address(v) }},
		{Name: "ESKADEL_FILES_READER", Words: "the address of the same database, with a role that only reads", Secret: true,
			set: func(c *Config, v string) error {
				c.FilesReader = v
				if u, err := url.Parse(v); err != nil || u.User == nil || u.User.Username() == "" {
					return fmt.Errorf("it names the role that only reads, such as postgres://eskadel_files_reader:…@127.0.0.1:5432/eskadel_files")
				}
				return address(v)
			}},
		{Name: "ESKADEL_CHROMIUM", Words: "the program that prints pages, Chromium; the one that is found when left out, and without one pages are not printed", Usual: "chromium",
			set: func(c *Config, v string) (err error) { c.Browser, err = browser(v); return err }},
		{Name: "ESKADEL_FETCH_INSIDE", Words: "networks inside that files may be fetched from, in which host apps may be asked to change records, and in which the organisation may sign its people in; none when left out",
			set: func(c *Config, v string) (err error) { c.FetchInside, err = networks(v); return err }},
		{Name: "ESKADEL_LONGEST_AGE", Words: "how old an answer may be though nothing was heard of its tables, at most an hour: triggers can be switched off", Usual: "60s",
			set: func(c *Config, v string) (err error) { c.LongestAge, err = span(v, 0, time.Hour); return err }},
		{Name: "ESKADEL_CACHE", Words: "how much memory kept answers may take, in MB", Usual: "256",
			set: func(c *Config, v string) error {
				n, err := strconv.ParseInt(v, 10, 32)
				if err != nil || n < 1 || n > 1<<20 {
					return fmt.Errorf("it is a number of MB, from 1, not %q", v)
				}
				c.CacheBytes = n << 20
				return nil
			}},
		{Name: "ESKADEL_SLOW", Words: "from how long on a question to a database is told of in the log", Usual: "2s",
			set: func(c *Config, v string) (err error) { c.SlowQuery, err = span(v, 0, time.Hour); return err }},
		{Name: "ESKADEL_STOP_WITHIN", Words: "how long requests may take to end when it is stopped", Usual: "20s",
			set: func(c *Config, v string) (err error) { c.StopWithin, err = span(v, 0, time.Hour); return err }},
		{Name: "ESKADEL_KEEP_SNAPSHOTS", Words: "for how many days snapshots of dashboards are kept", Usual: "730",
			set: func(c *Config, v string) error {
				n, err := strconv.Atoi(v)
				if err != nil || n < 1 || n > 36500 {
					return fmt.Errorf("it is a number of days, from 1, not %q", v)
				}
				c.Snapshots = time.Duration(n) * 24 * time.Hour
				return nil
			}},
		{Name: "ESKADEL_NOW", Words: "what every question, page and sentence takes for now, such as 2026-11-18T14:23:11Z, or local time in the workspace's zone: for tests, demonstrations and proofs; the true time when left out",
			set: func(c *Config, v string) error { c.Now = v; return nil }},
		{Name: "ESKADEL_SCRATCH", Words: "the address of a database whose tables may be made and dropped, for proving row rules", Secret: true,
			set: func(c *Config, v string) error { c.Scratch = v; return address(v) }},
		{Name: "ESKADEL_ADDRESS", Words: "the address that people reach it at, such as https://boards.example.org, for links in letters",
			set: func(c *Config, v string) error {
				u, err := url.Parse(v)
				if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || u.RawQuery != "" {
					return fmt.Errorf("it is an address such as https://boards.example.org, not %q", v)
				}
				c.Address = v
				return nil
			}},
		{Name: "ESKADEL_MAIL", Words: "the server that letters are sent through, such as smtp://eskadel:…@mail.example.org:587 (encrypted by STARTTLS) or smtps://…; none are sent when left out", Secret: true,
			set: func(c *Config, v string) error { c.Mail = v; return nil }},
		{Name: "ESKADEL_MAIL_FROM", Words: "the address that letters come from, such as Eskadel <eskadel@example.org>",
			set: func(c *Config, v string) error { c.MailFrom = v; return nil }},
		{Name: "ESKADEL_PASSWORD", Words: "the password of a person whom the command line adds or changes", Secret: true,
			set: func(c *Config, v string) error { c.Password = v; return nil }},
	}
}

// Read reads the settings: the usual ones, then those of a file of lines NAME=value, if one
// is named, then those of the environment. An error names the setting that it is about.
func Read(file string) (*Config, error) {
	kept := map[string]string{}
	if file != "" {
		var err error
		if kept, err = godotenv.Read(file); err != nil {
			return nil, fmt.Errorf("read the settings of %s: %w", file, err)
		}
	}
	var c Config
	known := map[string]bool{}
	for _, s := range Settings() {
		known[s.Name] = true
		value, from := s.Usual, "its usual value"
		if v, ok := kept[s.Name]; ok {
			value, from = v, file
		}
		if v, ok := os.LookupEnv(s.Name); ok {
			value, from = v, "the environment"
		}
		value = strings.TrimSpace(value)
		switch {
		case value == "" && s.without != "":
			return nil, fmt.Errorf("%s: %s", s.Name, s.without)
		case value == "":
			continue
		}
		if err := s.set(&c, value); err != nil {
			return nil, fmt.Errorf("%s (from %s): %w", s.Name, from, err)
		}
	}
	for name := range kept {
		if !known[name] {
			return nil, fmt.Errorf("%s names a setting %s, which there is not", file, name)
		}
	}
	if c.Files != "" && c.FilesReader == "" {
		return nil, fmt.Errorf("ESKADEL_FILES_READER: it is needed beside ESKADEL_FILES")
	}
	if c.Mail != "" && (c.Address == "" || c.MailFrom == "") {
		return nil, fmt.Errorf("ESKADEL_MAIL: ESKADEL_ADDRESS and ESKADEL_MAIL_FROM are needed beside it")
	}
	return &c, nil
}

func (c *Config) key(v string) error {
	key, err := hex.DecodeString(v)
	if err != nil || len(key) != 32 {
		return fmt.Errorf("it must hold 64 hexadecimal digits; “openssl rand -hex 32” makes them")
	}
	c.Keys = append(c.Keys, key)
	return nil
}

func list(v string) []string {
	return strings.FieldsFunc(v, func(r rune) bool { return r == ' ' || r == ',' })
}

// address tells what is wrong with the address of a database; it never repeats it, since it
// holds a password.
func address(v string) error {
	u, err := url.Parse(v)
	if err != nil || u.Scheme != "postgres" && u.Scheme != "postgresql" {
		return fmt.Errorf("it is the address of a PostgreSQL database, such as postgres://role:…@127.0.0.1:5432/name")
	}
	return nil
}

func door(v string) error {
	if _, err := netip.ParseAddrPort(v); err == nil {
		return nil
	}
	if host, port, ok := strings.Cut(v, ":"); ok && !strings.Contains(host, "/") {
		if n, err := strconv.Atoi(port); err == nil && n >= 0 && n < 1<<16 {
			return nil
		}
	}
	return fmt.Errorf("it is an address and a port, such as 127.0.0.1:8080, not %q", v)
}

func span(v string, least, most time.Duration) (time.Duration, error) {
	d, err := time.ParseDuration(v)
	if err != nil || d < least || d > most {
		return 0, fmt.Errorf("it is a time of at most %s, such as 60s, not %q", most, v)
	}
	return d, nil
}

// networks reads networks, or single addresses.
func networks(v string) (out []netip.Prefix, err error) {
	for _, one := range list(v) {
		p, err := netip.ParsePrefix(one)
		if a, e := netip.ParseAddr(one); e == nil {
			p, err = a.Prefix(a.BitLen())
		}
		if err != nil {
			return nil, fmt.Errorf("it holds networks such as 10.1.0.0/16 or addresses such as 127.0.0.1, not %q", one)
		}
		out = append(out, p)
	}
	return out, nil
}

// browser is a program that is there; the usual one may be missing.
func browser(v string) (string, error) {
	path, err := exec.LookPath(v)
	if err != nil && v != "chromium" {
		return "", fmt.Errorf("there is no program %q", v)
	}
	return path, nil
}
