package e2e

import (
	"encoding/json"
	"net/http"
	"os/exec"
	"regexp"
	"slices"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
)

// letter is a mail as the mailbox shows it.
type letter struct {
	MessageID string `json:"message_id"`
	From      string
	To        []string
	Subject   string
	Text      string
	HTML      string
}

// mailbox stands in for a mail server; with is how a service sends through it.
type mailbox struct {
	*testkit.Service
	with []string
}

func mailboxOf(t *testing.T, args ...string) *mailbox {
	t.Helper()
	s := testkit.Serving(t, exec.Command(testkit.Program(t, "mailbox"), append([]string{"-smtp", "127.0.0.1:0", "-listen", "127.0.0.1:0"}, args...)...),
		regexp.MustCompile(`serves on (http://\S+)`))
	at := regexp.MustCompile(`takes mails at (\S+)`).FindStringSubmatch(s.Said())
	return &mailbox{s, []string{"-mail-server", at[1], "-mail-from", "roster@larkhaven.example"}}
}

// mails are those that came for an address, the newest first.
func (b *mailbox) mails(t *testing.T, to string) (out []letter) {
	t.Helper()
	return slices.DeleteFunc(b.all(t), func(l letter) bool { return !slices.Contains(l.To, to) })
}

// all are all mails that came, the newest first.
func (b *mailbox) all(t *testing.T) (all []letter) {
	t.Helper()
	res, err := http.Get(b.Base + "/mails")
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	if err := json.NewDecoder(res.Body).Decode(&all); err != nil {
		t.Fatal(err)
	}
	return all
}

// waitsFor waits until so many mails have come for an address, and is the newest.
func (b *mailbox) waitsFor(t *testing.T, to string, n int) letter {
	t.Helper()
	testkit.Until(t, "mail for "+to, func() bool { return len(b.mails(t, to)) >= n })
	all := b.mails(t, to)
	if len(all) != n {
		t.Fatalf("%d mails for %s, want %d", len(all), to, n)
	}
	return all[0]
}

var linkIn = regexp.MustCompile(`http\S+/sign-in-link#(\S+)`)

const newPassword = "seven swans on the slipway"

// Somebody is invited, is mailed a link, chooses a password, and is active from then on, with
// what the invitation gave; a second one is withdrawn, and a third is made by somebody who may
// not give any more what it gives.
func TestSomebodyIsInvited(t *testing.T) {
	box := mailboxOf(t)
	s := testkit.Serve(t, testkit.DemoDatabase(t), box.with...)
	x := at(t, s, demo.Administrator)
	const alma = "alma.reyes@larkhaven.example"
	x.says(0, "Added Alma Reyes", "users", "invite", "alma.reyes", "-name", "Alma Reyes", "-email", alma, "-unit", "office", "-role", "tariff-ledger/reader", "-reason", "Begins on Monday")
	l := box.waitsFor(t, alma, 1)
	if l.Subject != "Larkhaven Port Authority: your account" || !strings.Contains(l.Text, "Dear Alma Reyes") || !strings.Contains(l.Text, "Marta Quill invites you") ||
		!strings.Contains(l.From, "Larkhaven Port Authority") || !strings.Contains(l.HTML, "Choose a password") {
		t.Errorf("%+v", l)
	}
	x.says(0, "alma.reyes Alma Reyes alma.reyes@larkhaven.example office Marta Quill sent", "invitations", "list")
	x.says(1, "denied", "check", "alma.reyes", "tariff-ledger", "read", "tariffs")
	stranger := s.Client("")
	first := linkIn.FindStringSubmatch(l.Text)[1]
	// Sent again, the one before is void.
	x.says(0, "on its way to alma.reyes", "invitations", "resend", "alma.reyes")
	second := linkIn.FindStringSubmatch(box.waitsFor(t, alma, 2).Text)[1]
	problem(t, stranger.UseSignInLink(ctx, first, newPassword), 403, "refused")
	problem(t, stranger.UseSignInLink(ctx, second, "alma reyes 2026"), 422, "invalid")
	if err := stranger.UseSignInLink(ctx, second, newPassword); err != nil {
		t.Fatal(err)
	}
	problem(t, stranger.UseSignInLink(ctx, second, newPassword), 403, "refused")
	x.says(0, "allowed", "check", "alma.reyes", "tariff-ledger", "read", "tariffs")
	x.says(0, "Nobody is invited", "invitations", "list")
	if history := x.says(0, "", "history", "-user", "alma.reyes"); !strings.Contains(history, "Took up the invitation") || !strings.Contains(history, "Made Alma Reyes active") {
		t.Error(history)
	}
	if _, err := stranger.SignIn(ctx, "alma.reyes", newPassword, "x"); err != nil {
		t.Errorf("with the password: %v", err)
	}
	// Whoever is invited once more takes that up, too.
	x.says(0, "", "users", "change", "alma.reyes", "-status", "invited", "-reason", "Begins later")
	third := linkIn.FindStringSubmatch(box.waitsFor(t, alma, 3).Text)[1]
	if err := stranger.UseSignInLink(ctx, third, newPassword+" again"); err != nil {
		t.Error(err)
	}
	x.says(0, "allowed", "check", "alma.reyes", "tariff-ledger", "read", "tariffs")
	// One that is withdrawn opens nothing.
	const ivo = "ivo.stroud@larkhaven.example"
	x.says(0, "Added Ivo Stroud", "users", "invite", "ivo.stroud", "-name", "Ivo Stroud", "-email", ivo, "-unit", "office", "-reason", "Begins on Monday")
	code := linkIn.FindStringSubmatch(box.waitsFor(t, ivo, 1).Text)[1]
	x.says(0, "Ivo Stroud departed", "invitations", "withdraw", "ivo.stroud", "-reason", "Begins elsewhere")
	problem(t, stranger.UseSignInLink(ctx, code, newPassword), 403, "refused")
	// One whose maker may not give it any more gives nothing.
	const una = "una.berg@larkhaven.example"
	tomas := at(t, s, demo.Manager)
	tomas.says(0, "Added Una Berg", "users", "invite", "una.berg", "-name", "Una Berg", "-email", una, "-unit", "marine/tugs", "-role", "berth-planning/reader", "-reason", "For the tugs")
	code = linkIn.FindStringSubmatch(box.waitsFor(t, una, 1).Text)[1]
	x.says(0, "Revoked", "revoke", demo.Manager, "marine-manager", "-acknowledge", "wide_loss", "-reason", "Has another post")
	p := problem(t, stranger.UseSignInLink(ctx, code, newPassword), 403, "refused")
	if !strings.Contains(p.Detail, "cannot be taken up any more") {
		t.Error(p.Detail)
	}
	x.says(1, "denied", "check", "una.berg", "berth-planning", "read", "board")
}

