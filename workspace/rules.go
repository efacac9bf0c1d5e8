package workspace

import (
	"context"
	"fmt"
	"slices"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// rulesName is the name of the rules of a table.
func rulesName(of, table string) string { return of + "/" + table }

// TableRules are the rules of one table with their standing; there may be none yet.
func (w *Workspace) TableRules(ctx context.Context, who *identity.Caller, of, table string) (*dataset.RulesDocument, Standing, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, Standing{}, err
	}
	kept, err := w.store.Document(ctx, Rules, rulesName(of, table))
	if problem.Is(err, problem.NotFound) {
		return &dataset.RulesDocument{Version: dataset.RulesVersion, Source: of, TableRules: dataset.TableRules{Table: table}}, Standing{Kind: Rules, Name: rulesName(of, table), May: true}, nil
	}
	if err != nil {
		return nil, Standing{}, err
	}
	doc, err := dataset.ReadTableRules(kept.Draft)
	return doc, standing(who, kept), err
}

// SaveTableRules keeps the rules of one table, if they suit it; they hold at once.
func (w *Workspace) SaveTableRules(ctx context.Context, who *identity.Caller, of string, rules dataset.TableRules, on On) (Standing, error) {
	tables, err := w.catalogue(ctx, who, of)
	if err != nil {
		return Standing{}, err
	}
	if t := tables.Table(rules.Table); t != nil {
		rules.Table = t.ID()
	}
	doc := &dataset.RulesDocument{Version: dataset.RulesVersion, Source: of, TableRules: rules}
	return w.keep(ctx, who, w.rulesOf(ctx, who, of, rules.Table, doc.JSON(), on, "changed the row rules of the table"))
}

func (w *Workspace) putBackRules(ctx context.Context, who *identity.Caller, name string, document []byte, on On, number int) (Standing, error) {
	doc, err := dataset.ReadTableRules(document)
	if err != nil {
		return Standing{}, err
	}
	return w.keep(ctx, who, w.rulesOf(ctx, who, doc.Source, doc.Table, document, on, fmt.Sprintf("put back version %d of the row rules of the table", number)))
}

func (w *Workspace) rulesOf(ctx context.Context, who *identity.Caller, of, table string, document []byte, on On, done string) making {
	return making{kind: Rules, name: rulesName(of, table), on: on, mine: document, holds: true, what: rights.Build, done: done,
		read: func(b []byte) ([]byte, string, error) {
			doc, err := dataset.ReadTableRules(b)
			if err != nil {
				return nil, "", err
			}
			tables, err := w.catalogue(ctx, who, of)
			if err != nil {
				return nil, "", err
			}
			all := &dataset.SourceRules{Version: dataset.RulesVersion, Source: of, Tables: []dataset.TableRules{doc.TableRules}}
			if _, err := tables.With(all); err != nil {
				return nil, "", err
			}
			return doc.JSON(), table, nil
		}}
}

// catalogue is the tables of a source as they are there, whatever its rules.
func (w *Workspace) catalogue(ctx context.Context, who *identity.Caller, of string) (dataset.Catalogue, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, err
	}
	src, err := w.reader.Source(of)
	if err != nil {
		return nil, err
	}
	return src.Catalogue(ctx)
}

// SourceRules are the rules of all tables of a source, with a tag that changes with them.
func (w *Workspace) SourceRules(ctx context.Context, who *identity.Caller, of string) (*dataset.SourceRules, string, error) {
	if err := rights.Ever(who, rights.Build); err != nil {
		return nil, "", err
	}
	if _, err := w.store.Source(ctx, of); err != nil {
		return nil, "", err
	}
	return w.reader.Rules(ctx, of)
}

// SaveSourceRules keeps the rules of all tables of a source in one step, if they suit them
// and are made from the state that tag names.
func (w *Workspace) SaveSourceRules(ctx context.Context, who *identity.Caller, r *dataset.SourceRules, tag string) error {
	tables, err := w.catalogue(ctx, who, r.Source)
	if err != nil {
		return err
	}
	if _, err := tables.With(r); err != nil {
		return err
	}
	r.Settle(tables)
	kept, err := w.store.Source(ctx, r.Source)
	if err != nil {
		return err
	}
	_, now, err := w.reader.Rules(ctx, r.Source)
	if err != nil {
		// Rules that cannot be read are replaced by any that can.
		warn("row rules that could not be read are replaced", err, "source", r.Source)
		now = tag
	}
	switch {
	case tag == "" && now != "":
		return problem.New(problem.Unstated, "", "There are row rules for this source already: say which state of them the change was made from.")
	case tag != now:
		return problem.New(problem.Outdated, "", "Somebody else changed the row rules of this source meanwhile. Nothing of theirs has been overwritten, and nothing of yours is kept yet.")
	}
	before, err := w.store.Documents(ctx, Rules)
	if err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		seen := map[string]bool{}
		for _, t := range r.Tables {
			seen[rulesName(r.Source, t.Table)] = true
			if err := w.putRules(ctx, tx, r.Source, t, before); err != nil {
				return err
			}
		}
		for _, d := range before {
			doc, err := dataset.ReadTableRules(d.Draft)
			if err != nil || doc.Source != r.Source || seen[d.Name] {
				continue
			}
			// A table without rules keeps the history of those that it had.
			if err := w.putRules(ctx, tx, r.Source, dataset.TableRules{Table: doc.Table}, before); err != nil {
				return err
			}
		}
		return tx.Audit(ctx, "changed the row rules of the source", kept.Title)
	})
}

// putRules keeps the rules of one table within a larger change, where they are others than
// they were.
func (w *Workspace) putRules(ctx context.Context, tx *store.Tx, of string, rules dataset.TableRules, before []store.Document) error {
	doc := &dataset.RulesDocument{Version: dataset.RulesVersion, Source: of, TableRules: rules}
	if doc.RowRules == nil {
		doc.RowRules = []dataset.RowRule{}
	}
	name := rulesName(of, rules.Table)
	i := slices.IndexFunc(before, func(d store.Document) bool { return d.Name == name })
	refs := []store.Reference{{Kind: source, Name: of}}
	if i < 0 {
		d := &store.Document{Kind: Rules, Name: name, Title: rules.Table, Draft: doc.JSON(), Indexed: manner}
		if err := tx.Add(ctx, d, refs); err != nil {
			return err
		}
		return tx.Publish(ctx, d, d.Draft, refs)
	}
	d := before[i]
	if was, err := dataset.ReadTableRules(d.Draft); err == nil && string(was.JSON()) == string(doc.JSON()) {
		return nil
	}
	d.Draft, d.Indexed = doc.JSON(), manner
	if err := tx.Save(ctx, &d, refs); err != nil {
		return err
	}
	return tx.Publish(ctx, &d, d.Draft, refs)
}

// TableRulesAt are the rules of a table as they were at a revision, for making one change to
// them.
func (w *Workspace) TableRulesAt(ctx context.Context, who *identity.Caller, of, table string, revision int) (dataset.TableRules, error) {
	document, err := w.draftAt(ctx, who, Rules, rulesName(of, table), revision)
	if problem.Is(err, problem.NotFound) {
		return dataset.TableRules{Table: table}, nil
	}
	if err != nil {
		return dataset.TableRules{}, err
	}
	doc, err := dataset.ReadTableRules(document)
	if err != nil {
		return dataset.TableRules{}, err
	}
	return doc.TableRules, nil
}
