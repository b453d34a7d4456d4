package post

import (
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net/mail"
	"strings"
)

// subjectOf returns the subject of a message as people read it.
func subjectOf(m *mail.Message) string {
	subject, err := new(mime.WordDecoder).DecodeHeader(m.Header.Get("Subject"))
	if err != nil {
		return m.Header.Get("Subject")
	}
	return subject
}

// bodyOf returns the text of a message, and the page that says the same; empty where there is none.
func bodyOf(m *mail.Message) (text, html string) {
	media, parameters, err := mime.ParseMediaType(m.Header.Get("Content-Type"))
	if err != nil || !strings.HasPrefix(media, "multipart/") {
		return decoded(m.Body, m.Header.Get("Content-Transfer-Encoding")), ""
	}
	parts := multipart.NewReader(m.Body, parameters["boundary"])
	for {
		part, err := parts.NextRawPart()
		if err != nil {
			return text, html
		}
		body := decoded(part, part.Header.Get("Content-Transfer-Encoding"))
		if strings.HasPrefix(part.Header.Get("Content-Type"), "text/html") {
			html = body
		} else {
			text = body
		}
	}
}

func decoded(from io.Reader, encoding string) string {
	if strings.EqualFold(encoding, "quoted-printable") {
		from = quotedprintable.NewReader(from)
	}
	text, err := io.ReadAll(from)
	if err != nil {
		return ""
	}
	return strings.ReplaceAll(string(text), "\r\n", "\n")
}
