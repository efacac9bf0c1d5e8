package workspace

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/identity"
	"eskadel/rights"
	database "eskadel/source"
	"eskadel/store"
	"eskadel/uploads"
)

// A SourceRow is a source in a list.
type SourceRow struct {
	Name, Title, Kind string
	Revision          int
}

// Sources lists the sources that somebody may make datasets or charts of.
func (w *Workspace) Sources(ctx context.Context, who *identity.Caller) ([]SourceRow, error) {
	if err := rights.Ever(who, rights.Use); err != nil {
		return nil, err
	}
	kept, err := w.store.Sources(ctx)
	out := []SourceRow{}
	for _, k := range kept {
		if rights.May(who, rights.Use, rights.Thing{For: [][]string{k.Authors()}}) == nil {
			out = append(out, SourceRow{k.Name, k.Title, k.Kind, k.Revision})
		}
	}
	return out, err
}

// A SourcePage is a source as builders look at it.
type SourcePage struct {
	SourceRow
	Address  string // without its password
	Authors  []string
	Tables   dataset.Catalogue
	Trouble  *problem.Problem // why its tables cannot be read
	Rules    *dataset.SourceRules
	RulesTag string
	Live     bool   // its changes are heard
	WatchSQL string // makes its tables announce their changes
	RoleSQL  string // makes the role that reads them
	Changer  Changer
	Files    []store.File
}

// SourceTitle is what a source is called; its name where there is none.
func (w *Workspace) SourceTitle(ctx context.Context, name string) string {
	s, err := w.store.Source(ctx, name)
	if err != nil {
		return name
	}
	return cmp.Or(s.Title, name)
}

// SourcePage opens a source.
func (w *Workspace) SourcePage(ctx context.Context, who *identity.Caller, name string) (*SourcePage, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, err
	}
	k, err := w.store.Source(ctx, name)
	if err != nil {
		return nil, err
	}
	p := &SourcePage{SourceRow: SourceRow{k.Name, k.Title, k.Kind, k.Revision}, Authors: k.Authors(), Live: w.reader.Hub.Heard(name)}
	if url, err := w.store.SourceURL(k); err == nil {
		p.Address, _ = database.Bare(url)
	}
	if p.Tables, err = w.reader.Catalogue(ctx, name); err != nil {
		p.Trouble = unreadable(err)
	}
	var schemas []string
	for _, t := range p.Tables {
		if !slices.Contains(schemas, t.Schema) {
			schemas = append(schemas, t.Schema)
		}
	}
	p.Changer = Changer{Role: k.Changer, SQL: database.ChangerSQL(schemas)}
	p.WatchSQL, p.RoleSQL = database.WatchSQL(schemas, rule.Compared(p.Tables)), database.RoleSQL(schemas)
	if p.Rules, p.RulesTag, err = w.reader.Rules(ctx, name); err != nil {
		p.Trouble = unreadable(err)
	}
	if k.Kind == "files" {
		p.Files, err = w.store.Files(ctx)
		return p, err
	}
	return p, nil
}

// RoleSQL makes the role that reads a source whose tables are not known yet.
func RoleSQL() string { return database.RoleSQL(nil) }

// Tables returns the tables of a source with their row rules.
func (w *Workspace) Tables(ctx context.Context, who *identity.Caller, name string) (dataset.Catalogue, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, err
	}
	return w.reader.Catalogue(ctx, name)
}

// ReadTables reads again which tables a source has.
func (w *Workspace) ReadTables(ctx context.Context, who *identity.Caller, name string) error {
	if err := rights.Ever(who, rights.Build); err != nil {
		return err
	}
	src, err := w.reader.Source(name)
	if err != nil {
		return err
	}
	_, err = src.Introspect(ctx)
	return err
}

// A Connection is what is given of a source that is connected, or moved.
type Connection struct {
	Name, Title, Address, Password string
	Change                         bool // it is there already; its password stays unless another is given
	Only                           bool // only tried, nothing is kept
	On                             On
}

// Connect connects a database, or changes the address of one, once it has answered; it says
// in words what was found there.
func (w *Workspace) Connect(ctx context.Context, who *identity.Caller, c Connection) (found []string, err error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, err
	}
	if err := dataset.CheckName(c.Name); err != nil {
		return nil, err
	}
	if strings.TrimSpace(c.Title) == "" || c.Name == uploads.Source {
		return nil, problem.New(problem.Missing, "title", "Give the source a title, and a name other than “%s”.", uploads.Source)
	}
	kept, err := w.store.Source(ctx, c.Name)
	known := err == nil
	if err != nil && !problem.Is(err, problem.NotFound) {
		return nil, err
	}
	if known && !c.Change {
		return nil, problem.New(problem.Conflict, "name", "There is a source called “%s” already.", c.Name)
	}
	address := database.WithPassword(c.Address, c.Password)
	if known && c.Password == "" {
		if was, err := w.store.SourceURL(kept); err == nil {
			_, before := database.Bare(was)
			if _, given := database.Bare(address); given == "" {
				address = database.WithPassword(address, before)
			}
		}
	}
	diagnosis, err := database.Diagnose(ctx, address)
	if err != nil {
		return nil, err
	}
	own, err := w.store.Ask(ctx, database.IdentityQuery)
	if err == nil && own == diagnosis.Identity {
		err = problem.New(problem.Forbidden, "url", "This is Eskadel's own database: the address of the application's is wanted.")
	}
	if err != nil || c.Only {
		return diagnosis.Words(), err
	}
	return diagnosis.Words(), w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := onSource(ctx, tx, c.Name, c.On); err != nil {
			return err
		}
		if err := tx.SaveSource(ctx, c.Name, c.Title, address, "postgresql"); err != nil {
			return err
		}
		done := "connected the source"
		if known {
			done = "changed the address of the source"
		}
		return tx.Audit(ctx, done, c.Title)
	})
}

