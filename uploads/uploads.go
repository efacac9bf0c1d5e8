// Package uploads keeps uploaded files as a source: it takes a file from a person, a
// program or an address, has package files load it, remembers what it was, and fetches
// it again on a schedule. It knows no HTTP.
package uploads

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/netip"
	"os"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/files"
	"eskadel/live"
	"eskadel/store"
)

// Source is the name of the source that the files make.
const Source = dataset.Files

// Config says where files are kept.
type Config struct {
	Database string         // the address of their database, as the role that owns it
	Reader   string         // the same as the role that only reads
	Role     string         // the name of that role
	Allowed  []netip.Prefix // networks inside that files may be fetched from
}

// Uploads takes files.
type Uploads struct {
	loader  *files.Loader
	fetcher *files.Fetcher
	store   *store.Store
	engine  *live.Engine
}

// Open connects to the files' database and makes it a source; files are fetched by their
// schedules until ctx ends.
func Open(ctx context.Context, c Config, s *store.Store, e *live.Engine) (*Uploads, error) {
	loader, err := files.Open(ctx, c.Database, c.Role)
	if err != nil {
		return nil, err
	}
	if err := settle(ctx, s, c.Reader); err != nil {
		return nil, err
	}
	u := &Uploads{loader, files.NewFetcher(c.Allowed), s, e}
	go u.schedule(ctx)
	return u, nil
}

// settle makes the files' database a source, where it is not one yet or lies elsewhere.
func settle(ctx context.Context, s *store.Store, reader string) error {
	if kept, err := s.Source(ctx, Source); err == nil {
		if url, err := s.SourceURL(kept); err == nil && url == reader {
			return nil
		}
	}
	return s.Change(ctx, "", func(tx *store.Tx) error {
		if err := tx.SaveSource(ctx, Source, "Files", reader, "files"); err != nil {
			return err
		}
		return tx.Audit(ctx, "set up files as a source", "Files")
	})
}

// keep keeps what is known of a file, and who did what to it.
func (u *Uploads) keep(ctx context.Context, f *store.File, by, done string) error {
	return u.store.Change(ctx, by, func(tx *store.Tx) error {
		if err := tx.SaveFile(ctx, f); err != nil {
			return err
		}
		return tx.Audit(ctx, done, f.Title)
	})
}

// Close ends all connections.
func (u *Uploads) Close() { u.loader.Close() }

// Take loads a file, known by its original name, as the table name (made of the original
// one when it is empty), and remembers it. by is whoever brought it.
func (u *Uploads) Take(ctx context.Context, in io.Reader, original, name, by string, how files.How, say files.Progress) ([]store.File, error) {
	if name == "" {
		name = files.NameOf(original)
	}
	// How it was read before is how it is read again, unless told otherwise.
	if kept, err := u.store.File(ctx, name); err == nil && how.IsZero() {
		if err := json.Unmarshal(kept.How, &how); err != nil {
			return nil, err
		}
	}
	path, err := u.loader.Spool(in)
	if err != nil {
		return nil, err
	}
	defer os.Remove(path)
	say("reading", 0)
	ctx, cancel := context.WithTimeout(ctx, files.LoadTimeout)
	defer cancel()
	loaded, err := u.loader.Load(ctx, path, original, name, how, say)
	if err != nil {
		return nil, err
	}
	var out []store.File
	for _, l := range loaded {
		f, err := u.store.File(ctx, l.Name)
		if err != nil {
			f = &store.File{Name: l.Name, Title: dataset.Tidy(l.Name)}
		}
		f.Original, f.Sheet, f.Format, f.Rows, f.LoadedAt, f.LoadedBy, f.Trouble = original, l.Sheet, l.Format, l.Rows, time.Now(), by, ""
		f.Columns, _ = json.Marshal(l.Columns)
		notes := append([]string{}, l.Notes...)
		f.Notes, _ = json.Marshal(notes)
		f.How, _ = json.Marshal(how)
		if err := u.keep(ctx, f, by, "loaded the file "+original); err != nil {
			return nil, err
		}
		out = append(out, *f)
	}
	return out, u.refresh(ctx)
}

// Look shows the beginning of a file, for choosing how it is read.
func (u *Uploads) Look(ctx context.Context, in io.Reader, original string) ([]files.Glance, error) {
	path, err := u.loader.Spool(in)
	if err != nil {
		return nil, err
	}
	defer os.Remove(path)
	ctx, cancel := context.WithTimeout(ctx, files.LoadTimeout)
	defer cancel()
	return files.Look(ctx, path, original)
}

