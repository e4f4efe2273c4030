package e2e

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// Tokens of a machine account are rotated: the new one is good at once and for what the newest was,
// those of before until the overlap is over, and no longer than they were; nobody does it who may
// not make tokens for it, nor a token for itself.
func TestTokensAreRotated(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	token := func(label string, days int) wire.Token {
		t.Helper()
		var out wire.Token
		if err := marta.Do(ctx, "POST", "/tokens", nil, wire.TokenRequest{User: "barrier-control", Label: label, Only: "reading", Days: days}, &out); err != nil {
			t.Fatal(err)
		}
		return out
	}
	good := func(secret string) bool {
		t.Helper()
		_, err := s.Client(secret).Me(ctx)
		return err == nil
	}
	before := []wire.Token{token("Gate", 25), token("Gate", 3), token("Lamp", 25)}
	out, err := marta.RotateTokens(ctx, "barrier-control", wire.RotationRequest{Label: "Gate"})
	if err != nil || out.Ending != 1 || out.Token.Label != "Gate" || out.Token.Only != "reading" || !good(out.Token.Secret) || time.Until(out.EndsAt).Round(time.Hour) != 7*24*time.Hour {
		t.Fatalf("%+v %v", out, err)
	}
	for _, x := range before {
		if !good(x.Secret) {
			t.Errorf("%s is not good beside the new one", x.Label)
		}
	}
	var all wire.TokenList
	if err := s.Client(out.Token.Secret).Do(ctx, "GET", "/tokens", nil, nil, &all); err != nil {
		t.Fatal(err)
	}
	for _, x := range all.Tokens {
		left := time.Until(*x.ExpiresAt)
		if want := map[int64]bool{before[0].ID: left < 8*24*time.Hour, before[1].ID: left < 4*24*time.Hour, before[2].ID: left > 20*24*time.Hour}[x.ID]; !want && x.ID != out.Token.ID {
			t.Errorf("token %d ends in %v", x.ID, left)
		}
	}
	_, err = marta.RotateTokens(ctx, "barrier-control", wire.RotationRequest{Label: "Gat"})
	problem(t, err, 422, "invalid")
	none := 0
	if out, err = marta.RotateTokens(ctx, "barrier-control", wire.RotationRequest{OverlapDays: &none, Days: 5}); err != nil || !good(out.Token.Secret) {
		t.Fatalf("%+v %v", out, err)
	}
	for _, x := range before {
		if good(x.Secret) {
			t.Errorf("%s is good, though there was no overlap", x.Label)
		}
	}
	_, err = s.Client(out.Token.Secret).RotateTokens(ctx, "barrier-control", wire.RotationRequest{})
	problem(t, err, 403, "refused")
	_, err = marta.RotateTokens(ctx, demo.Pilot, wire.RotationRequest{})
	problem(t, err, 403, "refused")
	_, err = s.SignIn(t, demo.Pilot).RotateTokens(ctx, "barrier-control", wire.RotationRequest{})
	problem(t, err, 404, "not-found")
	if _, raw := raw(t, marta, "/security-log"); !strings.Contains(raw, "tokens rotated") {
		t.Error("the security log does not say so")
	}
	x := at(t, s, demo.Administrator)
	x.says(0, "A new token of Barrier control", "machine-accounts", "rotate", "barrier-control", "-overlap", "3")
}

// In the console the new token is shown once, and is good.
func TestTokensAreRotatedInTheConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Administrator)
	b.Go("/machine-accounts")
	b.Press("Rotate the tokens of Berth board")
	b.Sees("Days that the new token lasts")
	b.Accessible()
	b.Set("Days that the new token lasts", "20")
	b.Press("Make the new token")
	b.Sees("It is shown now and never again")
	b.Accessible()
	var secret string
	b.Eval(`document.querySelector(".select-all").textContent`, &secret)
	r, err := http.NewRequest("GET", s.Base+"/api/v1/me", nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+secret)
	if got, err := http.DefaultClient.Do(r); err != nil || got.StatusCode != 200 {
		t.Errorf("%v %v", got, err)
	}
}