// Whoever forgot their password is mailed a link; what is answered is the same for a name that
// is nobody's, and asking often is slowed.
func TestAForgottenPassword(t *testing.T) {
	box := mailboxOf(t, "-refuse", "tomas.brandt@larkhaven.example")
	s := testkit.Serve(t, testkit.DemoDatabase(t), box.with...)
	x := at(t, s, demo.Administrator)
	x.says(0, "", "users", "change", demo.Manager, "-email", "tomas.brandt@larkhaven.example", "-reason", "Their address")
	stranger := &terminal{t, s.CommandLine(t)}
	known := stranger.says(0, "If there is such a user", "password", "reset", demo.Pilot)
	if unknown := stranger.says(0, "", "password", "reset", "nobody.here"); unknown != known {
		t.Errorf("%q, %q", known, unknown)
	}
	l := box.waitsFor(t, "ines.halloran@larkhaven.example", 1)
	if err := s.Client("").UseSignInLink(ctx, linkIn.FindStringSubmatch(l.Text)[1], newPassword); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client("").SignIn(ctx, demo.Pilot, newPassword, "x"); err != nil {
		t.Error(err)
	}
	if _, err := s.Client("").SignIn(ctx, demo.Pilot, demo.Password, "x"); err == nil {
		t.Error("the old password is good still")
	}
	stranger.says(0, "", "password", "reset", demo.Manager)
	testkit.Until(t, "a mail that is refused", func() bool {
		return strings.Contains(x.says(0, "", "mail", "list"), "failed")
	})
	if list := x.says(0, "There is nobody of that name here", "mail", "list"); !strings.Contains(list, "dropped") || strings.Contains(list, "nobody.here") || strings.Contains(list, "tomas.brandt@") || !strings.Contains(list, "their address") {
		t.Error(list)
	}
	for range 4 {
		_ = s.Client("").ResetPassword(ctx, "nobody.there")
	}
	problem(t, s.Client("").ResetPassword(ctx, "nobody.there"), 429, "too-many-attempts")
}

