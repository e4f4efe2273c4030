package mail

import (
	"strings"
	"testing"
)

// Every kind of mail has words in the default language, in plain text and HTML, and what people
// wrote is no HTML in them.
func TestEveryMailIsWritten(t *testing.T) {
	type line struct{ Who, What, Why, At string }
	for kind, data := range map[string]map[string]any{
		"invitation": {"Organisation": "Port <&> Co", "Name": "Ana <b>", "By": "Marta", "UserName": "ana", "Link": "https://roster.example/sign-in-link#x", "Until": "tomorrow", "Press": "Choose"},
		"reset":      {"Organisation": "Port <&> Co", "Name": "Ana <b>", "UserName": "ana", "Link": "https://roster.example/sign-in-link#x", "Until": "tomorrow", "Press": "Choose"},
		"digest": {"Organisation": "Port <&> Co", "Name": "Ana <b>", "Link": "https://roster.example/today", "Press": "Open", "ToDecide": []line{{"Ivo", "Reader", "<i>x</i>: https://evil.example/x", "https://roster.example/requests/request-1"}}, "Base": "https://roster.example", "Decided": []line{{"", "Reader", "approved", ""}}, "Shared": []line{{"Ivo", "North 1", "Reader", "https://roster.example/shares"}}, "Owned": []line{{"Ivo", "North 2", "Reader, with 2 users", ""}},
			"Reviews": []line{}, "Tokens": []line{}, "Accounts": []line{{"Ivo", "Crane override", "is to be returned since 2 May 2026, 10:00", "https://roster.example/my-access"}}, "Contracts": []line{{"Umber Shoal", "Kittel", "2 May", "https://roster.example/my-access?add=extend-k"}}, "Ending": []line{{"", "Reader", "2 May", ""}}, "Imports": []line{{"Personnel <system>", "night.csv", "3 faults", ""}}},
	} {
		subject, text, html, err := Compose("xx", kind, data)
		if err != nil {
			t.Fatal(kind, err)
		}
		if !strings.HasPrefix(subject, "Port <&> Co: ") || strings.Contains(subject, "\n") || !strings.Contains(text, "Dear Ana <b>,") || strings.Contains(text, "no value") || strings.Contains(text, "\n\n\n") {
			t.Errorf("%s: %q\n%s", kind, subject, text)
		}
		if !strings.Contains(html, "Dear Ana &lt;b&gt;,") || strings.Contains(html, "<i>x</i>") || !strings.Contains(html, `<a href="https://roster.example/`) || !strings.Contains(html, `lang="en"`) {
			t.Errorf("%s: %s", kind, html)
		}
		if kind == "digest" && (!strings.Contains(html, `<a href="https://roster.example/requests/request-1" style="color:#174a77">Decide</a>`) || !strings.Contains(html, `>Extend</a>`) || strings.Contains(html, `href="https://evil`) ||
			!strings.Contains(text, "- Crane override, which Ivo has, is to be returned since 2 May 2026, 10:00\n") || !strings.Contains(text, "- Personnel <system>: night.csv, 3 faults\n") || !strings.Contains(text, "  Extend: https://roster.example/my-access?add=extend-k\n")) {
			t.Errorf("what can be done from it: %s\n%s", text, html)
		}
	}
	if _, _, _, err := Compose("en", "nothing", nil); err == nil {
		t.Error("a kind without words was written")
	}
	if _, _, _, err := Compose("en", "reset", map[string]any{"Name": "x"}); err == nil {
		t.Error("words were left out")
	}
}

// Servers and addresses that cannot be meant are refused before anything is sent.
func TestServersThatAreRefused(t *testing.T) {
	for server, from := range map[string]string{"mail.example:25": "a@b.example", "http://mail.example": "a@b.example", "smtp://": "a@b.example", "smtp://mail.example?tls=none": "a@b.example",
		"smtp://mail.example:587": "nobody", "smtp://mail.example/x": "a@b.example"} {
		if _, err := NewSender(server, from); err == nil {
			t.Errorf("%s from %s was taken", server, from)
		}
	}
	for _, server := range []string{"smtp://mail.example", "smtp://u:p@mail.example:587", "smtps://mail.example", "smtp://127.0.0.1:2525?tls=none"} {
		if _, err := NewSender(server, "Roster <roster@b.example>"); err != nil {
			t.Errorf("%s: %v", server, err)
		}
	}
}
