package httpapi_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"regexp"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/testkit"
)

// tablet is a browser on a tablet, with the cookies that it keeps.
type tablet struct {
	t     *testing.T
	base  string
	http  *http.Client
	visit string
}

func newTablet(t *testing.T, s *testkit.Service) *tablet {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &tablet{t: t, base: s.URL + "/api/v1", http: &http.Client{Jar: jar}}
}

// do asks, and returns the status and what a refusal says.
func (b *tablet) do(method, path string, body, into any) (int, string) {
	b.t.Helper()
	var sent io.Reader
	if body != nil {
		encoded, err := json.Marshal(body)
		require.NoError(b.t, err)
		sent = bytes.NewReader(encoded)
	}
	request, err := http.NewRequest(method, b.base+path, sent)
	require.NoError(b.t, err)
	if body != nil {
		request.Header.Set("Content-Type", "application/json")
	}
	request.Header.Set("X-Visit", b.visit)
	response, err := b.http.Do(request)
	require.NoError(b.t, err)
	defer func() { _ = response.Body.Close() }()
	answer, err := io.ReadAll(response.Body)
	require.NoError(b.t, err)
	if response.StatusCode >= 400 {
		var p api.Problem
		require.NoError(b.t, json.Unmarshal(answer, &p), string(answer))
		if len(p.Errors) > 0 {
			return response.StatusCode, p.Errors[0].Message
		}
		return response.StatusCode, p.Detail
	}
	if into != nil {
		require.NoError(b.t, json.Unmarshal(answer, into), string(answer))
	}
	return response.StatusCode, ""
}

// headers are what the tablet sends with each request.
func (b *tablet) headers() []string {
	address, err := url.Parse(b.base)
	require.NoError(b.t, err)
	headers := []string{"X-Visit", b.visit}
	for _, cookie := range b.http.Jar.Cookies(address) {
		headers = append(headers, "Cookie", cookie.Name+"="+cookie.Value)
	}
	return headers
}

// show lets somebody show a PIN, a badge or both.
func (b *tablet) show(what api.TerminalShow) (v api.Visit, refused string) {
	b.t.Helper()
	_, refused = b.do("POST", "/terminal/visit", what, &v)
	b.visit = v.Token
	return v, refused
}

// registered is a tablet that is a terminal at a place.
func registered(t *testing.T, s *testkit.Service, place string) *tablet {
	t.Helper()
	var made api.TerminalMade
	require.NoError(t, s.Client(t, "idris").Do(ctx, "POST", "/terminals",
		api.TerminalWrite{Name: "Tablet at " + place, Place: place}, &made))
	b := newTablet(t, s)
	status, said := b.do("POST", "/terminal/register", api.TerminalClaim{Code: made.Code}, nil)
	require.Equal(t, http.StatusNoContent, status, said)
	return b
}

func TestATabletIsRegisteredByACodeThatWorksOnce(t *testing.T) {
	s := testkit.Demo(t)
	var made api.TerminalMade
	require.NoError(t, s.Client(t, "idris").Do(ctx, "POST", "/terminals",
		api.TerminalWrite{Name: "Tablet", Place: "HB-PACK"}, &made))
	assert.Regexp(t, `^[A-Z2-7]{4}-[A-Z2-7]{4}$`, made.Code)
	b, other := newTablet(t, s), newTablet(t, s)
	status, _ := b.do("GET", "/terminal", nil, nil)
	assert.Equal(t, http.StatusUnauthorized, status)
	_, said := b.do("POST", "/terminal/register", api.TerminalClaim{Code: "AAAA-AAAA"}, nil)
	assert.Contains(t, said, "registers no terminal")
	status, said = b.do("POST", "/terminal/register", api.TerminalClaim{Code: made.Code}, nil)
	assert.Equal(t, http.StatusNoContent, status, said)
	_, said = other.do("POST", "/terminal/register", api.TerminalClaim{Code: made.Code}, nil)
	assert.Contains(t, said, "registers no terminal", "a code that was used")
	var facts api.Terminal
	b.do("GET", "/terminal", nil, &facts)
	assert.Equal(t, "Packing hall", facts.Place.Name)
	assert.Equal(t, "Europe/Dublin", facts.TimeZone)

	require.NoError(t, s.Client(t, "idris").Do(ctx, "POST", "/terminals",
		api.TerminalWrite{Name: "Tablet 2", Place: "HB-PACK"}, &made))
	s.Clock.Move(31 * time.Minute)
	_, said = other.do("POST", "/terminal/register", api.TerminalClaim{Code: made.Code}, nil)
	assert.Contains(t, said, "registers no terminal", "a code that has run out")
	for range 30 {
		other.do("POST", "/terminal/register", api.TerminalClaim{Code: "BBBB-BBBB"}, nil)
	}
	status, _ = other.do("POST", "/terminal/register", api.TerminalClaim{Code: "CCCC-CCCC"}, nil)
	assert.Equal(t, http.StatusTooManyRequests, status, "codes are not to be guessed")
	_, err := s.Client(t, "idris").Write(ctx, "DELETE", fmt.Sprint("/devices/", made.ID-1), nil)
	require.NoError(t, err)
	status, _ = b.do("GET", "/terminal", nil, nil)
	assert.Equal(t, http.StatusUnauthorized, status, "a terminal that was disconnected is none")
}

