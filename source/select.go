package source

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	pg "github.com/pganalyze/pg_query_go/v6"
	"google.golang.org/protobuf/reflect/protoreflect"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/source/grammar"
)

// Select checks a builder's own query and describes its columns. The query is parsed by
// PostgreSQL's own grammar, and must be one query that only reads: every part of it is
// one of a list of kinds known to be harmless, every function is on a list, and every
// table is one that the role may read. Tables and functions are then rewritten to names
// that nothing else can answer to, and what comes out is described by the database.
func (s *Source) Select(ctx context.Context, sql string, c dataset.Catalogue) (*dataset.Table, error) {
	d, attributes, err := check(ctx, sql, c)
	if err != nil {
		return nil, problem.At("select", err)
	}
	name := "query"
	t := dataset.Derive(name, d, nil)
	var columns []dataset.Column
	err = s.read(ctx, func(conn *pgx.Conn) error {
		if err := attributesOnly(ctx, conn, attributes); err != nil {
			return err
		}
		described, err := conn.Prepare(ctx, "", "select * from "+t.Body()+" r")
		if err != nil {
			return ownWords(err)
		}
		if len(described.Fields) == 0 {
			return problem.New(problem.Invalid, "", "The query gives no column.")
		}
		seen := map[string]bool{}
		for _, f := range described.Fields {
			if seen[f.Name] {
				return problem.New(problem.Invalid, "", "Two columns are called “%s”: give one of them another name with “as”.", f.Name)
			}
			seen[f.Name] = true
			col := dataset.Column{Name: f.Name}
			if err := conn.QueryRow(ctx, "select format_type($1, $2)", f.DataTypeOID, f.TypeModifier).Scan(&col.SQLType); err != nil {
				return err
			}
			col.Classify(strings.Split(col.SQLType, "(")[0])
			columns = append(columns, col)
		}
		return nil
	})
	if err != nil {
		return nil, problem.At("select", err)
	}
	return dataset.Derive(name, d, columns), nil
}

// ownWords puts what the database says of a builder's own query into words; it is the
// builder's own text, so the database's words are theirs to read.
func ownWords(err error) error {
	var e *pgconn.PgError
	if errors.As(err, &e) && (slices.Contains([]string{"22", "42", "54"}, e.Code[:2])) {
		return problem.New(problem.Invalid, "", "The database does not accept the query: %s.", e.Message).Because(err)
	}
	return err
}

// attributesOnly refuses parts of a value, (x).name, whose name is that of a function: where
// x has no such part the database would call it.
func attributesOnly(ctx context.Context, conn *pgx.Conn, names []string) error {
	if len(names) == 0 {
		return nil
	}
	rows, err := conn.Query(ctx, "select proname::text from pg_proc where pronamespace = 'pg_catalog'::regnamespace and proname::text = any($1)", names)
	if err != nil {
		return err
	}
	functions, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	for _, f := range functions {
		if !allowed[f] {
			return notCallable(f)
		}
	}
	return nil
}

// reader walks a query's tree, refuses what may not stand in it and rewrites names.
type reader struct {
	table      func(schema, name string) (as string, err error) // finds a table, and says what it is called from then on
	mentions   map[string]bool
	attributes []string // names of parts of values, (x).name
	bare       []string // names that stand alone, which may mean a whole row
	aliases    map[string]bool
	star       bool
	scopes     []map[string]bool // names given by “with”, innermost last
}

// check reads a query and returns it rewritten, with the names of parts of values in it.
func check(ctx context.Context, sql string, c dataset.Catalogue) (*dataset.Derived, []string, error) {
	tree, err := one(ctx, sql, grammar.Parse)
	if err != nil {
		return nil, nil, err
	}
	d := &dataset.Derived{}
	r := newReader(func(schema, name string) (string, error) {
		if schema != "" {
			name = schema + "." + name
		}
		t := c.Table(name)
		if t == nil || schema != "" && t.ID() != name {
			return "", problem.New(problem.NotFound, "", "The source has no table “%s” that may be read.", name)
		}
		i := slices.Index(d.Reads, t)
		if i < 0 {
			i = len(d.Reads)
			d.Reads, d.Names = append(d.Reads, t), append(d.Names, dataset.Relation(i))
		}
		return d.Names[i], nil
	})
	if err := r.walk(tree.GetStmts()[0].GetStmt().ProtoReflect()); err != nil {
		return nil, nil, err
	}
	if d.SQL, err = grammar.Deparse(ctx, tree); err != nil {
		return nil, nil, unread(err)
	}
	if !r.whole() {
		d.Mentions = r.mentions
	}
	return d, r.attributes, again(ctx, d)
}

