package web_test

import (
	"crypto/sha512"
	"encoding/base64"
	"io"
	"net/http"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
)

// What pages of host apps load: from any origin, held to a hash where they want, and of one protocol with the frame.
func TestWhatHostPagesLoad(t *testing.T) {
	get := func(path string) (*http.Response, string) {
		response, err := http.Get(running.Eskadel + path)
		require.NoError(t, err)
		defer response.Body.Close()
		b, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		return response, string(b)
	}
	kinds := map[string]string{"/embed.js": "javascript", "/eskadel.js": "javascript", "/eskadel.d.ts": "text/plain"}
	texts := map[string]string{}
	for path, kind := range kinds {
		response, text := get(path)
		assert.Equal(t, http.StatusOK, response.StatusCode, path)
		assert.Contains(t, response.Header.Get("Content-Type"), kind, path)
		assert.Equal(t, "*", response.Header.Get("Access-Control-Allow-Origin"), path)
		assert.Equal(t, "cross-origin", response.Header.Get("Cross-Origin-Resource-Policy"), path)
		assert.Empty(t, response.Cookies(), path)
		texts[path] = text
	}
	assert.Less(t, len(texts["/embed.js"]), 20_000, "pages of others are not made slow")
	assert.True(t, strings.HasPrefix(texts["/embed.js"], `"use strict";(()=>{`) || strings.HasPrefix(texts["/embed.js"], "(()=>{"), "its names are nobody else's")
	sum := sha512.Sum384([]byte(texts["/embed.js"]))
	_, kit := send(t, author(t, demo.BuilderEmail), http.MethodGet, "/people/hosts/yard-desk/kit?dashboard=yard-today", nil)
	assert.Contains(t, kit, "sha384-"+strings.ReplaceAll(base64.StdEncoding.EncodeToString(sum[:]), "+", "&#43;"), "the kit's hash is that of what is sent")

	messages, err := os.ReadFile("reading/tag/messages.js")
	require.NoError(t, err)
	version := regexp.MustCompile(`export const version = (\d+);`).FindSubmatch(messages)
	require.NotNil(t, version)
	response, _ := get("/embed/yard-desk/yard-today?v=" + string(version[1]))
	assert.Equal(t, http.StatusOK, response.StatusCode, "the frame speaks as the tag does")
	for _, other := range []string{"", "?v=1", "?v=" + string(version[1]) + "0"} {
		response, text := get("/embed/yard-desk/yard-today" + other)
		assert.Equal(t, http.StatusConflict, response.StatusCode, other)
		assert.Contains(t, text, "another version of Eskadel")
	}
}
