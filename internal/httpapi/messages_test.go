package httpapi_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/testkit"
)

// An owner words messages otherwise, sees first how they read, and takes it back; nobody else does.
func TestMessagesAreWordedThroughTheAPI(t *testing.T) {
	s := testkit.Demo(t)
	ctx, maren, tamsin := context.Background(), s.Client(t, "maren"), s.Client(t, "tamsin")
	welcome := func() api.Message {
		for _, m := range get[api.Page[api.Message]](t, tamsin, "/messages").Items {
			if m.Kind == "welcome" {
				return m
			}
		}
		return api.Message{}
	}
	first := welcome()
	require.True(t, first.Send)
	body := api.MessageWrite{MessageFields: api.MessageFields{Subject: text("Come in, {called}")}}
	_, err := tamsin.Write(ctx, "PATCH", "/messages/welcome", body)
	assert.Equal(t, 403, statusOf(err))
	var read api.MessageRead
	require.NoError(t, tamsin.Do(ctx, "POST", "/messages/welcome/preview", api.MessageTry{Staff: "Q0011",
		Subject: body.Subject}, &read))
	p := get[api.Staff](t, tamsin, "/staff/Q0011")
	assert.Equal(t, "Come in, "+p.GivenName, read.Subject)
	assert.Contains(t, read.HTML, "<p>Hello "+p.GivenName)
	assert.Equal(t, 404, statusOf(tamsin.Do(ctx, "POST", "/messages/welcome/preview", api.MessageTry{Staff: "Q0119"},
		nil)), "somebody of another site")
	done, err := maren.Write(ctx, "PATCH", "/messages/welcome", body)
	require.NoError(t, err)
	assert.Equal(t, "Come in, {called}", welcome().Subject)
	assert.True(t, welcome().Edited)
	_, err = maren.Write(ctx, "PATCH", "/messages/pin_link", api.MessageWrite{MessageFields: api.MessageFields{
		Text: text("Hello")}})
	assert.ErrorContains(t, err, "needs {link}")
	_, err = maren.Write(ctx, "PATCH", "/messages/pin_link", api.MessageWrite{MessageFields: api.MessageFields{
		Send: new(bool)}})
	assert.ErrorContains(t, err, "always sent")
	_, err = maren.Write(ctx, "PATCH", "/messages/welkome", body)
	assert.Equal(t, 404, statusOf(err))
	require.NoError(t, maren.Do(ctx, "POST", fmt.Sprint("/changes/", done.AuditID, "/undo"), api.Reasoned{}, nil))
	assert.Equal(t, first, welcome(), "undone")
}

// What a manager is told is theirs to choose; the messages to somebody tell nothing of what they say.
func TestWhatOneIsToldIsOnesOwnToChoose(t *testing.T) {
	s := testkit.Demo(t)
	ctx, tamsin, joss := context.Background(), s.Client(t, "tamsin"), s.Client(t, "joss")
	chosen := api.MessageChoices{Kinds: map[string]string{"leaving_soon": "weekly"}, Sites: []string{"HB"}}
	require.NoError(t, tamsin.Do(ctx, "PUT", "/me/messages", chosen, nil))
	assert.Equal(t, chosen, get[api.MessageChoices](t, tamsin, "/me/messages"))
	assert.Empty(t, get[api.MessageChoices](t, joss, "/me/messages").Kinds)
	for about, wrong := range map[string]api.MessageChoices{
		"how often":   {Kinds: map[string]string{"expiring": "hourly"}, Sites: []string{}},
		"is nothing":  {Kinds: map[string]string{"welcome": "never"}, Sites: []string{}},
		"o place has": {Kinds: map[string]string{}, Sites: []string{"NOWHERE"}},
		"sites":       {Kinds: map[string]string{}, Sites: []string{"HB-PACK"}},
	} {
		assert.ErrorContains(t, tamsin.Do(ctx, "PUT", "/me/messages", wrong, nil), about)
	}
	require.NoError(t, tamsin.Do(ctx, "POST", "/staff/Q0007/pin-link", struct{}{}, nil))
	sent := get[api.Page[api.MessageSent]](t, tamsin, "/staff/Q0007/messages")
	require.NotEmpty(t, sent.Items)
	assert.Equal(t, "Link to choose a PIN", sent.Items[0].Title)
	assert.False(t, strings.Contains(strings.ToLower(sent.Items[0].Problem+sent.Items[0].Title), "http"))
	assert.Equal(t, 404, statusOf(joss.Get(ctx, "/staff/Q0119/messages", nil)))
}
