package store

import (
	"bytes"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
)

// sealed begins a secret that says which key it was sealed with; older ones are without it.
var sealed = []byte("esk1")

// A sealing key is known by the beginning of its hash.
type sealingKey struct {
	id     []byte
	aead   cipher.AEAD
	signer Signer
}

// sealing seals with its first key, and opens what any of them sealed.
type sealing struct{ keys []sealingKey }

func newSealing(keys [][]byte) (*sealing, error) {
	s := &sealing{}
	for _, key := range keys {
		if len(key) != 32 {
			return nil, fmt.Errorf("use the key for secrets, which has 32 bytes, not %d", len(key))
		}
		block, err := aes.NewCipher(key)
		if err != nil {
			return nil, err
		}
		aead, err := cipher.NewGCM(block)
		if err != nil {
			return nil, err
		}
		sum := sha256.Sum256(key)
		s.keys = append(s.keys, sealingKey{sum[:4], aead, signerOf(sum[:4], key)})
	}
	if len(s.keys) == 0 {
		return nil, errors.New("a key for secrets is needed, which has 32 bytes")
	}
	return s, nil
}

func (s *sealing) seal(secret string) []byte {
	k := s.keys[0]
	head := append(bytes.Clone(sealed), k.id...)
	nonce := make([]byte, k.aead.NonceSize())
	_, _ = rand.Read(nonce)
	return k.aead.Seal(append(head, nonce...), nonce, []byte(secret), head)
}

// current tells whether a secret is sealed with the first key.
func (s *sealing) current(kept []byte) bool {
	return bytes.HasPrefix(kept, append(bytes.Clone(sealed), s.keys[0].id...))
}

func (s *sealing) unseal(kept []byte) (string, error) {
	var head []byte
	if n := len(sealed) + 4; bytes.HasPrefix(kept, sealed) && len(kept) > n {
		head, kept = kept[:n], kept[n:]
	}
	for _, k := range s.keys {
		n := k.aead.NonceSize()
		if head != nil && !bytes.Equal(head[len(sealed):], k.id) || len(kept) < n {
			continue
		}
		if plain, err := k.aead.Open(nil, kept[:n], kept[n:], head); err == nil {
			return string(plain), nil
		}
	}
	return "", errors.New("a secret was sealed with another key than those that are given (ESKADEL_KEY, ESKADEL_KEYS_BEFORE)")
}
