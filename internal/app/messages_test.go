package app_test

import (
	"database/sql"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/message"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/post"
	"loyallatch.example/latch/internal/testkit"
)

// by makes a change as one of the demo's managers, as tests of messages must: what the system does tells nobody.
func by(t *testing.T, s *testkit.Service, number, reason, op, on string, fields set) {
	t.Helper()
	r := request(operation(op, on, fields))
	r.Actor.Staff, r.Actor.System, r.Reason = s.App.Live().State().StaffByNumber(number).ID, "", reason
	_, err := s.App.Commit(ctx, r)
	require.NoError(t, err)
}

// subjects are those of the messages to somebody, once nothing is due any more.
func subjects(t *testing.T, s *testkit.Service, to string) (list []string) {
	t.Helper()
	told(t, s)
	for _, m := range s.Mail.Caught(to) {
		list = append(list, m.Subject)
	}
	return list
}

// at moves the clock to the next time of day in Dublin, on a weekday where one is named.
func at(s *testkit.Service, hour int, on ...time.Weekday) {
	zone, err := time.LoadLocation("Europe/Dublin")
	if err != nil {
		panic(err)
	}
	now := s.Clock.Now().In(zone)
	next := time.Date(now.Year(), now.Month(), now.Day(), hour, 0, 0, 0, zone)
	for !next.After(now) || len(on) > 0 && next.Weekday() != on[0] {
		next = next.AddDate(0, 0, 1)
	}
	s.Clock.Move(next.Sub(now))
}

// inDays is a date so many days from now, by the clock of a service.
func inDays(s *testkit.Service, days int) string {
	return s.Clock.Now().In(s.App.Live().Location(1)).AddDate(0, 0, days).Format(time.DateOnly)
}

func numbered(s *testkit.Service, number string) people.StaffID {
	return s.App.Live().State().StaffByNumber(number).ID
}

// A manager chooses how often they are told, of what, and about which sites; who wants nothing is passed over.
func TestManagersAreToldAsTheyChoose(t *testing.T) {
	s := testkit.Demo(t)
	second := s.Second(t)
	tamsin := numbered(s, "Q0003")
	choose := func(c app.Choices) { require.NoError(t, s.App.Choose(ctx, tamsin, c)) }
	leaves := func(number string) {
		by(t, s, "Q0002", "r", "staff.edit", number, set{"line_manager": "Q0003"})
		by(t, s, "Q0002", "end of season", "staff.leave", number, set{"on": inDays(s, 3)})
	}
	digest := func() {
		require.NoError(t, second.App.SendDigests(ctx))
		require.NoError(t, s.App.SendDigests(ctx))
	}
	at(s, 12)
	require.NoError(t, s.App.TellOfComings(ctx))
	s.Clock.Move(time.Minute)

	choose(app.Choices{Kinds: map[message.Kind]string{message.LeavingSoon: app.Daily}})
	leaves("Q0011")
	leaves("Q0012")
	at(s, 1)
	require.NoError(t, s.App.TellOfComings(ctx))
	assert.Empty(t, subjects(t, s, "tamsin@quillmere.example"), "it waits for the digest")
	sent, total, err := s.App.MessagesTo(ctx, tamsin, "Q0003", 0, 50)
	require.NoError(t, err)
	require.Equal(t, 2, total)
	assert.Equal(t, "waiting", sent[0].State)
	at(s, 6)
	digest()
	assert.Empty(t, subjects(t, s, "tamsin@quillmere.example"), "not before seven")
	by(t, s, "Q0001", "talk", "staff.lock", "Q0003", nil)
	at(s, 8)
	digest()
	assert.Empty(t, subjects(t, s, "tamsin@quillmere.example"), "nothing of others is told to who may not sign in")
	by(t, s, "Q0001", "settled", "staff.unlock", "Q0003", nil)
	digest()
	digest()
	both := append(s.Mail.Caught("tamsin@quillmere.example"), second.Mail.Caught("tamsin@quillmere.example")...)
	require.Eventually(t, func() bool {
		both = append(s.Mail.Caught("tamsin@quillmere.example"), second.Mail.Caught("tamsin@quillmere.example")...)
		return len(both) == 1
	}, time.Minute, 20*time.Millisecond, "one, whichever instance sends it")
	assert.Equal(t, "2 messages from Quillmere Fruit Co-operative", both[0].Subject)
	for _, number := range []string{"Q0011", "Q0012"} {
		assert.Contains(t, both[0].Body, s.App.Live().State().StaffByNumber(number).FullName()+" leaves soon")
	}
	require.Eventually(t, func() bool {
		sent, _, err = s.App.MessagesTo(ctx, tamsin, "Q0003", 0, 50)
		return err == nil && !slices.ContainsFunc(sent, func(m app.Sent) bool { return m.State != "sent" })
	}, time.Minute, 20*time.Millisecond)

	choose(app.Choices{Kinds: map[message.Kind]string{message.LeavingSoon: app.Weekly}})
	leaves("Q0013")
	at(s, 1)
	require.NoError(t, s.App.TellOfComings(ctx))
	at(s, 8, time.Thursday)
	digest()
	assert.Len(t, append(s.Mail.Caught("tamsin@quillmere.example"), second.Mail.Caught("tamsin@quillmere.example")...),
		1)
	at(s, 8, time.Monday)
	digest()
	require.Eventually(t, func() bool {
		return len(append(s.Mail.Caught("tamsin@quillmere.example"),
			second.Mail.Caught("tamsin@quillmere.example")...)) == 2
	}, time.Minute, 20*time.Millisecond)
}

