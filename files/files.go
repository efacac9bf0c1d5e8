// Package files turns uploaded files into tables of a database of their own beside
// Eskadel's: CSV, spreadsheets, JSON and JSON Lines. A file is read as a stream, row by
// row, and goes in by COPY within one transaction, so that one which cannot be read
// leaves the table as it was. What cannot be read is refused with a sentence that names
// row and column. It knows neither datasets nor people.
package files

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"eskadel/core/problem"
	"eskadel/core/statement"
	"eskadel/source"
)

// Most bytes a file may have, columns a table, and bytes an archive may unpack to.
const (
	MostBytes    = 1 << 30
	MostColumns  = 600
	mostUnpacked = 2 << 30
	longestTitle = 10_000 // bytes of a column's title
)

// refuse says which row and column of a file cannot be read, and why.
func refuse(row int64, column, format string, args ...any) error {
	where := ""
	if row > 0 {
		where = fmt.Sprintf("Row %d", row)
		if column != "" {
			where += ", column " + column
		}
		where += ": "
	}
	return problem.New(problem.Invalid, "file", "%s%s", where, fmt.Sprintf(format, args...))
}

// A Loader writes files into their database.
type Loader struct {
	pool   *pgxpool.Pool
	reader string // the role that may read the tables
	spool  string
}

// Open connects to the database of the files as the role that owns them; reader is the
// role that Eskadel reads them as.
func Open(ctx context.Context, url, reader string) (*Loader, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("read the address of the files' database: %w", err)
	}
	config.MaxConns = 3
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, err
	}
	l := &Loader{pool: pool, reader: reader, spool: os.TempDir()}
	_, err = pool.Exec(ctx, "grant usage on schema public to "+statement.Name(reader)+";\n"+source.WatchSQL(nil, nil), pgx.QueryExecModeSimpleProtocol)
	return l, err
}

// Close ends all connections.
func (l *Loader) Close() { l.pool.Close() }

// Spool keeps a stream in a temporary file, up to the limit. The caller removes it.
func (l *Loader) Spool(in io.Reader) (path string, err error) {
	f, err := os.CreateTemp(l.spool, "eskadel-file-*")
	if err != nil {
		return "", err
	}
	defer f.Close()
	n, err := io.Copy(f, io.LimitReader(in, MostBytes+1))
	if err == nil && n > MostBytes {
		err = problem.New(problem.TooMany, "file", "The file is larger than 1 GB.")
	}
	if err != nil {
		os.Remove(f.Name())
		return "", err
	}
	return f.Name(), nil
}

// A Loaded is a table made of a file, or of a sheet of one.
type Loaded struct {
	Name    string // of the table
	Title   string
	Sheet   string
	Format  string // in words
	Rows    int64
	Columns []Column
	Notes   []string // in words: what was done to it
}

// A Column is a column of the table, with its title in the file.
type Column struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	Type  string `json:"type"`
	kind  kind
}

// Progress is told, now and then, how far a file has got.
type Progress func(stage string, rows int64)

// A table is a stream of rows that can be read from the start again and again.
type table interface {
	// open begins again. The first call decides on columns and their kinds.
	open() (rows, error)
	sheet() string
	words() string
}

// rows gives one row after another: texts, and which of them are filled.
type rows interface {
	next() (fields [][]byte, filled []bool, err error)
	at() int64 // the number of the last row in the file
	last() (fields [][]byte, filled []bool)
	close()
}

var tableName = regexp.MustCompile(`[^a-z0-9]+`)

// NameOf makes a table's name of a file's.
func NameOf(file string) string {
	base := strings.TrimSuffix(filepath.Base(file), filepath.Ext(file))
	return columnName(base, "file")
}

func columnName(title, otherwise string) string {
	name := strings.Trim(tableName.ReplaceAllString(strings.ToLower(plainLetters(title)), "_"), "_")
	if name == "" {
		name = otherwise
	}
	if name != "" && name[0] >= '0' && name[0] <= '9' {
		name = "n" + name
	}
	return strings.TrimRight(name[:min(len(name), 55)], "_")
}

