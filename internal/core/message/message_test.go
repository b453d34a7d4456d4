package message

import (
	"encoding/xml"
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Every first wording passes the check that every other has to pass, and each of its placeholders can be shown.
func TestEveryFirstWordingIsOne(t *testing.T) {
	seen := map[Kind]bool{}
	for i := range Sorts {
		s := &Sorts[i]
		require.False(t, seen[s.Kind], s.Kind)
		seen[s.Kind] = true
		field, err := (&Wording{Kind: s.Kind, Subject: s.Subject, Text: s.Text}).Check()
		require.NoError(t, err, "%s %s", s.Kind, field)
		for _, p := range s.Holders {
			assert.NotEmpty(t, p.Says, "%s %s", s.Kind, p.Name)
		}
		assert.NotEmpty(t, s.When, s.Kind)
		assert.Equal(t, !s.Off, s.Sends(nil), s.Kind)
		assert.Equal(t, s.Fixed, s.Sends(&Wording{Off: true}), s.Kind)
		assert.True(t, s.Sends(&Wording{On: true}), s.Kind)
	}
}

func TestAWordingThatCannotBeFilledIsRefused(t *testing.T) {
	for about, w := range map[string]Wording{
		"nothing fills {pin}":    {Kind: PINLink, Text: "{link} {pin}"},
		"nothing fills {}":       {Kind: Welcome, Subject: "{}"},
		"needs {link}":           {Kind: PINLink, Text: "Hello {called}"},
		"one line":               {Kind: Welcome, Subject: "a\nBcc: b@quillmere.example"},
		"at most 150":            {Kind: Welcome, Subject: strings.Repeat("x", 151)},
		"at most 4000":           {Kind: Welcome, Text: strings.Repeat("x", 4001)},
		"always sent":            {Kind: PINLink, Off: true},
		"is no message":          {Kind: "nonsense"},
		"bytes that are no text": {Kind: Welcome, Text: "\xff"},
	} {
		_, err := w.Check()
		assert.ErrorContains(t, err, about)
	}
}

// What fills a placeholder is no placeholder, adds no header, and shows as it is.
func TestWhatIsFilledInIsTextAndNothingElse(t *testing.T) {
	s := Of(Welcome)
	subject, text := s.Word(&Wording{Subject: "For {called}", Text: "{called} {number}"},
		map[string]string{"called": "{number}\nBcc: x", "number": "<b>1</b>"})
	assert.Equal(t, "For {number} Bcc: x", subject)
	assert.Equal(t, "{number}\nBcc: x <b>1</b>\n", text)
	page := HTML("See https://latch.example/staff/Q1, or https://elsewhere.example/x & <b>\n\nBye",
		"https://latch.example")
	assert.Contains(t, page, `See <a href="https://latch.example/staff/Q1">https://latch.example/staff/Q1</a>, or `+
		"https://elsewhere.example/x &amp; &lt;b&gt;</p>")
	assert.NotContains(t, HTML("https://latch.example.evil/x", "https://latch.example"), "<a")
}

// Whatever the text, its HTML is whole and says the same letters.
func TestHTMLSaysWhatTheTextSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`([a-z<>&"'{}\n ]|https://latch\.example/[a-z<"&]{0,5}){0,60}`).Draw(t, "text")
		page := HTML(text, "https://latch.example")
		decoder := xml.NewDecoder(strings.NewReader(strings.ReplaceAll(strings.TrimPrefix(page, "<!doctype html>\n"),
			"<br>", "<br/>")))
		decoder.Entity = xml.HTMLEntity
		var said strings.Builder
		for {
			token, err := decoder.Token()
			if err == io.EOF {
				break
			}
			require.NoError(t, err, page)
			if letters, is := token.(xml.CharData); is {
				said.Write(letters)
			}
		}
		assert.Equal(t, strings.Join(strings.Fields(text), ""), strings.Join(strings.Fields(said.String()), ""))
	})
}
