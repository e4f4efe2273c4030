package openid

import (
	"context"
	"encoding/json"
	"errors"
	"net/netip"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"github.com/go-jose/go-jose/v4"
)

// tokenOf is an ID token with claims, signed and verified by the library.
func tokenOf(t *testing.T, claims map[string]any) *oidc.IDToken {
	t.Helper()
	key := []byte(strings.Repeat("k", 32))
	s, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.HS256, Key: key}, nil)
	if err != nil {
		t.Fatal(err)
	}
	claims["exp"], claims["iss"] = time.Now().Add(time.Minute).Unix(), "https://id.larkhaven.example"
	raw, err := json.Marshal(claims)
	if err != nil {
		t.Fatal(err)
	}
	signed, err := s.Sign(raw)
	if err != nil {
		t.Fatal(err)
	}
	text, err := signed.CompactSerialize()
	if err != nil {
		t.Fatal(err)
	}
	v := oidc.NewVerifier("https://id.larkhaven.example", nil, &oidc.Config{ClientID: "able-roster", InsecureSkipSignatureCheck: true, SupportedSigningAlgs: []string{"HS256"}})
	out, err := v.Verify(context.Background(), text)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// A token that is for several says for whom it was made, and that is us (Core, section 3.1.3.7);
// what it says of factors and addresses counts as far as the provider is trusted for it.
func TestATokenForSeveralIsForItsParty(t *testing.T) {
	p := New(Config{Issuer: "https://id.larkhaven.example", ClientID: "able-roster", Factors: []string{"mfa"}, Classes: []string{"urn:larkhaven:high"}, Match: Match{"email", ToEmail}, TrustsAddresses: true}, time.Now)
	for name, x := range map[string]struct {
		claims map[string]any
		want   Identity
		bad    bool
	}{
		"one":                    {map[string]any{"sub": "a", "aud": "able-roster"}, Identity{Subject: "a"}, false},
		"several, ours":          {map[string]any{"sub": "a", "aud": []string{"able-roster", "tide-board"}, "azp": "able-roster"}, Identity{Subject: "a"}, false},
		"several, nobody's":      {map[string]any{"sub": "a", "aud": []string{"able-roster", "tide-board"}}, Identity{}, true},
		"another's":              {map[string]any{"sub": "a", "aud": "able-roster", "azp": "tide-board"}, Identity{}, true},
		"without a subject":      {map[string]any{"aud": "able-roster"}, Identity{}, true},
		"a subject without end":  {map[string]any{"aud": "able-roster", "sub": strings.Repeat("x", 256)}, Identity{}, true},
		"a factor":               {map[string]any{"sub": "a", "aud": "able-roster", "amr": []string{"pwd", "mfa"}}, Identity{Subject: "a", Factor: true}, false},
		"another factor":         {map[string]any{"sub": "a", "aud": "able-roster", "amr": []string{"otp"}}, Identity{Subject: "a"}, false},
		"a class":                {map[string]any{"sub": "a", "aud": "able-roster", "acr": "urn:larkhaven:high"}, Identity{Subject: "a", Factor: true}, false},
		"an address":             {map[string]any{"sub": "a", "aud": "able-roster", "email": "a@b.example", "email_verified": true}, Identity{Subject: "a", Matches: "a@b.example"}, false},
		"an address of somebody": {map[string]any{"sub": "a", "aud": "able-roster", "email": "a@b.example"}, Identity{Subject: "a"}, false},
		"no text":                {map[string]any{"sub": "a", "aud": "able-roster", "email": 7, "email_verified": true}, Identity{Subject: "a"}, false},
	} {
		got, err := p.identity(tokenOf(t, x.claims))
		got.Issuer = ""
		if !reflect.DeepEqual(got, x.want) || (err != nil) != x.bad || err != nil && !errors.Is(err, ErrNotProven) {
			t.Errorf("%s: %+v %v", name, got, err)
		}
	}
}