func TestWhoWantsNothingIsPassedOver(t *testing.T) {
	s := testkit.Demo(t)
	tamsin := numbered(s, "Q0003")
	at(s, 12)
	require.NoError(t, s.App.TellOfComings(ctx))
	s.Clock.Move(time.Minute)
	elsewhere := s.App.Live().State().PlaceByCode("SM").ID
	for _, c := range []app.Choices{{Kinds: map[message.Kind]string{message.LeavingSoon: app.Never}},
		{Sites: []estate.PlaceID{elsewhere}}} {
		require.NoError(t, s.App.Choose(ctx, tamsin, c))
		before := len(subjects(t, s, "idris@quillmere.example"))
		number := map[bool]string{true: "Q0011", false: "Q0012"}[len(c.Sites) == 0]
		by(t, s, "Q0002", "r", "staff.edit", number, set{"line_manager": "Q0003"})
		by(t, s, "Q0002", "end of season", "staff.leave", number, set{"on": inDays(s, 3)})
		at(s, 1)
		require.NoError(t, s.App.TellOfComings(ctx))
		assert.Empty(t, subjects(t, s, "tamsin@quillmere.example"))
		assert.Len(t, subjects(t, s, "idris@quillmere.example"), before+1, "whoever else looks after the site")
	}
	for about, c := range map[string]app.Choices{
		"is nothing that is chosen": {Kinds: map[message.Kind]string{message.Welcome: app.Daily}},
		"is not how often":          {Kinds: map[message.Kind]string{message.Expiring: "hourly"}},
		"choose sites":              {Sites: []estate.PlaceID{s.App.Live().State().PlaceByCode("HB-PACK").ID}},
	} {
		assert.ErrorContains(t, s.App.Choose(ctx, tamsin, c), about)
	}
}

