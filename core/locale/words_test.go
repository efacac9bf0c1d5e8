package locale_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"eskadel/core/locale"
)

func TestFirstLetters(t *testing.T) {
	for in, want := range map[string][2]string{
		"Yard cost": {"yard cost", "Yard cost"}, "étage": {"étage", "Étage"}, "Éclat": {"éclat", "Éclat"}, "Ärger": {"ärger", "Ärger"}, "Жалоба": {"жалоба", "Жалоба"},
		"ID of it": {"ID of it", "ID of it"}, "日付": {"日付", "日付"}, "": {"", ""}, "\xff": {"\xff", "\xff"}, "x": {"x", "X"}, "A job": {"a job", "A job"},
	} {
		assert.Equal(t, want, [2]string{locale.Lower(in), locale.Upper(in)}, in)
	}
}