// Without a mail server nothing is mailed, and it is said so.
func TestWithoutAMailServer(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	p := problem(t, s.Client("").ResetPassword(ctx, demo.Pilot), 404, "not-found")
	if !strings.Contains(p.Detail, "No mail is sent here") {
		t.Error(p.Detail)
	}
	x := at(t, s, demo.Administrator)
	x.says(0, "Added", "users", "invite", "alma.reyes", "-name", "Alma Reyes", "-email", "alma.reyes@larkhaven.example", "-unit", "office", "-reason", "Begins on Monday")
	x.says(0, "none", "invitations", "list")
	out := x.says(0, "/sign-in-link#", "users", "sign-in-link", "alma.reyes")
	if err := s.Client("").UseSignInLink(ctx, linkIn.FindStringSubmatch(out)[1], newPassword); err != nil {
		t.Error(err)
	}
	x.says(0, "active", "users", "show", "alma.reyes")
}

// Those who decide are told once of what waits for them, and whoever asked of what became of
// it; news of a short while come in one mail.
func TestNewsAreMailedTogether(t *testing.T) {
	box := mailboxOf(t)
	s := testkit.Serve(t, testkit.DemoDatabase(t), append(box.with, "-mail-digest-after", "2s")...)
	x := at(t, s, demo.Administrator)
	const boss, pilot = "tomas.brandt@larkhaven.example", "ines.halloran@larkhaven.example"
	x.says(0, "", "users", "change", demo.Manager, "-email", boss, "-reason", "His address")
	x.says(0, "", "routes", "set", "the-manager", "manager", "-reason", "Managers decide")
	for _, role := range []string{"sounding-surveys/reader", "tariff-ledger/reader"} {
		x.says(0, "", "catalogue", "add", role, "the-manager", "Read what is there", "-reason", "For everybody", "-acknowledge", "gain_for_everybody")
	}
	ines := at(t, s, demo.Pilot)
	for _, role := range []string{"sounding-surveys/reader", "tariff-ledger/reader"} {
		ines.says(0, "", "request", role, "-reason", "For the dredger & the dues")
	}
	l := box.waitsFor(t, boss, 1)
	if strings.Count(l.Text, "- Inês Halloran: ") < 2 || !strings.Contains(l.Text, "For the dredger & the dues") || !strings.Contains(l.Subject, "wait for you") || !strings.Contains(l.HTML, "dredger &amp; the dues") {
		t.Errorf("%s\n%s", l.Subject, l.Text)
	}
	list, err := s.SignIn(t, demo.Pilot).Requests(ctx, client.Query{"mine": "true", "state": "waiting"})
	if err != nil || len(list.Requests) < 2 {
		t.Fatalf("%+v %v", list, err)
	}
	at(t, s, demo.Manager).says(0, "", "decide", list.Requests[0].ID, "approve", "-reason", "Right")
	l = box.waitsFor(t, pilot, 1)
	if !strings.Contains(l.Text, "What you requested:") || !strings.Contains(l.Text, ": approved") || strings.Contains(l.Text, "You are asked") {
		t.Errorf("%s\n%s", l.Subject, l.Text)
	}
	if n := len(box.mails(t, boss)); n != 1 {
		t.Errorf("%d mails to who decides", n)
	}
}

// Whoever may write somebody's address gets no way in as them by mail, where that one has more
// rights, now or later: neither by a reset nor by inviting them anew.
func TestAnAddressIsNoWayIn(t *testing.T) {
	box := mailboxOf(t)
	s := testkit.Serve(t, testkit.DemoDatabase(t), box.with...)
	x, tomas := at(t, s, demo.Administrator), at(t, s, demo.Manager)
	const mine = "mine@larkhaven.example"
	// One who has no rights is promoted after the reset: what its writer could know is void.
	tomas.says(0, "", "users", "change", demo.Pilot, "-email", mine, "-reason", "Her new address")
	stranger := s.Client("")
	if err := stranger.ResetPassword(ctx, demo.Pilot); err != nil {
		t.Fatal(err)
	}
	code := linkIn.FindStringSubmatch(box.waitsFor(t, mine, 1).Text)[1]
	if err := stranger.UseSignInLink(ctx, code, newPassword); err != nil {
		t.Fatal(err)
	}
	x.says(0, "Granted", "grant", demo.Pilot, "access-administrator", "-acknowledge", "administering_gain", "-acknowledge", "wide_gain", "-reason", "Administers from now on")
	if _, err := stranger.SignIn(ctx, demo.Pilot, newPassword, "x"); err == nil {
		t.Error("whoever wrote the address signs in as an administrator")
	}
	// And no other link comes by mail.
	if err := stranger.ResetPassword(ctx, demo.Pilot); err != nil {
		t.Fatal(err)
	}
	testkit.Until(t, "a mail that is not sent", func() bool {
		return strings.Contains(x.says(0, "", "mail", "list", "-wide"), "somebody who has them must help")
	})
	if n := len(box.mails(t, mine)); n != 1 {
		t.Errorf("%d mails", n)
	}
}