// A person's first day: a PIN that has to be changed, the terminal, a new PIN, a notice, and the first work.
func TestAFirstDayAtTheTerminal(t *testing.T) {
	s := testkit.Demo(t)
	idris, maren := s.Client(t, "idris"), s.Client(t, "maren")
	_, err := maren.Write(ctx, "POST", "/notices", api.NoticeWrite{Reasoned: api.Reasoned{Reason: "safety"},
		NoticeFields: api.NoticeFields{Code: new("HALL"), Title: new("Hall rules"),
			Text:   new("Wear shoes.\n\nNo rings."),
			Places: &[]string{"HB-PACK"}, Refuses: new(true)}})
	require.NoError(t, err)
	_, err = idris.Write(ctx, "POST", "/credentials/pin",
		api.PINWrite{PINFields: api.PINFields{Staff: "Q0011", PIN: "480216", MustChange: true}})
	require.NoError(t, err)
	b := registered(t, s, "HB-PACK")
	_, refused := b.show(api.TerminalShow{PIN: "480217"})
	assert.Contains(t, refused, "not", "nobody's PIN")
	v, refused := b.show(api.TerminalShow{PIN: "480216"})
	require.Empty(t, refused)
	assert.True(t, v.ChoosePIN)
	require.Len(t, v.Notices, 1)
	assert.Equal(t, "Wear shoes.\n\nNo rings.", v.Notices[0].Text)
	assert.Empty(t, v.Can, "the notice refuses work until it is accepted")

	var verdict api.PINVerdict
	b.do("POST", "/terminal/visit/pin/check", api.VisitPIN{PIN: "123456"}, &verdict)
	assert.Contains(t, verdict.Wrong, "follow one another")
	_, refused = b.do("POST", "/terminal/visit/pin", api.VisitPIN{PIN: "123456"}, nil)
	assert.Contains(t, refused, "follow one another")
	_, refused = b.do("POST", "/terminal/visit/pin", api.VisitPIN{PIN: "480216"}, nil)
	assert.Contains(t, refused, "before", "the one they have now")
	_, err = idris.Write(ctx, "POST", "/credentials/pin", api.PINWrite{PINFields: api.PINFields{Staff: "Q0012",
		PIN: "736194"}})
	require.NoError(t, err)
	_, refused = b.do("POST", "/terminal/visit/pin", api.VisitPIN{PIN: "736194"}, nil)
	assert.Contains(t, refused, "in use; choose another", "and it is not said whose")
	_, refused = b.do("POST", "/terminal/visit/pin", api.VisitPIN{PIN: "592841"}, nil)
	require.Empty(t, refused)
	_, refused = b.do("POST", "/terminal/visit/acceptances", api.VisitAccept{Notice: "HALL", Version: 2}, nil)
	assert.Contains(t, refused, "new version")
	_, refused = b.do("POST", "/terminal/visit/acceptances", api.VisitAccept{Notice: "HALL", Version: 1}, nil)
	require.Empty(t, refused)
	_, refused = b.do("GET", "/terminal/visit", nil, &v)
	require.Empty(t, refused)
	assert.False(t, v.ChoosePIN)
	assert.Empty(t, v.Notices)
	assert.NotEmpty(t, v.Can)
	_, refused = b.show(api.TerminalShow{PIN: "480216"})
	assert.NotEmpty(t, refused, "the old PIN counts no more")
	var d api.Decision
	require.NoError(t, s.Door().Do(ctx, "POST", "/decisions", api.DecisionRequest{PIN: "592841", Place: "HB-PACK-1"},
		&d))
	assert.Equal(t, "allow", d.Outcome)
	list := get[api.Page[api.NoticePerson]](t, maren, "/acceptances", client.Query("notice", "HALL"),
		client.Query("state", "accepted"))
	require.Len(t, list.Items, 1)
	assert.Equal(t, "terminal", list.Items[0].How)
	assert.Equal(t, "Packing hall", list.Items[0].Place.Name)
}

