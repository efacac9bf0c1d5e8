package steps_test

import (
	"errors"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/statement"
	"eskadel/core/steps"
)

// A named question is answered by its own name.
type named string

func (n named) Data() *dataset.Dataset { return nil }
func (n named) Compile(*dataset.Guard) (statement.Statement, error) {
	return statement.Statement{SQL: string(n)}, nil
}

func (n named) answer() steps.Answer {
	return steps.Answer{Rows: steps.Rows{{field.OfText(string(n))}}}
}

// course runs a computation, and tells the questions of each step, agreeing ones with a star.
func course[T any](f func(*steps.Asker) (T, error)) (out [][]string, result T, err error) {
	run := steps.Begin(f)
	defer run.Stop()
	for next := run.Next(); len(next) > 0; next = run.Next() {
		var asked []string
		answers := make([]steps.Answer, len(next))
		for i, q := range next {
			n := q.Question.(named)
			answers[i] = n.answer()
			if q.Agreeing {
				n += "*"
			}
			asked = append(asked, string(n))
		}
		out = append(out, asked)
		run.Give(answers)
	}
	result, err = run.Result()
	return out, result, err
}

// said asks by a name, and gives what it is answered.
func said(ask *steps.Asker, name string, into *string) error {
	rows, err := ask.Ask(named(name))
	if err == nil {
		*into += rows[0][0].Exact()
	}
	return err
}

func TestStepsHaveTheQuestionsOfAllThatGoSideBySide(t *testing.T) {
	var long, short, both string
	asked, got, err := course(func(ask *steps.Asker) (string, error) {
		err := ask.Side(func(ask *steps.Asker) error {
			if err := said(ask, "a", &long); err != nil {
				return err
			}
			return said(ask.Agreeing(), "after "+long, &long)
		}, func(*steps.Asker) error {
			return nil // asks nothing
		}, func(ask *steps.Asker) error {
			return ask.Agreeing().Side(func(ask *steps.Asker) error { return said(ask, "b", &short) }, func(ask *steps.Asker) error { return said(ask, "c", &both) })
		})
		if err == nil {
			err = said(ask, "end", &long)
		}
		return long + "|" + short + "|" + both, err
	})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"a", "b*", "c*"}, {"after a*"}, {"end"}}, asked)
	assert.Equal(t, "aafter aend|b|c", got)
}

func TestOneThatFailsLetsTheOthersEnd(t *testing.T) {
	first, second := errors.New("first"), errors.New("second")
	done := ""
	asked, _, err := course(func(ask *steps.Asker) (int, error) {
		return 0, ask.Side(func(ask *steps.Asker) error {
			_ = said(ask, "a", &done)
			_ = said(ask, "b", &done)
			return first
		}, func(*steps.Asker) error { return second })
	})
	assert.Equal(t, first, err, "the first in order, not in time")
	assert.Equal(t, [][]string{{"a"}, {"b"}}, asked)
	assert.Equal(t, "ab", done)
}

func TestAnErrorOfAnAnswerIsThatOfItsQuestion(t *testing.T) {
	broken := errors.New("broken")
	_, err := steps.Answered(func(ask *steps.Asker) (string, error) {
		var out string
		failed := said(ask, "no", &out)
		return out, errors.Join(failed, said(ask, "yes", &out))
	}, func(q steps.Question) (steps.Rows, error) {
		if q.(named) == "no" {
			return nil, broken
		}
		return q.(named).answer().Rows, nil
	})
	assert.ErrorIs(t, err, broken)
}

// A run that is stopped ends where it stands, with all that goes side by side in it.
func TestAStoppedRunEnds(t *testing.T) {
	ended := map[string]error{}
	ask := func(name string) func(*steps.Asker) error {
		return func(ask *steps.Asker) (err error) {
			defer func() { ended[name] = err }()
			var ignored string
			return said(ask, name, &ignored)
		}
	}
	run := steps.Begin(func(a *steps.Asker) (int, error) { return 1, a.Side(ask("a"), ask("b")) })
	require.Len(t, run.Next(), 2)
	assert.Empty(t, ended)
	run.Stop()
	assert.Len(t, ended, 2)
	assert.Error(t, ended["a"])
	run.Stop()
}

func TestAPanicReachesWhoeverRuns(t *testing.T) {
	run := steps.Begin(func(ask *steps.Asker) (int, error) {
		_, _ = ask.Ask(named("a"))
		panic("lost")
	})
	defer run.Stop()
	assert.PanicsWithValue(t, "lost", func() { run.Give([]steps.Answer{{}}) })
}

// However computations are nested, each gets the answers to its own questions, and as many
// steps are taken as the longest has.
func TestEachGetsItsOwnAnswers(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		asked := 0
		var tree func(depth int) (f func(*steps.Asker) error, longest int)
		tree = func(depth int) (func(*steps.Asker) error, int) {
			if depth == 0 || rapid.IntRange(0, 2).Draw(t, "leaf") == 0 {
				n := rapid.IntRange(0, 3).Draw(t, "questions")
				return func(ask *steps.Asker) error {
					for range n {
						asked++
						name, got := strconv.Itoa(asked), ""
						if err := said(ask, name, &got); err != nil || got != name {
							return errors.New("answered " + got + " for " + name)
						}
					}
					return nil
				}, n
			}
			var sides []func(*steps.Asker) error
			longest := 0
			for range rapid.IntRange(0, 3).Draw(t, "sides") {
				f, n := tree(depth - 1)
				sides, longest = append(sides, f), max(longest, n)
			}
			return func(ask *steps.Asker) error { return ask.Side(sides...) }, longest
		}
		f, longest := tree(3)
		taken, _, err := course(func(ask *steps.Asker) (int, error) { return 0, f(ask) })
		require.NoError(t, err)
		require.Len(t, taken, longest)
		for _, step := range taken {
			asked -= len(step)
		}
		require.Zero(t, asked, "every question was asked once")
	})
}