// Load reads the spooled file at path, known by its original name, into a table of the
// given name; a spreadsheet with several sheets makes a table of each, name_sheet.
// Tables of those names are replaced; what fails leaves its table as it was. A sheet that
// cannot be loaded is told among the notes of those that can.
func (l *Loader) Load(ctx context.Context, path, original, name string, how How, say Progress) ([]Loaded, error) {
	if err := how.Check(); err != nil {
		return nil, err
	}
	tables, err := open(ctx, path, original, how)
	if err != nil {
		return nil, err
	}
	several := len(tables) > 1
	if len(how.Sheets) > 0 {
		tables = slices.DeleteFunc(tables, func(t table) bool { return t.sheet() != "" && !slices.Contains(how.Sheets, t.sheet()) })
	}
	if len(tables) == 0 {
		return nil, problem.New(problem.Missing, "sheets", "None of the sheets that were chosen has rows.")
	}
	var out []Loaded
	var failed []string
	conn, err := l.pool.Acquire(ctx)
	if err != nil {
		return nil, down(err)
	}
	defer conn.Release()
	tx, err := conn.Begin(ctx)
	if err != nil {
		return nil, down(err)
	}
	defer func() { _ = tx.Rollback(context.WithoutCancel(ctx)) }()
	taken := map[string]bool{}
	for i, t := range tables {
		as := name
		if several { // sheets in other letters are numbered
			if as = columnName(name+"_"+t.sheet(), name); columnName(t.sheet(), "") == "" || taken[as] {
				as = fmt.Sprintf("%s_sheet_%d", name, i+1)
			}
			taken[as] = true
		}
		part, err := tx.Begin(ctx)
		if err != nil {
			return nil, down(err)
		}
		loaded, err := l.load(ctx, part, t, as, say)
		p := problem.Of(err)
		switch {
		case err == nil:
			if err := part.Commit(ctx); err != nil {
				return nil, down(err)
			}
			out = append(out, *loaded)
		case t.sheet() == "" || p == nil || p.Code == problem.Down || ctx.Err() != nil:
			return nil, err
		default:
			if err := part.Rollback(ctx); err != nil {
				return nil, down(err)
			}
			failed = append(failed, "Sheet “"+t.sheet()+"”: "+p.Words)
		}
	}
	if len(out) == 0 {
		return nil, problem.New(problem.Invalid, "", "%s", strings.Join(failed, " "))
	}
	out[0].Notes = append(out[0].Notes, failed...)
	return out, down(tx.Commit(ctx))
}

func down(err error) error {
	if err == nil || problem.Of(err) != nil {
		return err
	}
	return problem.New(problem.Down, "", "The database of the files does not answer, or not as it should.").Because(err)
}

// open finds out what a file is, from its beginning more than from its name.
func open(ctx context.Context, path, original string, how How) ([]table, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	head := make([]byte, 1<<20)
	n, err := io.ReadFull(bufio.NewReader(f), head)
	whole := errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF)
	head = head[:n]
	if strings.TrimSpace(string(head)) == "" && whole {
		return nil, refuse(0, "", "The file is empty.")
	}
	extension := strings.ToLower(filepath.Ext(original))
	switch {
	case string(head[:min(4, n)]) == "PK\x03\x04":
		return openXLSX(ctx, path, how)
	case strings.HasPrefix(string(head), "\xd0\xcf\x11\xe0"):
		return nil, refuse(0, "", "This is a spreadsheet in the old binary format: save it as XLSX or CSV.")
	case extension == ".json" || extension == ".jsonl" || extension == ".ndjson" || looksJSON(head):
		return []table{&jsonFile{path: path}}, nil
	}
	return []table{&csvFile{path: path, d: found(head, whole), how: how}}, nil
}

func looksJSON(head []byte) bool {
	s := strings.TrimLeft(strings.TrimPrefix(string(head[:min(len(head), 1000)]), "\ufeff"), " \t\r\n")
	return strings.HasPrefix(s, "{\"") || strings.HasPrefix(s, "[{") || strings.HasPrefix(s, "[\n") || strings.HasPrefix(s, "[ {")
}

