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

// What is wrong in a form is said in it, with all that was typed.
func TestFormsOfDeliveriesSayWhatIsWrong(t *testing.T) {
	edda := author(t, demo.AuthorEmail)
	good := func(change url.Values, drop ...string) url.Values {
		v := url.Values{"dashboard": {"yard-today"}, "title": {"Typed by hand"}, "page": {"Today"}, "parts": {"all"}, "as": {"pictures"}, "every": {"week"}, "weekdays": {"monday"}, "at": {"07:00"}, "note": {"A line of mine"}, "state": {"{}"}}
		for name, of := range change {
			v[name] = of
		}
		for _, name := range drop {
			v.Del(name)
		}
		return v
	}
	for words, v := range map[string]url.Values{
		"Say what it is called":                good(url.Values{"title": {""}}),
		"In which form is it delivered?":       good(nil, "as"),
		"On which days of the week?":           good(nil, "weekdays"),
		"At what time?":                        good(nil, "at"),
		"is not a time of day":                 good(url.Values{"at": {"25:00"}}),
		"There is no time zone":                good(url.Values{"zone": {"Mars/Olympus"}}),
		"Choose what of the page":              good(url.Values{"parts": {"some"}}),
		"has no such part any more":            good(url.Values{"parts": {"some"}, "widgets": {"nothing"}}),
		"There is no such calendar":            good(url.Values{"calendar": {"99"}}),
		"A month has 1 to 31 such days":        good(url.Values{"every": {"month"}, "nth": {"40"}, "of": {"day"}}),
		"is not a condition that something is": good(url.Values{"only": {"sometimes"}}),
	} {
		status, body := post(t, edda, "/deliveries", v)
		assert.Equal(t, http.StatusUnprocessableEntity, status, words)
		assert.Contains(t, body, words)
		assert.Contains(t, body, `value="A line of mine"`, "nothing is lost: %s", words)
	}
	status, _ := post(t, edda, "/deliveries", good(url.Values{"dashboard": {"nothing"}}))
	assert.Equal(t, http.StatusNotFound, status)
	status, body := post(t, edda, "/deliveries/form", good(url.Values{"every": {"quarter"}, "nth": {"-2"}, "of": {"working day"}}))
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "on the second to last working day of each quarter at 07:00")

	watch := func(change url.Values) url.Values {
		v := url.Values{"dashboard": {"yard-today"}, "title": {"Typed by hand"}, "page": {"Today"}, "widget": {"revenue"}, "when": {"above"}, "than": {"5"}, "by": {"mail"}, "note": {"A line of mine"}, "state": {"{}"}}
		for name, of := range change {
			v[name] = of
		}
		return v
	}
	for words, v := range map[string]url.Values{
		"is no number":              watch(url.Values{"than": {"many"}}),
		"By how much?":              watch(url.Values{"when": {"falls"}, "than": {"-1"}}),
		"When is it told?":          watch(url.Values{"when": {""}}),
		"How are people told?":      watch(url.Values{"by": {}}),
		"It is quiet from one time": watch(url.Values{"from": {"22:00"}}),
		"has no such figure":        watch(url.Values{"measure": {"7"}}),
		"is not compared with":      watch(url.Values{"widget": {"open"}, "when": {"rises"}}),
		"From 1 to 2160":            watch(url.Values{"when": {"silent"}, "hours": {"0"}}),
	} {
		status, body := post(t, edda, "/deliveries/alerts", v)
		assert.Equal(t, http.StatusUnprocessableEntity, status, words)
		assert.Contains(t, body, words)
		assert.Contains(t, body, `value="A line of mine"`, "nothing is lost: %s", words)
	}
}

// A figure that is compared with the time before is told by how it stands beside it.
func TestAnAlertBesideTheTimeBefore(t *testing.T) {
	edda := author(t, demo.AuthorEmail)
	for len(running.Post.Arrived) > 0 {
		<-running.Post.Arrived
	}
	status, body := post(t, edda, "/deliveries/alerts", url.Values{"dashboard": {"yard-today"}, "title": {"Takings"}, "page": {"Today"}, "widget": {"revenue"}, "when": {"rises"}, "than": {"0.01"}, "percent": {"yes"}, "by": {"mail"}, "state": {"{}"}})
	require.Equal(t, http.StatusSeeOther, status, body)
	letter := <-running.Post.Arrived
	assert.Regexp(t, `^Takings: Invoiced, net is up on the time before by at least 0\.01%: £[\d.,]+ ?[kM]?, \+[\d.]+% on the year before`, letter.Subject)
	_, list := send(t, edda, http.MethodGet, "/deliveries/alerts", nil)
	at := regexp.MustCompile(`(/deliveries/delivery/\d+)">Takings`).FindStringSubmatch(list)
	require.NotNil(t, at)
	status, _ = form(t, edda, at[1]+"/remove", map[string]string{"kind": "alert"})
	assert.Equal(t, http.StatusSeeOther, status)
}
