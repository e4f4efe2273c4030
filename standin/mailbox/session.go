package main

import (
	"bytes"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net/mail"
	"slices"
	"strings"
	"time"

	"github.com/emersion/go-smtp"
)

// NewSession implements smtp.Backend.
func (b *mailbox) NewSession(*smtp.Conn) (smtp.Session, error) { return &session{box: b}, nil }

// session is one conversation.
type session struct {
	box  *mailbox
	from string
	to   []string
}

// Mail implements smtp.Session.
func (s *session) Mail(from string, _ *smtp.MailOptions) error {
	s.from = from
	return nil
}

// Rcpt implements smtp.Session.
func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	if slices.Contains(s.box.refuse, to) {
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "There is nobody of that name here"}
	}
	s.to = append(s.to, to)
	return nil
}

// Data implements smtp.Session.
func (s *session) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	time.Sleep(s.box.slow)
	l, err := read(raw)
	if err != nil {
		return &smtp.SMTPError{Code: 554, EnhancedCode: smtp.EnhancedCode{5, 6, 0}, Message: "That is no mail: " + err.Error()}
	}
	l.At, l.To = time.Now().UTC(), s.to
	s.box.take(l)
	return nil
}

// Reset and Logout implement smtp.Session.
func (s *session) Reset()        { s.from, s.to = "", nil }
func (s *session) Logout() error { return nil }

// read reads a mail (RFC 5322) with its parts (RFC 2046).
func read(raw []byte) (l letter, err error) {
	m, err := mail.ReadMessage(bytes.NewReader(raw))
	if err != nil {
		return l, err
	}
	words := new(mime.WordDecoder)
	header := func(name string) string {
		text, err := words.DecodeHeader(m.Header.Get(name))
		if err != nil {
			return m.Header.Get(name)
		}
		return text
	}
	l = letter{MessageID: strings.Trim(m.Header.Get("Message-Id"), "<>"), From: header("From"), Subject: header("Subject")}
	kind, params, err := mime.ParseMediaType(m.Header.Get("Content-Type"))
	if err != nil || !strings.HasPrefix(kind, "multipart/") {
		var body io.Reader = m.Body
		if strings.EqualFold(m.Header.Get("Content-Transfer-Encoding"), "quoted-printable") {
			body = quotedprintable.NewReader(m.Body)
		}
		text, err := io.ReadAll(body)
		l.Text = string(text)
		return l, err
	}
	parts := multipart.NewReader(m.Body, params["boundary"])
	for {
		p, err := parts.NextPart()
		if err == io.EOF {
			return l, nil
		}
		if err != nil {
			return l, err
		}
		text, err := io.ReadAll(p)
		if err != nil {
			return l, err
		}
		if strings.HasPrefix(p.Header.Get("Content-Type"), "text/html") {
			l.HTML = string(text)
		} else {
			l.Text = string(text)
		}
	}
}