// headed is a table whose rows come after titles.
type headed interface {
	titles() ([]string, error)
}

// few tells in words whether a table may have these columns.
func few(titles []string) error {
	switch {
	case len(titles) > MostColumns:
		return refuse(0, "", "The file has more than %d columns, and a table holds at most that many. Columns that repeat, such as months, are better as rows.", MostColumns)
	case len(titles) == 0:
		return refuse(0, "", "There are no columns.")
	}
	return nil
}

// sampleRows is how many rows decide on the kinds of columns; a later row that does not
// suit them makes the whole file be looked through.
const sampleRows = 5_000

func (l *Loader) load(ctx context.Context, tx pgx.Tx, t table, name string, say Progress) (*Loaded, error) {
	titles, err := t.(headed).titles()
	if err != nil {
		return nil, err
	}
	if err := few(titles); err != nil {
		return nil, err
	}
	columns := named(titles)
	if err := look(ctx, t, columns, sampleRows); err != nil {
		return nil, err
	}
	before, err := existing(ctx, tx, name)
	if err != nil {
		return nil, down(err)
	}
	if err := keep(columns, before); err != nil {
		return nil, err
	}
	out := &Loaded{Name: name, Title: name, Sheet: t.sheet(), Columns: columns}
	for try := 0; ; try++ {
		out.Rows, err = l.copy(ctx, tx, t, name, columns, say)
		if !errors.Is(err, errKind) {
			break
		}
		// A row far down is wider than the sample: look at all of them, once.
		if try > 0 {
			return nil, refuse(0, "", "The columns' kinds could not be settled.")
		}
		say("looking through the whole file", 0)
		if err = look(ctx, t, columns, -1); err == nil {
			err = keep(columns, before)
		}
		if err != nil {
			return nil, err
		}
	}
	if err != nil {
		return nil, err
	}
	out.Format = t.words()
	for i := range columns {
		columns[i].Type = sqlKinds[columns[i].kind]
	}
	if t, ok := t.(interface{ told() []string }); ok {
		out.Notes = t.told()
	}
	out.Notes = append(out.Notes, notes(out, titles, before)...)
	return out, down(l.settle(ctx, tx, name, columns, out.Rows))
}

// RowNumber is the column that numbers the rows, which is their key.
const RowNumber = "row_number"

// named gives each column a name of its own.
func named(titles []string) []Column {
	seen := map[string]bool{RowNumber: true}
	out := make([]Column, len(titles))
	for i, title := range titles {
		name := columnName(title, fmt.Sprintf("column_%d", i+1))
		for n := 2; seen[name]; n++ {
			name = fmt.Sprintf("%s_%d", columnName(title, fmt.Sprintf("column_%d", i+1)), n)
		}
		seen[name] = true
		out[i] = Column{Name: name, Title: strings.TrimSpace(title)}
	}
	return out
}

// look widens the columns' kinds by the first rows, or by all of them.
func look(ctx context.Context, t table, columns []Column, most int64) error {
	r, err := t.open()
	if err != nil {
		return err
	}
	defer r.close()
	for n := int64(0); most < 0 || n < most; n++ {
		fields, filled, err := r.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if n%4096 == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		for i, f := range fields {
			if c := &columns[i]; filled[i] && c.kind != kindText {
				c.kind = wider(c.kind, fieldKind(r, i, f))
			}
		}
	}
	return nil
}

// fieldKind is the kind of a field; files that know kinds of their own tell.
func fieldKind(r rows, i int, f []byte) kind {
	if k, ok := r.(interface{ kind(i int) kind }); ok {
		return k.kind(i)
	}
	return kindOf(f)
}