// onSource tells whoever changes an older state of a source so; without a state nothing is
// demanded.
func onSource(ctx context.Context, tx *store.Tx, name string, on On) error {
	if on.Revision <= 0 {
		return nil
	}
	now, err := tx.Source(ctx, name)
	if problem.Is(err, problem.NotFound) {
		return nil
	}
	if err == nil && now.Revision != on.Revision {
		err = problem.New(problem.Outdated, "", "Somebody else changed this source meanwhile. Look at it again, then change it.")
	}
	return err
}

// RemoveSource forgets a source that nothing stands on.
func (w *Workspace) RemoveSource(ctx context.Context, who *identity.Caller, name string, on On) error {
	if err := rights.Ever(who, rights.Build); err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		kept, err := tx.Source(ctx, name)
		if err != nil {
			return err
		}
		if err := onSource(ctx, tx, name, on); err != nil {
			return err
		}
		uses, err := tx.Uses(ctx, source, name)
		if err != nil {
			return err
		}
		var sets int
		for _, u := range uses {
			if u.Kind == Dataset {
				sets++
			}
		}
		if sets == 1 {
			return problem.New(problem.Conflict, "", "1 dataset stands on this source: remove it first.")
		}
		if sets > 0 {
			return problem.New(problem.Conflict, "", "%d datasets stand on this source: remove them first.", sets)
		}
		for _, u := range uses { // its rules go with it
			d, err := tx.Lock(ctx, u.Kind, u.Name)
			if err != nil {
				return err
			}
			if err := tx.Remove(ctx, d); err != nil {
				return err
			}
		}
		if err := tx.RemoveSource(ctx, name); err != nil {
			return err
		}
		return tx.Audit(ctx, "removed the source", kept.Title)
	})
}

// ShareSource says which authors may make something of a source; all of them when none are
// named.
func (w *Workspace) ShareSource(ctx context.Context, who *identity.Caller, name string, emails []string) error {
	if err := rights.Ever(who, rights.Build); err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		kept, err := tx.Source(ctx, name)
		if err != nil {
			return err
		}
		if err := tx.SaveAuthors(ctx, name, emails); err != nil {
			return err
		}
		return tx.Audit(ctx, "changed who may use the source", kept.Title)
	})
}

// WithoutPassword is an address as it may be shown.
func WithoutPassword(address string) string {
	bare, _ := database.Bare(address)
	return bare
}

// A Changer is the role that changes a source's records.
type Changer struct {
	Role string // "" where there is none
	SQL  string // makes one
}

// NameChanger names the role that changes a source's records, once it has answered, and says what it may
// change; without a name there is none from then on. Without a password that of the same role stays.
func (w *Workspace) NameChanger(ctx context.Context, who *identity.Caller, name, role, password string, only bool) (found []string, err error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, err
	}
	kept, err := w.store.Source(ctx, name)
	if err != nil {
		return nil, err
	}
	if kept.Kind == "files" {
		return nil, problem.New(problem.Invalid, "changer", "What was uploaded is changed by uploading it again.")
	}
	if role = strings.TrimSpace(role); role != "" {
		as := *kept
		if as.Changer != role || password != "" {
			as.Changer, as.SealedChanger = role, w.store.Seal(password)
		}
		url, err := w.store.ChangerURL(&as)
		if err != nil {
			return nil, err
		}
		tables, err := database.DiagnoseChanger(ctx, url)
		if err != nil {
			return nil, err
		}
		for _, t := range tables {
			found = append(found, fmt.Sprintf("“%s” may change %s of %s.", role, strings.Join(t.Columns, ", "), strings.TrimPrefix(t.Table, "public.")))
		}
		if only {
			return found, nil
		}
		kept = &as
	} else if only {
		return nil, problem.New(problem.Missing, "changer", "Name a role to try.")
	} else {
		kept = &store.Source{Name: kept.Name, Title: kept.Title}
	}
	return found, w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := tx.SaveChanger(ctx, name, kept.Changer, kept.SealedChanger); err != nil {
			return err
		}
		done := "named the role that changes records of the source"
		if kept.Changer == "" {
			done = "took away the role that changes records of the source"
		}
		return tx.Audit(ctx, done, kept.Title)
	})
}

// ChangesBy tells who may change the records of a source: its role, "" where none is named, and the host apps.
func (w *Workspace) ChangesBy(ctx context.Context, who *identity.Caller, name string) (role string, apps []store.HostApp, err error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return "", nil, err
	}
	kept, err := w.store.Source(ctx, name)
	if err == nil {
		role = kept.Changer
		apps, err = w.store.HostApps(ctx)
	}
	return role, apps, err
}