// again reads what was written, as the database will, and finds nothing in it but names
// of ours.
func again(ctx context.Context, d *dataset.Derived) error {
	tree, err := one(ctx, d.SQL, grammar.Reread)
	if err != nil {
		return fmt.Errorf("read the checked query again: %w", err)
	}
	r := newReader(func(schema, name string) (string, error) {
		if schema != "" || !slices.Contains(d.Names, name) {
			return "", fmt.Errorf("the checked query names the table %q", name)
		}
		return name, nil
	})
	return r.walk(tree.GetStmts()[0].GetStmt().ProtoReflect())
}

// one reads a text that must be one query.
func one(ctx context.Context, sql string, read func(context.Context, string) (*pg.ParseResult, error)) (*pg.ParseResult, error) {
	tree, err := read(ctx, sql)
	if err != nil {
		return nil, unread(err)
	}
	if len(tree.GetStmts()) != 1 {
		return nil, problem.New(problem.Invalid, "", "Write one query; there are %d statements.", len(tree.GetStmts()))
	}
	if tree.GetStmts()[0].GetStmt().GetSelectStmt() == nil {
		return nil, problem.New(problem.Invalid, "", "Only a query that reads is taken: it begins with “select” or “with”.")
	}
	return tree, nil
}

// unread puts what the grammar says into words.
func unread(err error) error {
	var c *grammar.Complaint
	if errors.As(err, &c) {
		return problem.New(problem.Invalid, "", "This is not a query that PostgreSQL can read: %s.", strings.TrimSuffix(c.Words, "."))
	}
	return err
}

func newReader(table func(schema, name string) (string, error)) *reader {
	return &reader{table: table, mentions: map[string]bool{}, aliases: map[string]bool{}}
}

// whole tells whether the query may refer to every column of what it reads.
func (r *reader) whole() bool {
	return r.star || slices.ContainsFunc(r.bare, func(name string) bool { return r.aliases[name] })
}

// harmless are the kinds of node that a query may hold. Whatever is not listed is refused.
var harmless = map[string]bool{
	"Node": true, "SelectStmt": true, "ResTarget": true, "ColumnRef": true, "String": true, "A_Star": true, "A_Const": true, "Integer": true, "Float": true, "Boolean": true, "BitString": true,
	"A_Expr": true, "BoolExpr": true, "NullTest": true, "BooleanTest": true, "CaseExpr": true, "CaseWhen": true, "CoalesceExpr": true, "MinMaxExpr": true, "SubLink": true, "TypeCast": true, "TypeName": true,
	"A_ArrayExpr": true, "A_Indirection": true, "A_Indices": true, "RowExpr": true, "FuncCall": true, "WindowDef": true, "SortBy": true, "List": true, "RangeVar": true, "Alias": true, "JoinExpr": true,
	"RangeSubselect": true, "RangeFunction": true, "WithClause": true, "CommonTableExpr": true, "GroupingSet": true, "GroupingFunc": true, "SQLValueFunction": true, "CollateClause": true, "NamedArgExpr": true,
}

var kinds = map[string]string{
	"LockingClause": "“for update” locks records", "IntoClause": "“into” makes a table", "ParamRef": "$1 stands for a value that there is none of", "RangeTableSample": "“tablesample” gives another answer each time",
	"InsertStmt": "“insert” writes", "UpdateStmt": "“update” writes", "DeleteStmt": "“delete” writes", "MergeStmt": "“merge” writes", "XmlExpr": "XML is not read here", "CurrentOfExpr": "there is no cursor",
}

