package store

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"errors"
)

// A Signer signs, and makes digests, with a key for secrets; of that only something made of it is used.
type Signer struct {
	ID  string
	key []byte
}

func signerOf(id, key []byte) Signer {
	m := hmac.New(sha256.New, key)
	m.Write([]byte("eskadel: signatures and digests of proofs"))
	return Signer{hex.EncodeToString(id), m.Sum(nil)}
}

// Sum is a digest of something.
func (s Signer) Sum(of []byte) []byte {
	m := hmac.New(sha256.New, s.key)
	m.Write([]byte("digest\x00"))
	m.Write(of)
	return m.Sum(nil)
}

// Sign signs something.
func (s Signer) Sign(body []byte) string {
	m := hmac.New(sha256.New, s.key)
	m.Write([]byte("signature\x00"))
	m.Write(body)
	return hex.EncodeToString(m.Sum(nil))
}

// Signed tells whether something was signed so.
func (s Signer) Signed(body []byte, signature string) bool {
	return hmac.Equal([]byte(s.Sign(body)), []byte(signature))
}

// Signer signs with the newest key.
func (s *Store) Signer() Signer { return s.sealing.keys[0].signer }

// SignerOf signs with the key that has an ID, one of those that are given still.
func (s *Store) SignerOf(id string) (Signer, error) {
	for _, k := range s.sealing.keys {
		if k.signer.ID == id {
			return k.signer, nil
		}
	}
	return Signer{}, errors.New("it was signed with another key than those that are given (ESKADEL_KEY, ESKADEL_KEYS_BEFORE)")
}