// Who is locked, comes back or can do something else is told where the organisation wants it, once what is said is so.
func TestPeopleAreToldWhatIsDoneAboutThem(t *testing.T) {
	s := testkit.Demo(t)
	maren, to := "Q0001", "joss@quillmere.example"
	by(t, s, maren, "talk", "staff.lock", "Q0007", nil)
	by(t, s, maren, "", "staff.unlock", "Q0007", nil)
	assert.Empty(t, subjects(t, s, to), "not until somebody turns it on")
	by(t, s, maren, "", "message.edit", "locked", set{"send": true, "subject": "Locked, {called}"})
	by(t, s, maren, "", "message.edit", "changed", set{"send": true})

	by(t, s, maren, "talk", "staff.lock", "Q0007", set{"until": s.Clock.Now().Add(time.Hour).Format(time.RFC3339)})
	assert.Equal(t, []string{"Locked, Joss"}, subjects(t, s, to))
	assert.Contains(t, s.Mail.Caught(to)[0].Body, "Please speak to ")
	assert.Contains(t, s.Mail.Caught(to)[0].HTML, "<p>Hello Joss,</p>")
	by(t, s, maren, "", "staff.unlock", "Q0007", nil)

	// Two changes within minutes make one message, of what counts in the end.
	by(t, s, maren, "", "assignment.add", "", set{"staff": "Q0007", "place": "SM", "template": "packer"})
	by(t, s, maren, "", "assignment.add", "", set{"staff": "Q0007", "place": "FC", "template": "packer"})
	assert.Len(t, s.Mail.Caught(to), 1, "it waits for what else comes")
	s.Clock.Move(6 * time.Minute)
	require.Equal(t, []string{"Locked, Joss", "What you can do at Quillmere Fruit Co-operative has changed"},
		subjects(t, s, to))
	assert.Contains(t, s.Mail.Caught(to)[1].Body, "Ferncote Press House")
	by(t, s, maren, "r", "staff.leave", "Q0007", nil)
	require.NoError(t, s.App.TellOfComings(ctx))
	before := len(subjects(t, s, to))
	by(t, s, maren, "", "staff.reinstate", "Q0007", nil)
	assert.Equal(t, "Welcome back to Quillmere Fruit Co-operative", subjects(t, s, to)[before:][0])
	s.Clock.Move(6 * time.Minute)
	by(t, s, maren, "", "assignment.add", "", set{"staff": "Q0007", "place": "UQ", "template": "packer"})
	s.Clock.Move(6 * time.Minute)
	assert.Len(t, subjects(t, s, to), before+2, "a later change is told of anew")
}

// A message that the mail server does not take is tried again and shown as waiting, then as failed; what it says is
// shown to nobody.
func TestAMessageThatIsNotTakenIsShown(t *testing.T) {
	s := testkit.Demo(t)
	maren := numbered(s, "Q0001")
	away, err := post.Open(post.Config{Server: "127.0.0.1:1", From: "latch@quillmere.example"})
	require.NoError(t, err)
	s.App.Deliver(app.Postal{Post: away, Address: "https://latch.example"})
	_, _, err = s.App.SendPINLink(ctx, maren, "Q0007", "test")
	require.NoError(t, err)
	state := func() (app.Sent, bool) {
		sent, _, err := s.App.MessagesTo(ctx, maren, "Q0007", 0, 50)
		require.NoError(t, err)
		require.NotEmpty(t, sent)
		first := sent[len(sent)-1] // others may come as days pass
		assert.Nil(t, first.Body, "it is not even read")
		return first, first.Problem != ""
	}
	require.Eventually(t, func() bool { _, tried := state(); return tried }, time.Minute, 20*time.Millisecond)
	waiting, _ := state()
	assert.Equal(t, "waiting", waiting.State)
	assert.Contains(t, waiting.Problem, "127.0.0.1:1")
	assert.True(t, waiting.NextAt.After(s.Clock.Now()), "it is tried again")
	db, err := sql.Open("mysql", s.DSN)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec("UPDATE mails SET tries = 7, next_at = '2026-01-01'")
	require.NoError(t, err)
	require.Eventually(t, func() bool { waiting, _ = state(); return waiting.State == "failed" }, time.Minute,
		20*time.Millisecond, "the eighth time is the last")
	assert.EqualValues(t, 8, waiting.Tries)
}

// How a message reads is shown of a real person, with a wording that is not kept yet, by whoever sees the person.
func TestAMessageIsReadBeforeItIsKept(t *testing.T) {
	s := testkit.Demo(t)
	tamsin := numbered(s, "Q0003")
	for i := range message.Sorts {
		_, text, page, err := s.App.PreviewMessage(tamsin, &message.Wording{Kind: message.Sorts[i].Kind}, "Q0011")
		require.NoError(t, err, message.Sorts[i].Kind)
		assert.NotContains(t, text, "{", "%s: all is filled in", message.Sorts[i].Kind)
		assert.True(t, strings.HasPrefix(page, "<!doctype html>"))
	}
	_, _, _, err := s.App.PreviewMessage(tamsin, &message.Wording{Kind: message.Welcome}, "Q0119")
	assert.Error(t, err, "somebody of another site")
	_, _, _, err = s.App.PreviewMessage(tamsin, &message.Wording{Kind: message.Welcome, Text: "{pin}"}, "Q0011")
	assert.ErrorContains(t, err, "nothing fills {pin}")
}