func (r *reader) walk(m protoreflect.Message) error {
	kind := string(m.Descriptor().Name())
	if !harmless[kind] {
		why := kinds[kind]
		if why == "" {
			why = "“" + kind + "” is not among what a query may hold"
		}
		return problem.New(problem.Invalid, "", "This query is not taken: %s.", why)
	}
	switch n := m.Interface().(type) {
	case *pg.SelectStmt:
		if n.GetIntoClause() != nil {
			return problem.New(problem.Invalid, "", "This query is not taken: “into” makes a table.")
		}
		if w := n.GetWithClause(); w != nil {
			return r.with(n, w)
		}
	case *pg.RangeVar:
		if err := r.relation(n); err != nil {
			return err
		}
	case *pg.Alias:
		r.aliases[n.GetAliasname()] = true
	case *pg.FuncCall:
		if err := r.function(n); err != nil {
			return err
		}
	case *pg.TypeName:
		if err := r.typeName(n); err != nil {
			return err
		}
	case *pg.A_Expr:
		if len(n.GetName()) > 1 && (len(n.GetName()) > 2 || n.GetName()[0].GetString_().GetSval() != "pg_catalog") {
			return problem.New(problem.Invalid, "", "This query is not taken: operators are written without a schema.")
		}
		switch n.GetKind() {
		case pg.A_Expr_Kind_AEXPR_OP, pg.A_Expr_Kind_AEXPR_OP_ANY, pg.A_Expr_Kind_AEXPR_OP_ALL:
			n.Name = []*pg.Node{pg.MakeStrNode("pg_catalog"), n.GetName()[len(n.GetName())-1]}
		}
	case *pg.SubLink:
		if len(n.GetOperName()) > 0 {
			if len(n.GetOperName()) > 1 && n.GetOperName()[0].GetString_().GetSval() != "pg_catalog" {
				return problem.New(problem.Invalid, "", "This query is not taken: operators are written without a schema.")
			}
		}
	case *pg.SortBy:
		if len(n.GetUseOp()) > 0 {
			return problem.New(problem.Invalid, "", "This query is not taken: “order by … using” names an operator; write “asc” or “desc”.")
		}
	case *pg.A_Indirection:
		for _, part := range n.GetIndirection() {
			switch {
			case part.GetString_() != nil:
				r.attributes = append(r.attributes, part.GetString_().GetSval())
				r.mentions[part.GetString_().GetSval()] = true
			case part.GetAStar() != nil:
				r.star = true
			}
		}
	case *pg.CollateClause:
		if len(n.GetCollname()) > 1 && n.GetCollname()[0].GetString_().GetSval() != "pg_catalog" {
			return problem.New(problem.Invalid, "", "This query is not taken: collations are written without a schema.")
		}
	case *pg.SQLValueFunction:
		switch n.GetOp() {
		case pg.SQLValueFunctionOp_SVFOP_CURRENT_DATE, pg.SQLValueFunctionOp_SVFOP_CURRENT_TIMESTAMP, pg.SQLValueFunctionOp_SVFOP_LOCALTIMESTAMP:
		default:
			return problem.New(problem.Invalid, "", "This query is not taken: it asks who the role is, or for a time of day.")
		}
	case *pg.ColumnRef:
		last := n.GetFields()[len(n.GetFields())-1]
		if last.GetAStar() != nil {
			r.star = true
		} else {
			r.mentions[last.GetString_().GetSval()] = true
			r.bare = append(r.bare, last.GetString_().GetSval())
		}
	case *pg.JoinExpr:
		if n.GetIsNatural() || len(n.GetAlias().GetColnames()) > 0 {
			r.star = true
		}
		for _, u := range n.GetUsingClause() {
			r.mentions[u.GetString_().GetSval()] = true
		}
	}
	return r.children(m)
}

// with walks a query that gives names to others first. Such a name is known to what comes
// after it and, after “recursive”, to all of them.
func (r *reader) with(n *pg.SelectStmt, w *pg.WithClause) error {
	names := map[string]bool{}
	r.scopes = append(r.scopes, names)
	defer func() { r.scopes = r.scopes[:len(r.scopes)-1] }()
	give := func(name string) error {
		if strings.HasPrefix(name, dataset.RelationPrefix) {
			return problem.New(problem.Invalid, "", "This query is not taken: names that begin with “%s” are Eskadel's own.", dataset.RelationPrefix)
		}
		names[name] = true
		return nil
	}
	for _, node := range w.GetCtes() {
		cte := node.GetCommonTableExpr()
		if w.GetRecursive() {
			if err := give(cte.GetCtename()); err != nil {
				return err
			}
		}
		r.aliases[cte.GetCtename()] = true
	}
	for _, node := range w.GetCtes() {
		cte := node.GetCommonTableExpr()
		if err := r.walk(cte.ProtoReflect()); err != nil {
			return err
		}
		if err := give(cte.GetCtename()); err != nil {
			return err
		}
	}
	n.WithClause = nil
	err := r.children(n.ProtoReflect())
	n.WithClause = w
	return err
}

func (r *reader) children(m protoreflect.Message) (err error) {
	m.Range(func(f protoreflect.FieldDescriptor, v protoreflect.Value) bool {
		switch {
		case f.IsList() && f.Kind() == protoreflect.MessageKind:
			for i := 0; i < v.List().Len() && err == nil; i++ {
				err = r.walk(v.List().Get(i).Message())
			}
		case f.Kind() == protoreflect.MessageKind && !f.IsList() && !f.IsMap():
			err = r.walk(v.Message())
		}
		return err == nil
	})
	return err
}

