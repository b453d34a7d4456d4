package post

import (
	"io"
	"mime"
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

// bodyOf returns the text of a message.
func bodyOf(m *mail.Message) string {
	var from io.Reader = m.Body
	if strings.EqualFold(m.Header.Get("Content-Transfer-Encoding"), "quoted-printable") {
		from = quotedprintable.NewReader(from)
	}
	text, err := io.ReadAll(from)
	if err != nil {
		return ""
	}
	return strings.ReplaceAll(string(text), "\r\n", "\n")
}