// A visit ends: with its time, with a lock, and it is of one terminal.
func TestAVisitEnds(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	b, other := registered(t, s, "HB-PACK"), registered(t, s, "HB-WASH")
	v, refused := b.show(api.TerminalShow{Badge: "118-1060"})
	require.NotEmpty(t, refused, "a badge that is lost: %v", v)
	badge := get[api.Page[api.Badge]](t, idris, "/badges", client.Query("staff", "Q0116")).Items
	require.NotEmpty(t, badge)
	v, refused = b.show(api.TerminalShow{Badge: badge[0].Number})
	require.Empty(t, refused)
	assert.False(t, v.MayChoose, "who found a badge chooses no PIN by it")
	_, refused = b.do("POST", "/terminal/visit/pin", api.VisitPIN{PIN: "592841"}, nil)
	assert.Contains(t, refused, "Show your present PIN")
	other.visit = b.visit
	_, refused = other.do("GET", "/terminal/visit", nil, nil)
	assert.Contains(t, refused, "signed out", "a visit is of one terminal")
	_, err := idris.Write(ctx, "POST", "/staff/Q0116/lock", api.LockWrite{Reasoned: api.Reasoned{Reason: "r"}})
	require.NoError(t, err)
	_, refused = b.do("GET", "/terminal/visit", nil, nil)
	assert.Contains(t, refused, "signed out", "who is locked is locked here too")
	_, err = idris.Write(ctx, "POST", "/staff/Q0116/unlock", api.Reasoned{Reason: "r"})
	require.NoError(t, err)
	_, refused = b.do("GET", "/terminal/visit", nil, nil)
	assert.Contains(t, refused, "signed out", "unlocking brings no visit back")
	_, refused = b.show(api.TerminalShow{Badge: badge[0].Number})
	require.Empty(t, refused)
	s.Clock.Move(16 * time.Minute)
	_, refused = b.do("GET", "/terminal/visit", nil, nil)
	assert.Contains(t, refused, "signed out")
	b.visit = b.visit[:len(b.visit)-2] + "AA"
	_, refused = b.do("GET", "/terminal/visit", nil, nil)
	assert.Contains(t, refused, "signed out", "a visit is not made up")
}

// mailed waits for mail to somebody and returns the last.
func mailed(t *testing.T, s *testkit.Service, to string) (subject, body string) {
	t.Helper()
	require.Eventually(t, func() bool { return len(s.Mail.Caught(to)) > 0 }, 20*time.Second, 50*time.Millisecond)
	all := s.Mail.Caught(to)
	return all[len(all)-1].Subject, all[len(all)-1].Body
}

