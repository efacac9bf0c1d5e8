package proof_test

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
	"eskadel/core/proof"
)

type mac string

func (k mac) Sum(of []byte) []byte {
	m := hmac.New(sha256.New, []byte(k))
	m.Write(of)
	return m.Sum(nil)
}

func (k mac) sign(of []byte) string { return hex.EncodeToString(k.Sum(of)) }

func (k mac) signed(_ string, body []byte, signature string) bool { return k.sign(body) == signature }

func made(keys []string, values ...[]string) *proof.Proof {
	p := &proof.Proof{Version: proof.Version, Key: "k", Figure: "£10.00", Exact: "10.00", Records: int64(len(keys)), Measure: "Cost"}
	p.Digested(mac("key"), keys, values)
	return p
}

func TestOnlyWhatWasSignedIsRead(t *testing.T) {
	p := made([]string{"1", "2"}, []string{"5.00"}, []string{"5.00"})
	b, err := p.Write(mac("key").sign)
	require.NoError(t, err)
	again, err := proof.Read(b, mac("key").signed)
	require.NoError(t, err)
	assert.Equal(t, p, again)
	for name, bad := range map[string]string{
		"a figure": strings.Replace(string(b), "£10.00", "£11.00", 1), "a digest": strings.Replace(string(b), p.Each[0].Digest, p.Each[1].Digest, 1),
		"more": strings.Replace(string(b), `"version": 1`, `"version": 1, "more": 2`, 1), "the signature": strings.Replace(string(b), `"signature": "`, `"signature": "0`, 1),
	} {
		require.NotEqual(t, string(b), bad, name)
		_, err := proof.Read([]byte(bad), mac("key").signed)
		assert.Equal(t, problem.Forbidden, problem.Of(err).Code, name)
	}
	_, err = proof.Read(b, mac("other").signed)
	assert.Equal(t, problem.Forbidden, problem.Of(err).Code)
	for _, no := range []string{"", "{}", "[]", `{"proof": 1}`, "text"} {
		_, err := proof.Read([]byte(no), mac("key").signed)
		assert.Error(t, err, no)
	}
	p.Version = 2
	b, _ = p.Write(mac("key").sign)
	_, err = proof.Read(b, mac("key").signed)
	assert.Equal(t, problem.Invalid, problem.Of(err).Code)
}

func TestWhatHasChangedIsSaid(t *testing.T) {
	was := made([]string{"2", "1", "3"}, []string{"5.00", "a"}, []string{"4.00", "b"}, []string{"1.00", "c"})
	assert.Empty(t, was.Changes(made([]string{"3", "1", "2"}, []string{"1.00", "c"}, []string{"4.00", "b"}, []string{"5.00", "a"})), "in whatever order")
	other := made([]string{"1", "2", "4"}, []string{"4.00", "b"}, []string{"5.01", "a"}, []string{"1.00", "c"})
	other.Figure, other.Exact = "£10.01", "10.01"
	assert.Equal(t, []string{"The figure was £10.00, and is £10.01 now.", "Record 2 has other values now.", "Record 3 is no longer among them.", "Record 4 is new among them."}, was.Changes(other))
	fewer := made([]string{"1"}, []string{"4.00", "b"})
	assert.Contains(t, was.Changes(fewer), "It was made of 3 records, and is of 1 now.")
	assert.NotEqual(t, made([]string{"1"}, []string{"a", "b"}).Digest, made([]string{"1"}, []string{"a,b"}).Digest, "values are not run together")

	var keys []string
	var values [][]string
	for i := range 30 {
		keys, values = append(keys, string(rune('a'+i))), append(values, []string{"x"})
	}
	many := made(keys, values...).Changes(made(nil))
	assert.Contains(t, many[len(many)-1], "and 10 more, each of which is no longer among them")

	double := made([]string{"1", "1"}, []string{"x"}, []string{"y"})
	assert.Equal(t, []string{"Record 1 has other values now."}, double.Changes(made([]string{"1", "1"}, []string{"x"}, []string{"z"})))
}
