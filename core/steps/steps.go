// Package steps parts a computation that needs answers in between from the asking of them. The
// computation is written in order, and says at each step which questions it has next. Whoever
// runs it sees these, puts them to the database in a way of its own (side by side, on one
// snapshot, or from what is kept) and hands the answers in:
//
//	run := steps.Begin(func(a *steps.Asker) (*calc.Table, error) { return calc.Answer(d, ds, s, sets, a) })
//	defer run.Stop()
//	for next := run.Next(); len(next) > 0; next = run.Next() {
//		run.Give(answers to next)
//	}
//	table, err := run.Result()
package steps

import (
	"errors"
	"iter"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/statement"
)

// Rows are the exact values that one statement returned.
type Rows = [][]field.Value

// A Question is a plan of one statement.
type Question interface {
	Data() *dataset.Dataset
	Compile(*dataset.Guard) (statement.Statement, error)
}

// A Next is one of the questions that a run has next.
type Next struct {
	Question
	// Agreeing questions of a run must see the same records, whichever step they are of.
	Agreeing bool
}

// An Answer is what came of a question.
type Answer struct {
	Rows Rows
	Err  error
}

// An Asker takes the questions of a computation.
type Asker struct {
	put      func([]Next) []Answer
	agreeing bool
}

// Agreeing is the asker whose questions must see the same records as each other.
func (a *Asker) Agreeing() *Asker { return &Asker{a.put, true} }

// Ask asks one question, as a step.
func (a *Asker) Ask(q Question) (Rows, error) {
	answer := a.put([]Next{{q, a.agreeing}})[0]
	return answer.Rows, answer.Err
}

// Side lets computations go side by side: a step has the questions of all of them. The error
// is that of the first, in their order, that has one.
func (a *Asker) Side(computations ...func(*Asker) error) error {
	branches := make([]*branch, len(computations))
	for i, f := range computations {
		branches[i] = grow(f, a.agreeing)
		defer branches[i].stop()
	}
	for {
		var next []Next
		for _, b := range branches {
			next = append(next, b.next...)
		}
		if len(next) == 0 {
			break
		}
		answers := a.put(next)
		for _, b := range branches {
			n := len(b.next)
			if n > 0 {
				b.proceed(answers[:n:n])
			}
			answers = answers[n:]
		}
	}
	for _, b := range branches {
		if b.err != nil {
			return b.err
		}
	}
	return nil
}

// A branch is a computation that stands where it waits for answers.
type branch struct {
	next    []Next // what it waits for; none once it has ended
	answers []Answer
	resume  func() ([]Next, bool)
	stop    func()
	err     error // how it ended
}

// errStopped answers the questions of a run that is stopped.
var errStopped = errors.New("the run was stopped")

// grow begins a computation, up to its first questions.
func grow(f func(*Asker) error, agreeing bool) *branch {
	b := &branch{}
	b.resume, b.stop = iter.Pull(func(yield func([]Next) bool) {
		b.err = f(&Asker{agreeing: agreeing, put: func(next []Next) []Answer {
			if yield(next) {
				return b.answers
			}
			stopped := make([]Answer, len(next))
			for i := range stopped {
				stopped[i].Err = errStopped
			}
			return stopped
		}})
	})
	b.next, _ = b.resume()
	return b
}

// proceed goes on with the answers.
func (b *branch) proceed(answers []Answer) {
	b.answers = answers
	b.next, _ = b.resume()
}

// A Run is a computation, seen from outside.
type Run[T any] struct {
	branch *branch
	result T
}

// Begin begins a computation, up to its first questions. Stop must be called in the end.
func Begin[T any](f func(*Asker) (T, error)) *Run[T] {
	r := &Run[T]{}
	r.branch = grow(func(a *Asker) (err error) {
		r.result, err = f(a)
		return err
	}, false)
	return r
}

// Next is the questions that must be answered before it goes on; none once it has ended.
func (r *Run[T]) Next() []Next { return r.branch.next }

// Give hands in the answers to all that Next gives, in order.
func (r *Run[T]) Give(answers []Answer) { r.branch.proceed(answers) }

// Result is what was computed.
func (r *Run[T]) Result() (T, error) { return r.result, r.branch.err }

// Stop ends the run, wherever it stands.
func (r *Run[T]) Stop() { r.branch.stop() }

// Answered runs a computation to its end, asking one question after the other.
func Answered[T any](f func(*Asker) (T, error), ask func(Question) (Rows, error)) (T, error) {
	r := Begin(f)
	defer r.Stop()
	for next := r.Next(); len(next) > 0; next = r.Next() {
		answers := make([]Answer, len(next))
		for i, q := range next {
			answers[i].Rows, answers[i].Err = ask(q.Question)
		}
		r.Give(answers)
	}
	return r.Result()
}
