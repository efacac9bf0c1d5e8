package mail_test

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
	"eskadel/mail"
	"eskadel/mail/mailtest"
)

var ctx = context.Background()

func TestLetters(t *testing.T) {
	sink := mailtest.Start(t)
	m, err := mail.New(sink.Address, "Eskadel <eskadel@skerrin.example>")
	require.NoError(t, err)
	require.NoError(t, m.Send(ctx, mail.Letter{Name: "Orla Nairn\r\nBcc: x@elsewhere.example", To: "orla@skerrin.example", Subject: "Über Bord\r\nBcc: y@elsewhere.example", Text: "Hello,\n\nA long way: https://boards.example/enter/abc\n"}, nil))
	got := <-sink.Arrived
	assert.Equal(t, []string{"orla@skerrin.example"}, got.To, "and nobody else, whatever stands in a name")
	assert.Empty(t, got.Header.Get("Bcc"))
	assert.Contains(t, got.Subject, "Über Bord")
	assert.Contains(t, got.Text, "https://boards.example/enter/abc")
	assert.NotEmpty(t, got.Header.Get("Message-ID"))

	for why, to := range map[string]string{"refused": "x@nowhere.example", "no address": "no address", "two": "a@skerrin.example, b@skerrin.example"} {
		err := m.Send(ctx, mail.Letter{Name: "X", To: to, Subject: "Hello", Text: "Hello"}, nil)
		require.NotNil(t, problem.Of(err), why)
		assert.Contains(t, problem.Of(err).Words, to, why)
	}
	nobody, err := mail.New("smtp://127.0.0.1:1", "eskadel@skerrin.example")
	require.NoError(t, err)
	assert.True(t, problem.Is(nobody.Send(ctx, mail.Letter{Name: "X", To: "x@skerrin.example", Subject: "Hello", Text: "Hello"}, nil), problem.Down))
	assert.Empty(t, sink.Arrived)
}

func TestWhereLettersCanBeSentThrough(t *testing.T) {
	for server, good := range map[string]bool{
		"smtp://mail.example.org": true, "smtps://u:p@mail.example.org:465": true, "smtp://[::1]:2525": true,
		"": false, "mail.example.org:25": false, "http://mail.example.org": false, "smtp://": false, "smtp://mail.example.org/x": false,
	} {
		_, err := mail.New(server, "eskadel@skerrin.example")
		assert.Equal(t, good, err == nil, "%s: %v", server, err)
	}
	_, err := mail.New("smtp://mail.example.org", "no address")
	require.Error(t, err)
	// Only on the same machine does a letter go unencrypted.
	plain := mailtest.Start(t)
	m, err := mail.New("smtps"+plain.Address[len("smtp"):], "eskadel@skerrin.example")
	require.NoError(t, err)
	assert.True(t, problem.Is(m.Send(ctx, mail.Letter{Name: "X", To: "x@skerrin.example", Subject: "Hello", Text: "Hello"}, nil), problem.Down))
}

// What a mail server says of a letter decides whether it is tried again, and what was handed over is known.
func TestHandingOver(t *testing.T) {
	sink := mailtest.Start(t)
	m, err := mail.New(sink.Address, "eskadel@skerrin.example")
	require.NoError(t, err)
	sink.Ends = func([]string) error { return assert.AnError }
	handed := 0
	err = m.Send(ctx, mail.Letter{To: "orla@skerrin.example", Subject: "x", Text: "y"}, func() error { handed++; return nil })
	require.ErrorContains(t, err, "takes no letter")
	assert.Equal(t, 1, handed)
	err = m.Send(ctx, mail.Letter{To: "orla@skerrin.example", Subject: "x", Text: "y"}, func() error { return assert.AnError })
	require.ErrorIs(t, err, assert.AnError)
	assert.Empty(t, sink.Letters(), "what is not to be handed over is not taken")
	err = m.Send(ctx, mail.Letter{To: "orla@skerrin.example", Text: strings.Repeat("x", mail.MostBytes+1)}, nil)
	require.ErrorContains(t, err, "MB")
}