// A PIN is handed over by mail: the link works once, for whoever knows the staff number, and nobody else learns it.
func TestAPINIsChosenByALinkOnce(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	_, err := idris.Write(ctx, "PATCH", "/staff/Q0011", api.StaffWrite{StaffFields: api.StaffFields{
		Email: new("packer@quillmere.example")}})
	require.NoError(t, err)
	send := func() string {
		var sent api.PINLinkSent
		before := len(s.Mail.Caught("packer@quillmere.example"))
		require.NoError(t, idris.Do(ctx, "POST", "/staff/Q0011/pin-link", nil, &sent))
		assert.Equal(t, "packer@quillmere.example", sent.To)
		require.Eventually(t, func() bool { return len(s.Mail.Caught("packer@quillmere.example")) > before },
			20*time.Second, 50*time.Millisecond)
		_, body := mailed(t, s, "packer@quillmere.example")
		link := regexp.MustCompile(`/pin/([\w-]+)`).FindStringSubmatch(body)
		require.NotNil(t, link, body)
		return link[1]
	}
	b := newTablet(t, s)
	use := func(token, number, pin string) (int, string) {
		return b.do("POST", "/pin-link/use", api.PINLinkUse{Token: token, StaffNumber: number, PIN: pin}, nil)
	}
	first := send()
	token := send()
	_, refused := use(first, "Q0011", "592841")
	assert.Contains(t, refused, "does not work", "a later link takes the place of an earlier one")
	_, refused = use(token, "Q0012", "592841")
	assert.Contains(t, refused, "does not work", "another's staff number")
	_, refused = use(token+"x", "Q0011", "592841")
	assert.Contains(t, refused, "does not work", "a guess")
	var verdict api.PINVerdict
	b.do("POST", "/pin-link/check", api.PINLinkUse{Token: token, StaffNumber: "q0011", PIN: "111111"}, &verdict)
	assert.Contains(t, verdict.Wrong, "repeats itself")
	_, refused = use(token, "Q0011", "111111")
	assert.Contains(t, refused, "repeats itself")
	status, refused := use(token, "Q0011", "592841")
	require.Equal(t, http.StatusNoContent, status, refused)
	_, refused = use(token, "Q0011", "738196")
	assert.Contains(t, refused, "does not work", "used twice")
	var d api.Decision
	require.NoError(t, s.Door().Do(ctx, "POST", "/decisions", api.DecisionRequest{PIN: "592841", Place: "HB-PACK-1"},
		&d))
	assert.Equal(t, "allow", d.Outcome)

	token = send()
	s.Clock.Move(49 * time.Hour)
	_, refused = use(token, "Q0011", "738196")
	assert.Contains(t, refused, "does not work", "late")
	token = send()
	for range 5 {
		use(token, "Q0099", "738196")
	}
	_, refused = use(token, "Q0011", "738196")
	assert.Contains(t, refused, "does not work", "after five wrong tries it leads nowhere")
	for table, rows := range tables(t, s.DSN) {
		assert.NotContains(t, rows, token, "the link is kept nowhere: %s", table)
		assert.NotContains(t, rows, "592841", table)
	}
	err = s.Client(t, "joss").Do(ctx, "POST", "/staff/Q0011/pin-link", nil, nil)
	assert.Error(t, err, "a supervisor who may only lock")
	assert.ErrorContains(t, idris.Do(ctx, "POST", "/staff/Q0012/pin-link", nil, nil), "has no work email")
	assert.ErrorContains(t, idris.Do(ctx, "POST", "/staff/Q0002/pin-link", nil, nil), "Nobody changes their own access")
}

// Of a badge that wrong PINs pause the managers are written to, and of what runs out once a day.
func TestManagersAreWrittenTo(t *testing.T) {
	s := testkit.Demo(t)
	idris := s.Client(t, "idris")
	badge := get[api.Page[api.Badge]](t, idris, "/badges", client.Query("staff", "Q0116")).Items
	require.NotEmpty(t, badge)
	for range 5 {
		var d api.Decision
		require.NoError(t, s.Door().Do(ctx, "POST", "/decisions",
			api.DecisionRequest{Badge: badge[0].Number, PIN: "739152", Place: "HB-CHEM-1"}, &d))
	}
	subject, body := mailed(t, s, "joss@quillmere.example") // the line manager
	assert.Contains(t, subject, "is paused at Harrow Bend Packhouse")
	assert.Contains(t, body, "/staff/Q0116")
	assert.NotContains(t, body, "739152")
}
