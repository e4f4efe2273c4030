package e2e

import (
	"strings"
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// A passkey is added on a page, by a device that Chromium plays; it signs in without a password,
// stands for the second factor, and is removed again. One of another host is not taken.
func TestAPasskey(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	page := strings.Replace(s.Base, "127.0.0.1", "localhost", 1) // an address of numbers has no passkeys
	b := testkit.NewTab(t, page)
	device := b.Device()
	b.SignIn(demo.Pilot, demo.Password)
	b.Go("/my-access")
	b.Sees("With a passkey you sign in by your device alone")
	b.Type("What you call it", "Pilot station")
	b.Type("Your password, to change passkeys", "not it")
	b.Press("Add a passkey")
	b.Sees("is not right")
	if n := device.Keys(); n != 0 {
		t.Fatalf("%d passkeys were made without the password", n)
	}
	b.Set("Your password, to change passkeys", demo.Password)
	b.Press("Add a passkey")
	b.Sees("Keep these recovery codes apart")
	b.Sees("not used yet")
	b.Accessible()
	if n := device.Keys(); n != 1 {
		t.Fatalf("the device has %d passkeys", n)
	}
	b.Forget()
	b.Go("/")
	b.Press("Sign in with a passkey")
	b.Sees("Inês Halloran")
	b.Go("/my-access")
	b.Sees("Your passkeys are your second factor")
	// The password alone signs nobody in any more.
	b.Forget()
	b.Go("/")
	b.Type("User name", demo.Pilot)
	b.Type("Password", demo.Password)
	b.Press("Sign in")
	b.Sees("Sign in with your passkey")
	// Of another host: the browser offers none, and an answer for it is refused.
	other := testkit.NewTab(t, strings.Replace(s.Base, "127.0.0.1", "roster.localhost", 1))
	other.Device()
	other.Go("/")
	other.Press("Sign in with a passkey")
	other.Sees("The browser gave no passkey")
	b.Go("/")
	b.Press("Sign in with a passkey")
	b.Sees("Inês Halloran")
	b.Go("/my-access")
	b.Sees("to change passkeys")
	b.Set("Your password, to change passkeys", demo.Password)
	b.Press("Remove the passkey Pilot station")
	b.Sees("With a passkey you sign in by your device alone")
	b.Sees("You sign in by your password alone")
}

// What a browser was asked is answered once, and by nobody else.
func TestAPasskeyIsNotTakenTwice(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	page := strings.Replace(s.Base, "127.0.0.1", "localhost", 1)
	b := testkit.NewTab(t, page)
	b.Device()
	b.SignIn(demo.Pilot, demo.Password)
	b.Go("/my-access")
	b.Sees("to change passkeys")
	b.Set("Your password, to change passkeys", demo.Password)
	b.Press("Add a passkey")
	b.Sees("not used yet")
	b.Forget()
	b.Go("/")
	var statuses []float64
	b.Eval(`void (async () => {
		const post = (path, body) => fetch('/api/v1' + path, { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: body && JSON.stringify(body) })
		const begun = await (await post('/session/passkey-ceremony')).json()
		const used = await navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(begun.options) })
		const answer = { ceremony: begun.ceremony, response: used.toJSON() }
		const other = await (await post('/session/passkey-ceremony')).json()
		const out = []
		out.push((await post('/session/passkey', { ...answer, ceremony: other.ceremony })).status)
		out.push((await post('/session/passkey', { ...answer, response: { ...answer.response, id: 'AAAA', rawId: 'AAAA' } })).status)
		const again = await (await post('/session/passkey-ceremony')).json()
		const good = await navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(again.options) })
		const body = { ceremony: again.ceremony, response: good.toJSON() }
		out.push((await post('/session/passkey', body)).status)
		out.push((await post('/session/passkey', body)).status)
		out.push((await post('/session/passkey', { ceremony: 'none', response: {} })).status)
		window.answered = out
	})()`, nil)
	b.Until("all was answered", "window.answered !== undefined")
	b.Eval("window.answered", &statuses)
	want := []float64{401, 401, 200, 401, 401}
	for i, status := range statuses {
		if len(statuses) != len(want) || status != want[i] {
			t.Fatalf("answered %v, want %v", statuses, want)
		}
	}
}

// A passkey that was added in a session which somebody with fewer rights could have opened is void
// once its user holds more than them, and stays so beside a password that nobody else knows.
func TestAPasskeyThatALesserOneCouldHaveAddedIsVoid(t *testing.T) {
	address := testkit.DemoDatabase(t)
	s := testkit.Serve(t, address)
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	make := func(ops ...string) {
		t.Helper()
		if _, err := marta.Change(ctx, acknowledged(changeOf("x", ops...), "administering_gain", "wide_loss"), false); err != nil {
			t.Fatal(err)
		}
	}
	const password = "a rope of gulls and tides"
	make(`{"op":"add_user","user_name":"odd.rigger","unit":"marine/tugs"}`)
	testkit.LetIn(t, tomas, "odd.rigger", password)
	b := testkit.NewTab(t, strings.Replace(s.Base, "127.0.0.1", "localhost", 1))
	b.Device()
	b.SignIn("odd.rigger", password)
	b.Go("/my-access")
	b.Sees("to change passkeys")
	b.Set("Your password, to change passkeys", password)
	b.Press("Add a passkey")
	b.Sees("not used yet")
	var code string
	b.Eval(`document.body.innerText.match(/[a-z2-7]{4}(-[a-z2-7]{4}){3}/)[0]`, &code)
	database := testkit.Pool(t, address)
	passkeys := func() (n int) {
		t.Helper()
		if err := database.QueryRow(ctx, "select count(*) from passkey").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	signIn := func(sees string) {
		t.Helper()
		b.Forget()
		b.Go("/")
		b.Press("Sign in with a passkey")
		b.Sees(sees)
	}
	// Their password is nobody else's from now on: the passkey is what it was.
	link, err := marta.MakeSignInLink(ctx, "odd.rigger")
	if err != nil {
		t.Fatal(err)
	}
	anew := map[string]string{"link": strings.TrimPrefix(link.Path, "/sign-in-link#"), "password": password + " anew", "code": code}
	if err := s.Client("").Do(ctx, "POST", "/sign-in-link", nil, anew, nil); err != nil {
		t.Fatal(err)
	}
	signIn("odd.rigger")
	make(`{"op":"grant","user":"odd.rigger","role":"auditor"}`)
	b.Go("/my-access")
	b.Sees("Sign in with a passkey") // the session it opened has ended
	testkit.Until(t, "the passkey to be gone", func() bool { return passkeys() == 0 })
	signIn("The passkey was not taken")
}