// existing returns the columns of the table that is to be replaced, by name.
func existing(ctx context.Context, tx pgx.Tx, name string) (map[string]kind, error) {
	rows, err := tx.Query(ctx, "select a.attname, format_type(a.atttypid, -1) from pg_attribute a where a.attrelid = to_regclass($1) and a.attnum > 0 and not a.attisdropped", "public."+statement.Name(name))
	if err != nil {
		return nil, err
	}
	out := map[string]kind{}
	var column, typ string
	_, err = pgx.ForEachRow(rows, []any{&column, &typ}, func() error {
		if column == RowNumber {
			return nil
		}
		out[column] = kindText
		for k, s := range sqlKinds {
			if s == typ || s == "timestamptz" && typ == "timestamp with time zone" {
				if k != kindEmpty {
					out[column] = k
				}
			}
		}
		return nil
	})
	return out, err
}

// keep gives columns the kinds they had, so that a replaced file suits what stands on it;
// what cannot is refused. A column that was there must still be there.
func keep(columns []Column, before map[string]kind) error {
	for i := range columns {
		c := &columns[i]
		was, known := before[c.Name]
		switch {
		case !known || was == c.kind:
		case c.kind == kindEmpty || was == kindText && c.kind != kindJSON || was == kindNumber && c.kind == kindInt:
			c.kind = was
		case was == kindInt && c.kind == kindNumber: // no harm to what stands on it
		default:
			return refuse(0, "", "The column “%s” held %s and now holds %s. Charts may stand on it: mend the file, or upload it under another name.", c.Title, kindWords[was], kindWords[c.kind])
		}
	}
	var gone []string
	for name := range before {
		if !slices.ContainsFunc(columns, func(c Column) bool { return c.Name == name }) {
			gone = append(gone, "“"+name+"”")
		}
	}
	if len(gone) > 0 {
		slices.Sort(gone)
		return refuse(0, "", "The file that is replaced has columns that this one lacks: %s. Mend the file, or upload it under another name.", strings.Join(gone, ", "))
	}
	return nil
}

func notes(l *Loaded, titles []string, before map[string]kind) (out []string) {
	var renamed []string
	for i, c := range l.Columns {
		if strings.TrimSpace(titles[i]) == "" {
			renamed = append(renamed, fmt.Sprintf("column %d, which has no title, is called %s", i+1, c.Name))
		}
	}
	if len(renamed) > 0 {
		out = append(out, "The "+strings.Join(renamed, ", the ")+".")
	}
	for _, c := range l.Columns {
		if _, was := before[c.Name]; len(before) > 0 && !was {
			out = append(out, fmt.Sprintf("The column “%s” is new.", c.Title))
		}
	}
	return out
}

// settle puts the new table in the place of the old one.
func (l *Loader) settle(ctx context.Context, tx pgx.Tx, name string, columns []Column, n int64) error {
	table := "public." + statement.Name(name)
	sql := "drop table if exists " + table + "; alter table public." + statement.Name(fresh(name)) + " rename to " + statement.Name(name) +
		"; alter table " + table + " add primary key (row_number), alter column row_number restart with " + fmt.Sprint(n+1) +
		"; grant select on " + table + " to " + statement.Name(l.reader) +
		"; create trigger eskadel_watch after insert or update or delete or truncate on " + table + " for each statement execute function public.eskadel_changed()" +
		"; analyze " + table
	for _, c := range columns {
		if c.Title != "" && c.Title != c.Name {
			sql += "; comment on column " + table + "." + statement.Name(c.Name) + " is '" + strings.ReplaceAll(c.Title, "'", "''") + "'"
		}
	}
	if _, err := tx.Exec(ctx, "set local standard_conforming_strings = on; "+sql, pgx.QueryExecModeSimpleProtocol); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, "select pg_notify('eskadel', $1)", "public."+name)
	return err
}

func fresh(name string) string { return name + "_new" }

var errKind = errors.New("a row is wider than its column")

// Remove drops a table.
func (l *Loader) Remove(ctx context.Context, name string) error {
	_, err := l.pool.Exec(ctx, "drop table if exists public."+statement.Name(name))
	if err == nil {
		_, err = l.pool.Exec(ctx, "select pg_notify('eskadel', $1)", "public."+name)
	}
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "2BP01" {
		return problem.New(problem.Conflict, "", "Something else in the database stands on this table.").Because(err)
	}
	return down(err)
}

// LoadTimeout is how long a file may take to load.
const LoadTimeout = 30 * time.Minute
