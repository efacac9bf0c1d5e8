package web_test

import (
	"bytes"
	"mime/multipart"
	"net/http"
	"net/url"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
)

// A mail program ends a letter by one POST, that needs nothing but the address (RFC 8058); one that only follows
// links ends nothing.
func TestALetterIsEndedByOneClick(t *testing.T) {
	edda := author(t, demo.AuthorEmail)
	_, list := send(t, edda, http.MethodGet, "/deliveries", nil)
	at := regexp.MustCompile(`/deliveries/delivery/\d+`).FindString(list)
	require.NotEmpty(t, at)
	for len(running.Post.Arrived) > 0 {
		<-running.Post.Arrived
	}
	status, body := form(t, edda, at+"/try", nil)
	require.Equal(t, http.StatusSeeOther, status, body)
	letter := <-running.Post.Arrived
	leave := regexp.MustCompile(`/letters/leave/[\w-]+`).FindString(letter.Header.Get("List-Unsubscribe"))
	require.NotEmpty(t, leave)
	asked := visit(t, http.MethodGet, leave, nil)
	assert.Contains(t, asked.body, "Do you want no more of it?")
	_, list = send(t, edda, http.MethodGet, "/deliveries", nil)
	assert.Contains(t, list, "you get it")
	ended := visit(t, http.MethodPost, leave, url.Values{"List-Unsubscribe": {"One-Click"}}, "Sec-Fetch-Site", "cross-site")
	assert.Equal(t, http.StatusOK, ended.StatusCode)
	_, list = send(t, edda, http.MethodGet, "/deliveries", nil)
	assert.NotContains(t, list, "you get it")
	status, _ = form(t, edda, at+"/sign-up", nil)
	assert.Equal(t, http.StatusSeeOther, status)
	assert.Equal(t, http.StatusNotFound, visit(t, http.MethodPost, leave[:len(leave)-3], nil).StatusCode)
}

// A file that comes with a form needs the page's token as any form does.
func TestACalendarComesFromAPage(t *testing.T) {
	mara := author(t, demo.BuilderEmail)
	upload := func(csrf, text string) (int, string) {
		var b bytes.Buffer
		w := multipart.NewWriter(&b)
		require.NoError(t, w.WriteField("csrf", csrf))
		require.NoError(t, w.WriteField("title", "Regatta"))
		part, err := w.CreateFormFile("file", "days.ics")
		require.NoError(t, err)
		_, _ = part.Write([]byte(text))
		require.NoError(t, w.Close())
		r, err := http.NewRequest(http.MethodPost, running.Eskadel+"/deliveries/ways/calendars", &b)
		require.NoError(t, err)
		r.Header.Set("Content-Type", w.FormDataContentType())
		r.AddCookie(mara.Cookie)
		return straight(t, r)
	}
	days := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:20261225\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	status, body := upload("another", days)
	assert.Equal(t, http.StatusForbidden, status, body)
	status, body = upload(mara.CSRF, "<html>")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "This is not the file of a calendar")
	status, _ = upload(mara.CSRF, days)
	assert.Equal(t, http.StatusSeeOther, status)
}