// Claims are taken over exactly: a value that another one contains is not it, one that is missing
// is none, and one of another shape is refused.
func TestClaimsAreTakenOverExactly(t *testing.T) {
	claims := []Claim{{"groups", "pilots", "is_pilot"}, {"team", "", "team"}}
	for name, x := range map[string]struct {
		token map[string]any
		want  map[string]string // nil: it is wrong
	}{
		"among several":       {map[string]any{"groups": []any{"staff", "pilots"}, "team": " North "}, map[string]string{"is_pilot": "true", "team": "North"}},
		"alone":               {map[string]any{"groups": "pilots", "team": 12.5}, map[string]string{"is_pilot": "true", "team": "12.5"}},
		"contained":           {map[string]any{"groups": []any{"night-pilots", "pilots-old", "Pilots"}, "team": true}, map[string]string{"is_pilot": "false", "team": "true"}},
		"contained in a text": {map[string]any{"groups": "pilots and others"}, map[string]string{"is_pilot": "false", "team": ""}},
		"missing":             {map[string]any{}, map[string]string{"is_pilot": "false", "team": ""}},
		"of another shape":    {map[string]any{"groups": map[string]any{"pilots": true}}, nil},
		"a number for a list": {map[string]any{"groups": 7.0}, nil},
		"a list for a text":   {map[string]any{"team": []any{"North"}}, nil},
	} {
		got, err := claimed(claims, x.token)
		if (err != nil) != (x.want == nil) || err == nil && !reflect.DeepEqual(got, x.want) {
			t.Errorf("%s: %v %v", name, got, err)
		}
	}
	if got, err := claimed(nil, map[string]any{"groups": 7.0}); got != nil || err != nil {
		t.Errorf("%v %v", got, err)
	}
}

// Nothing is fetched from addresses that no public network has.
func TestPrivateAddressesAreNotPublic(t *testing.T) {
	for text, want := range map[string]bool{"93.184.215.14": true, "2606:2800:21f::1": true, "127.0.0.1": false, "10.1.2.3": false, "192.168.0.1": false, "172.31.0.1": false, "169.254.169.254": false,
		"100.64.0.1": false, "0.0.0.0": false, "::1": false, "fd00::1": false, "fe80::1": false, "::ffff:10.0.0.1": false, "64:ff9b::a00:1": false, "224.0.0.1": false, "198.18.0.1": false} {
		if got := public(netip.MustParseAddr(text)); got != want {
			t.Errorf("%s is public: %v", text, got)
		}
	}
}

// A file is refused whole, with every fault named; what it leaves out has its default.
func TestTheFileOfProvidersIsReadWhole(t *testing.T) {
	dir := t.TempDir()
	read := func(text string) ([]Config, error) {
		file := filepath.Join(dir, "providers.json")
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return Read(file)
	}
	if err := os.WriteFile(filepath.Join(dir, "secret"), []byte(" tide \n"), 0o600); err != nil {
		t.Fatal(err)
	}
	all, err := read(`[{"key":"harbour-id","issuer":"https://id.larkhaven.example","client_id":"x","client_secret_file":"secret"}]`)
	if err != nil || len(all) != 1 || all[0].secret != "tide" || all[0].Label != "harbour-id" || all[0].Match != (Match{"preferred_username", ToUserName}) || all[0].Factors[0] != "mfa" {
		t.Fatalf("%+v %v", all, err)
	}
	_, err = read(`[{"key":"Harbour ID","issuer":"http://id.larkhaven.example","client_id":"","match":{"to":"title"}},
		{"key":"a","issuer":"https://a.example?x","client_id":"x","client_secret_file":"away"},{"key":"a","issuer":"https://b.example","client_id":"x","alone":true,"match":{"claim":"email","to":"email"}}]`)
	for _, want := range []string{`key "Harbour ID"`, `"http://id.larkhaven.example" is no https address`, "client_id is missing", `match.to is "title"`, `"https://a.example?x" is no https`, "client_secret_file: open", "has the key a of another", "emergency is missing", "trusts_addresses"} {
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("it does not say %q: %v", want, err)
		}
	}
	if _, err := read(`[{"key":"a","issuer":"https://a.example","client_id":"x","secret":"y"}]`); err == nil {
		t.Error("a field that there is not is taken")
	}
}