// refresh reads anew which tables the files make.
func (u *Uploads) refresh(ctx context.Context) error {
	src, err := u.engine.Source(Source)
	if err != nil {
		return err
	}
	_, err = src.Introspect(ctx)
	return err
}

// Append adds records, as JSON, to a file's table.
func (u *Uploads) Append(ctx context.Context, in io.Reader, original, name, by string) (int64, error) {
	f, err := u.store.File(ctx, name)
	if err != nil {
		return 0, err
	}
	path, err := u.loader.Spool(in)
	if err != nil {
		return 0, err
	}
	defer os.Remove(path)
	n, err := u.loader.Append(ctx, path, original, name)
	if err != nil {
		return 0, err
	}
	f.Rows += n
	f.LoadedAt, f.LoadedBy = time.Now(), by
	return n, u.keep(ctx, f, by, fmt.Sprintf("added %d rows to the file", n))
}

// Remove forgets a file and its table, unless a dataset stands on it.
func (u *Uploads) Remove(ctx context.Context, name, by string) error {
	f, err := u.store.File(ctx, name)
	if err != nil {
		return err
	}
	sets, err := u.store.Documents(ctx, store.Dataset)
	if err != nil {
		return err
	}
	for _, kept := range sets {
		d, err := dataset.Read(kept.Draft)
		if err != nil || d.Source != Source {
			continue
		}
		ds, err := u.engine.Resolve(ctx, d)
		if err != nil {
			continue
		}
		for _, t := range ds.Tables() {
			if t == "public."+name {
				return problem.New(problem.Conflict, "", "The dataset “%s” stands on this file: remove it first.", d.Title)
			}
		}
	}
	if err := u.loader.Remove(ctx, name); err != nil {
		return err
	}
	err = u.store.Change(ctx, by, func(tx *store.Tx) error {
		if err := tx.RemoveFile(ctx, name); err != nil {
			return err
		}
		return tx.Audit(ctx, "removed the file", f.Title)
	})
	if err != nil {
		return err
	}
	return u.refresh(ctx)
}

// Follow sets the address that a file is fetched from, and how often; none ends it.
func (u *Uploads) Follow(ctx context.Context, name, address string, minutes int, by string) error {
	f, err := u.store.File(ctx, name)
	if err != nil {
		return err
	}
	if address == "" {
		f.Address, f.EveryMinutes, f.NextAt = "", 0, nil
		return u.keep(ctx, f, by, "no longer fetches the file")
	}
	if err := files.CheckAddress(address); err != nil {
		return err
	}
	if minutes != 0 && minutes < 5 {
		return problem.New(problem.Invalid, "every", "A file is fetched every 5 minutes at most.")
	}
	f.Address, f.EveryMinutes, f.NextAt = address, minutes, nil
	if minutes > 0 {
		next := time.Now().Add(time.Duration(minutes) * time.Minute)
		f.NextAt = &next
	}
	return u.keep(ctx, f, by, "set from where the file is fetched")
}

// Fetch gets a file from its address again. What goes wrong is kept with the file.
func (u *Uploads) Fetch(ctx context.Context, name, by string) error {
	f, err := u.store.File(ctx, name)
	if err != nil {
		return err
	}
	if f.Address == "" {
		return problem.New(problem.Missing, "address", "This file has no address to be fetched from.")
	}
	in, original, err := u.fetcher.Fetch(ctx, f.Address)
	if err == nil {
		defer in.Close()
		if !strings.Contains(original, ".") {
			original = f.Original
		}
		_, err = u.Take(ctx, in, original, f.Name, by, files.How{}, func(string, int64) {})
	}
	if err == nil {
		return nil
	}
	f.Trouble = "The fetch failed; the log says why."
	if p := problem.Of(err); p != nil {
		f.Trouble = p.Words
	}
	if kept := u.keep(context.WithoutCancel(ctx), f, by, "could not fetch the file"); kept != nil {
		return kept
	}
	return err
}

// schedule fetches files whose time has come.
func (u *Uploads) schedule(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(20 * time.Second):
		}
		for ctx.Err() == nil {
			f, err := u.store.DueFile(ctx)
			if err != nil || f == nil {
				break
			}
			if err := u.Fetch(ctx, f.Name, "schedule"); err != nil {
				slog.Warn("a file could not be fetched", "file", f.Name, "error", err)
			}
		}
	}
}
