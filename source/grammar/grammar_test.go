package grammar

import (
	"context"
	"strings"
	"sync"
	"testing"
	"time"

	pg "github.com/pganalyze/pg_query_go/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
)

// sound tells that the grammar reads a plain query as it should.
func sound(t testing.TB) {
	tree, err := Parse(context.Background(), "select 1 as k")
	require.NoError(t, err)
	require.Len(t, tree.GetStmts(), 1)
	target := tree.GetStmts()[0].GetStmt().GetSelectStmt().GetTargetList()
	require.Len(t, target, 1)
	require.Equal(t, "k", target[0].GetResTarget().GetName())
	require.Equal(t, int32(1), target[0].GetResTarget().GetVal().GetAConst().GetIval().GetIval())
}

func nested(open, inner, end string, n int) string {
	return "select " + strings.Repeat(open, n) + inner + strings.Repeat(end, n)
}

func TestWrittenAsRead(t *testing.T) {
	for name, sql := range map[string]string{
		"a query":                 "SELECT a, b FROM t WHERE x = 'it''s' GROUP BY 1, 2",
		"fifty case":              "SELECT " + strings.Repeat("CASE WHEN true THEN ", 50) + "1" + strings.Repeat(" END", 50),
		"eighty subselects":       "SELECT " + strings.Repeat("(SELECT ", 80) + "1" + strings.Repeat(")", 80),
		"three hundred unions":    "SELECT 1" + strings.Repeat(" UNION SELECT 1", 300),
		"a long sum":              "SELECT a" + strings.Repeat(" + a", 999),
		"a wide list":             "SELECT " + strings.Repeat("a, ", 4999) + "a FROM t",
		"other scripts":           "SELECT \"Größe\", 'привет' FROM \"таблица\"",
		"a text in dollar quotes": "SELECT 'a $ b'",
	} {
		tree, err := Parse(context.Background(), sql)
		require.NoError(t, err, name)
		first, err := Deparse(context.Background(), tree)
		require.NoError(t, err, name)
		tree, err = Reread(context.Background(), first)
		require.NoError(t, err, name)
		second, err := Deparse(context.Background(), tree)
		require.NoError(t, err, name)
		assert.Equal(t, first, second, name)
		if !strings.Contains(name, "union") && !strings.Contains(name, "sum") { // whose brackets are written
			assert.Equal(t, sql, first, name)
		}
		sound(t)
	}
}

func TestRefused(t *testing.T) {
	for name, c := range map[string]struct{ sql, words string }{
		"no query":                       {"select from from", "syntax error at or near"},
		"an open text":                   {"select 'a", "unterminated quoted string"},
		"too long":                       {strings.Repeat(" ", MostBytes+1), "100,000 characters"},
		"a zero byte":                    {"select \x00", "no text"},
		"too many words":                 {"select 1" + strings.Repeat("+1", MostWords), "20,000 words"},
		"too many brackets":              {nested("(", "1", ")", MostNesting+1), "200 deep"},
		"too many case":                  {nested("case when a then ", "1", " end", MostNesting+1), "200 deep"},
		"too many subscripts":            {nested("array[", "1", "]", MostNesting+1), "200 deep"},
		"a chain past reading":           {nested("not ", "true", "", 9_000), "nested too deeply"},
		"a chain past the grammar's own": {nested("not ", "true", "", 15_000), "memory exhausted"},
	} {
		_, err := Parse(context.Background(), c.sql)
		require.ErrorContains(t, err, c.words, name)
		sound(t)
	}
	_, err := Parse(context.Background(), "select a fro t")
	var complaint *Complaint
	require.ErrorAs(t, err, &complaint)
	assert.Equal(t, 14, complaint.Place, "the sign at which it fails")
}

// Brackets that are none do not count, and whatever hides them from the count hides them
// from the grammar too.
func TestBound(t *testing.T) {
	deep := strings.Repeat("(", MostNesting+1)
	for name, c := range map[string]struct {
		sql   string
		taken bool
	}{
		"in a text":                      {"select '" + deep + "'", true},
		"in a text with a doubled quote": {"select 'a''" + deep + "'", true},
		"in a name":                      {`select 1 as "` + deep + `"`, true},
		"in a comment to the line's end": {"select 1 -- " + deep, true},
		"in comments within comments":    {"select 1 /* /* */ " + deep + " */", true},
		"between dollars":                {"select $a$" + deep + "$a$", true},
		"after a text":                   {"select 'a'" + deep, false},
		"after a comment":                {"select 1 -- a\n" + deep, false},
		"after comments":                 {"select 1 /* /* */ */ " + deep, false},
		"after a text between dollars":   {"select $a$ b $a$ " + deep, false},
		"after a parameter":              {"select $1 " + deep, false},
		"case closed again":              {"select 1" + strings.Repeat(" + case when a then 1 end", MostNesting+1), true},
		"a name that begins with case":   {"select " + strings.Repeat("casement, ", MostNesting+1) + "1", true},
	} {
		if err := Bound(c.sql); c.taken {
			assert.NoError(t, err, name)
		} else {
			assert.Equal(t, problem.TooMany, problem.Of(err).Code, name)
		}
	}
}

// A reading ends with whoever asked for it, and never later than its own limit.
func TestEnds(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := Parse(ctx, "select 1")
	require.ErrorIs(t, err, context.Canceled)
	sound(t)
	assert.LessOrEqual(t, timeLimit, 10*time.Second)
}

// Nothing is held while a text is read: readings stand in nobody's way.
func TestManyAtOnce(t *testing.T) {
	var all sync.WaitGroup
	for i := range 16 {
		all.Add(1)
		go func() {
			defer all.Done()
			if i%2 == 0 {
				_, _ = Parse(context.Background(), nested("not ", "true", "", 9_000))
			}
			sound(t)
		}()
	}
	all.Wait()
}

// A stack that has run over its end is noticed, and nothing of the instance believed.
func TestBrokenInstance(t *testing.T) {
	i, err := begin(context.Background())
	require.NoError(t, err)
	defer i.end()
	require.True(t, i.module.Memory().WriteByte(i.floor+guardSize-1, 1))
	_, err = i.put([]byte("select 1"))
	require.ErrorIs(t, err, errBroken)
	assert.Equal(t, problem.TooMany, problem.Of(failed(context.Background(), err)).Code)
	sound(t)
}

func TestDeparseOfNothing(t *testing.T) {
	text, err := Deparse(context.Background(), &pg.ParseResult{})
	require.NoError(t, err)
	assert.Empty(t, text)
}

func FuzzParse(f *testing.F) {
	for _, sql := range []string{"", "select 1", "with a as (select 1) select * from a", nested("case when a then ", "1", " end", 50), nested("(select ", "1", ")", 80),
		"select 1" + strings.Repeat(" union select 1", 300), "select E'\\'", "/* /* */", "select $a$ $b$ $a$", "\"", "select U&'\\0441'", "select 1;;select 2", "select \xff"} {
		f.Add(sql)
	}
	f.Fuzz(func(t *testing.T, sql string) {
		if tree, err := Parse(context.Background(), sql); err == nil {
			_, _ = Deparse(context.Background(), tree)
		}
		sound(t)
	})
}
