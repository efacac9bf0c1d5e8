package problem_test

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"eskadel/core/problem"
)

func TestADatabaseThatDoesNotAnswerIsNoLastingProblem(t *testing.T) {
	gone := problem.New(problem.NotFound, "field", "There is no field “Area” any more.")
	assert.Equal(t, gone, problem.Lasting(fmt.Errorf("within: %w", gone)))
	for _, passing := range []error{
		nil,
		errors.New("of another kind"),
		problem.New(problem.Down, "", "The database does not answer."),
		problem.New(problem.Slow, "", "The question took too long."),
	} {
		assert.Nil(t, problem.Lasting(passing), "%v", passing)
	}
}
