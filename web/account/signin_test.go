package account

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhereToAfterSigningIn(t *testing.T) {
	for then, want := range map[string]string{
		"/dashboards/yard-today?page=Hours": "/dashboards/yard-today?page=Hours", "/": "/", "": "/",
		"//elsewhere.example": "/", "/\\elsewhere.example": "/", "https://elsewhere.example/": "/", "/\t/elsewhere.example": "/", "\t//elsewhere.example": "/", "/\n/elsewhere.example": "/", "/ /x": "/",
		"javascript:alert(1)": "/", "elsewhere.example": "/", "///elsewhere.example": "/", "/%0a/x": "/%0a/x", "/\x00": "/", "http:/x": "/",
	} {
		assert.Equal(t, want, inside(then), "%q", then)
	}
}
