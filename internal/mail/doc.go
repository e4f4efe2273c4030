// Package mail writes mails and sends them: in plain text and HTML, in the organisation's
// name and in the reader's language, by SMTP (RFC 5321). Whom a mail is for, and when it is
// sent, is decided elsewhere. The words of each kind stand in a file of their own below
// words/LANGUAGE: the subject in the first line, then the text.
package mail