// relation resolves a table's name and rewrites it.
func (r *reader) relation(n *pg.RangeVar) error {
	if n.GetCatalogname() != "" {
		return problem.New(problem.Invalid, "", "This query is not taken: it names another database.")
	}
	name := n.GetRelname()
	if n.GetSchemaname() == "" {
		for _, names := range r.scopes {
			if names[name] {
				r.aliases[name] = true
				return nil
			}
		}
	}
	as, err := r.table(n.GetSchemaname(), name)
	if err != nil {
		return err
	}
	if n.GetAlias() == nil {
		n.Alias = &pg.Alias{Aliasname: name}
	}
	if len(n.GetAlias().GetColnames()) > 0 {
		r.star = true // other names for its columns, by their places
	}
	n.Schemaname, n.Relname, n.Inh = "", as, true
	return nil
}

// allowed are the functions that a builder's query may call: they compute from what they
// are given, and neither write, wait, nor look at the server.
var allowed = words(`abs ceil ceiling floor round trunc sign sqrt cbrt exp ln log log10 power mod div gcd lcm degrees radians pi sin cos tan asin acos atan atan2 width_bucket scale trim_scale min_scale
 lower upper initcap length char_length character_length octet_length bit_length btrim ltrim rtrim trim substring substr position strpos overlay replace translate reverse left right lpad rpad split_part
 concat concat_ws chr ascii starts_with regexp_replace regexp_match regexp_matches regexp_split_to_array regexp_split_to_table regexp_count regexp_like regexp_substr regexp_instr string_to_array string_to_table array_to_string format quote_literal md5 to_hex encode decode
 to_char to_date to_number to_timestamp date_part date_trunc date_bin extract age make_date make_time make_timestamp make_timestamptz make_interval justify_days justify_hours justify_interval isfinite timezone now transaction_timestamp statement_timestamp
 coalesce nullif greatest least num_nulls num_nonnulls
 count sum avg min max stddev stddev_pop stddev_samp variance var_pop var_samp bool_and bool_or every string_agg array_agg json_agg jsonb_agg json_object_agg jsonb_object_agg corr covar_pop covar_samp regr_slope regr_intercept regr_r2 regr_count regr_avgx regr_avgy bit_and bit_or mode percentile_cont percentile_disc
 row_number rank dense_rank percent_rank cume_dist ntile lag lead first_value last_value nth_value
 array_length array_upper array_lower array_position array_positions array_append array_prepend array_cat array_remove array_replace cardinality unnest generate_series generate_subscripts
 json_array_length jsonb_array_length json_array_elements jsonb_array_elements json_array_elements_text jsonb_array_elements_text json_each jsonb_each json_each_text jsonb_each_text json_extract_path jsonb_extract_path json_extract_path_text jsonb_extract_path_text json_object_keys jsonb_object_keys json_typeof jsonb_typeof json_build_object jsonb_build_object json_build_array jsonb_build_array to_json to_jsonb jsonb_strip_nulls json_strip_nulls jsonb_path_exists jsonb_path_query jsonb_path_query_array jsonb_path_query_first
 lower_inc upper_inc isempty range_merge int4range int8range numrange tsrange tstzrange daterange tsvector_to_array like_escape similar_to_escape overlaps`)

func words(s string) map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(s) {
		out[w] = true
	}
	return out
}

// function lets a call pass when its name is on the list, and writes it so that only
// PostgreSQL's own function of that name answers.
func (r *reader) function(n *pg.FuncCall) error {
	parts := n.GetFuncname()
	name := parts[len(parts)-1].GetString_().GetSval()
	own := len(parts) == 1 || len(parts) == 2 && parts[0].GetString_().GetSval() == "pg_catalog"
	if !own || !allowed[name] {
		return notCallable(name)
	}
	n.Funcname = []*pg.Node{pg.MakeStrNode("pg_catalog"), pg.MakeStrNode(name)}
	return nil
}

func notCallable(name string) error {
	return problem.New(problem.Invalid, "", "This query is not taken: the function “%s” is not among those that a query may call.", name)
}

// types that casts may name: PostgreSQL's own that only hold a value.
var plainTypes = words(`int2 int4 int8 smallint integer bigint numeric decimal float4 float8 real text varchar bpchar char bool boolean date time timetz timestamp timestamptz interval json jsonb uuid bytea bit varbit int4range int8range numrange daterange tsrange tstzrange inet cidr macaddr money point`)

func (r *reader) typeName(n *pg.TypeName) error {
	parts := n.GetNames()
	name := parts[len(parts)-1].GetString_().GetSval()
	if len(parts) > 2 || len(parts) == 2 && parts[0].GetString_().GetSval() != "pg_catalog" || !plainTypes[name] {
		return problem.New(problem.Invalid, "", "This query is not taken: “%s” is not a type that it may cast to.", name)
	}
	n.Names = []*pg.Node{pg.MakeStrNode("pg_catalog"), pg.MakeStrNode(name)}
	return nil
}
