package decimal

import (
	"testing"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func number(t *testing.T, s string) *apd.Decimal {
	if s == "" {
		return nil
	}
	d, _, err := apd.NewFromString(s)
	require.NoError(t, err)
	return d
}

func TestSumsAreExact(t *testing.T) {
	for _, c := range []struct{ a, b, want string }{
		{"0.1", "0.2", "0.3"}, {"", "2", "2"}, {"1", "", "1"}, {"1e40", "1e-40", "10000000000000000000000000000000000000000.0000000000000000000000000000000000000001"}, {"5", "-5", "0"},
	} {
		assert.Equal(t, c.want, Add(number(t, c.a), number(t, c.b)).Text('f'))
	}
	assert.Nil(t, Add(nil, nil))
	a := number(t, "1")
	Add(a, a)
	assert.Equal(t, "1", a.Text('f'), "what is added stays as it is")
}

func TestQuotientsHaveThirtyFourDigits(t *testing.T) {
	for _, c := range []struct{ a, b, want string }{
		{"1", "3", "0.3333333333333333333333333333333333"}, {"2", "3", "0.6666666666666666666666666666666667"}, {"6", "3", "2"}, {"100", "10", "10"}, {"-1", "8", "-0.125"}, {"0", "7", "0"},
		{"1.00000000000000000000000000000000005", "1", "1.000000000000000000000000000000000"[:1]},
	} {
		assert.Equal(t, c.want, Quotient(number(t, c.a), number(t, c.b)).Exact(), "%s ÷ %s", c.a, c.b)
	}
	for _, c := range [][2]string{{"", "1"}, {"1", ""}, {"1", "0"}, {"0", "0.00"}} {
		assert.True(t, Quotient(number(t, c[0]), number(t, c[1])).IsEmpty(), c)
	}
}
