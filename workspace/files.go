package workspace

import (
	"context"
	"io"
	"strings"

	"eskadel/core/problem"
	"eskadel/files"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
	"eskadel/uploads"
)

// FilesSource is the name of the source that uploaded files make.
const FilesSource = uploads.Source

// TakesFiles tells whether there is a database for files.
func (w *Workspace) TakesFiles() bool { return w.files != nil }

// uploads is where files go, for whoever may bring them.
func (w *Workspace) uploads(who *identity.Caller) (*uploads.Uploads, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, err
	}
	if w.files == nil {
		return nil, problem.New(problem.Missing, "", "Files are not set up here: an administrator sets ESKADEL_FILES, as docs/operations.md tells.")
	}
	return w.files, nil
}

// Files lists the files that have been loaded.
func (w *Workspace) Files(ctx context.Context, who *identity.Caller) ([]store.File, error) {
	if err := rights.Ever(who, rights.Use); err != nil {
		return nil, err
	}
	return w.store.Files(ctx)
}

// LoadFile makes a file's table, or replaces all of it; say tells how far it is.
func (w *Workspace) LoadFile(ctx context.Context, who *identity.Caller, in io.Reader, original, name string, how files.How, say files.Progress) ([]store.File, error) {
	u, err := w.uploads(who)
	if err != nil {
		return nil, err
	}
	return u.Take(ctx, in, original, name, who.Name, how, say)
}

// LookAtFile shows the first rows of a file that has not been kept.
func (w *Workspace) LookAtFile(ctx context.Context, who *identity.Caller, in io.Reader, original string) ([]files.Glance, error) {
	u, err := w.uploads(who)
	if err != nil {
		return nil, err
	}
	return u.Look(ctx, in, original)
}

// AppendFile adds rows to a file's table.
func (w *Workspace) AppendFile(ctx context.Context, who *identity.Caller, in io.Reader, original, name string) (int64, error) {
	u, err := w.uploads(who)
	if err != nil {
		return 0, err
	}
	return u.Append(ctx, in, original, name, who.Name)
}

// FollowFile sets the address that a file is fetched from and how often, and fetches it; no
// address ends it.
func (w *Workspace) FollowFile(ctx context.Context, who *identity.Caller, name, address string, minutes int) error {
	u, err := w.uploads(who)
	if err != nil {
		return err
	}
	address = strings.TrimSpace(address)
	if err := u.Follow(ctx, name, address, minutes, who.Name); err != nil || address == "" {
		return err
	}
	return u.Fetch(ctx, name, who.Name)
}

// FetchFile gets a file from its address again.
func (w *Workspace) FetchFile(ctx context.Context, who *identity.Caller, name string) error {
	u, err := w.uploads(who)
	if err != nil {
		return err
	}
	return u.Fetch(ctx, name, who.Name)
}

// RemoveFile forgets a file and its table, unless a dataset stands on it.
func (w *Workspace) RemoveFile(ctx context.Context, who *identity.Caller, name string) error {
	u, err := w.uploads(who)
	if err != nil {
		return err
	}
	return u.Remove(ctx, name, who.Name)
}

// A File is an uploaded file, loaded as a table.
type File = store.File
