package workspace_test

import (
	"regexp"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/live"
	"eskadel/localpg/pgtest"
	"eskadel/mail"
	"eskadel/mail/mailtest"
	"eskadel/store"
	"eskadel/workspace"
)

// The first person comes by the code, invites by letter; who has forgotten asks for one, and nobody learns
// from that who is here.
func TestLettersThatLetIn(t *testing.T) {
	own, _ := pgtest.Database(t, "workspace_letters")
	s, err := store.Open(ctx, own, make([]byte, 32))
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	e, err := live.NewEngine(ctx, s, period.ISO(time.UTC))
	require.NoError(t, err)
	sink := mailtest.Start(t)
	mailer, err := mail.New(sink.Address, "eskadel@skerrin.example")
	require.NoError(t, err)
	w, err := workspace.Open(ctx, s, e, workspace.Around{Mail: mailer, Address: "https://boards.example/"})
	require.NoError(t, err)
	from := workspace.From{Address: "10.0.0.1"}

	first, err := w.FirstCode(ctx)
	require.NoError(t, err)
	name := "Mara"
	in, err := w.First(ctx, first, identity.Change{Name: &name, Email: "mara@skerrin.example", Password: "brass and wet rope"}, from)
	require.NoError(t, err)
	who, err := w.BySession(ctx, in.Token)
	require.NoError(t, err)
	require.True(t, who.Builder)

	link := regexp.MustCompile(`https://boards\.example/enter/([A-Za-z0-9_-]{43})\b`)
	name = "Orla"
	handed, err := w.Invite(ctx, who, identity.Change{Name: &name, Email: "Orla@skerrin.example"})
	require.NoError(t, err)
	assert.Empty(t, handed.Path, "it was sent: nobody else sees the link")
	letter := <-sink.Arrived
	assert.Equal(t, []string{"orla@skerrin.example"}, letter.To)
	assert.Equal(t, "Mara invites you to Eskadel", letter.Subject)
	_, err = w.TakeEntry(ctx, link.FindStringSubmatch(letter.Text)[1], "wet rope and brass", from)
	require.NoError(t, err)

	for _, nobody := range []string{"nobody@skerrin.example", "", "no address"} {
		require.NoError(t, w.Forgotten(ctx, nobody, "10.0.0.2"))
	}
	require.NoError(t, w.Forgotten(ctx, "orla@skerrin.example", "10.0.0.2"))
	letter = <-sink.Arrived
	assert.Equal(t, []string{"orla@skerrin.example"}, letter.To, "the only one, with the same answer as the others")
	assert.Equal(t, "Choose a new password for Eskadel", letter.Subject)
	assert.Regexp(t, link, letter.Text)
	for range 2 {
		require.NoError(t, w.Forgotten(ctx, "orla@skerrin.example", "10.0.0.2"))
		<-sink.Arrived
	}
	assert.Equal(t, problem.TooMany, code(w.Forgotten(ctx, "orla@skerrin.example", "10.0.0.2")), "nobody's post is flooded")

	name = "Ruan"
	handed, err = w.Invite(ctx, who, identity.Change{Name: &name, Email: "ruan@nowhere.example"})
	require.NoError(t, err)
	assert.NotNil(t, handed.Trouble)
	assert.Regexp(t, `^/enter/`, handed.Path, "what was not sent is handed over")
	orla, err := w.SignIn(ctx, "orla@skerrin.example", "wet rope and brass", from)
	require.NoError(t, err)
	author, err := w.BySession(ctx, orla.Token)
	require.NoError(t, err)
	_, err = w.Invite(ctx, author, identity.Change{Name: &name, Email: "x@skerrin.example"})
	assert.Equal(t, problem.Forbidden, code(err))
}
