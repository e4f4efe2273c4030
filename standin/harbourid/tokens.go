package main

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"log"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/go-jose/go-jose/v4"
)

// signer is a key that tokens are signed with.
type signer struct {
	id  string
	key *ecdsa.PrivateKey
}

// newKey has tokens signed with another key; those of before are published no more.
func (p *provider) newKey() {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		log.Fatal("harbourid: ", err)
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.keys = []signer{{text()[:8], key}}
}

func (p *provider) published(w http.ResponseWriter, _ *http.Request) {
	p.mu.Lock()
	defer p.mu.Unlock()
	var out jose.JSONWebKeySet
	for _, k := range p.keys {
		out.Keys = append(out.Keys, jose.JSONWebKey{Key: &k.key.PublicKey, KeyID: k.id, Algorithm: "ES256", Use: "sig"})
	}
	answerJSON(w, http.StatusOK, out)
}

func (p *provider) sign(claims map[string]any, kind string) string {
	p.mu.Lock()
	k, wrong := p.keys[0], p.behave == "wrong key"
	p.mu.Unlock()
	if wrong {
		other, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
		if err != nil {
			log.Fatal("harbourid: ", err)
		}
		k.key = other
	}
	s, err := jose.NewSigner(jose.SigningKey{Algorithm: jose.ES256, Key: k.key}, (&jose.SignerOptions{}).WithType(jose.ContentType(kind)).WithHeader("kid", k.id))
	if err != nil {
		log.Fatal("harbourid: ", err)
	}
	raw, err := json.Marshal(claims)
	if err != nil {
		log.Fatal("harbourid: ", err)
	}
	signed, err := s.Sign(raw)
	if err != nil {
		log.Fatal("harbourid: ", err)
	}
	out, err := signed.CompactSerialize()
	if err != nil {
		log.Fatal("harbourid: ", err)
	}
	return out
}

// idToken says who somebody is (Core, section 2).
func (p *provider) idToken(g grant, access string) string {
	half := sha256.Sum256([]byte(access))
	now := time.Now()
	claims := map[string]any{"iss": p.issuer, "sub": "account-" + g.person.Name, "aud": p.clientID, "iat": now.Unix(), "exp": now.Add(5 * time.Minute).Unix(), "nonce": g.nonce, "sid": g.session,
		"at_hash": base64.RawURLEncoding.EncodeToString(half[:16]), "preferred_username": g.person.Name, "name": g.person.Label, "email": g.person.Email, "email_verified": true, "amr": []string{"pwd"}}
	if len(g.person.Groups) > 0 {
		claims["groups"] = g.person.Groups
	}
	if g.factor {
		claims["amr"] = []string{"pwd", "mfa"}
	}
	switch {
	case p.does("expired"):
		claims["exp"] = now.Add(-time.Minute).Unix()
	case p.does("another audience"):
		claims["aud"] = "tide-board"
	case p.does("another issuer"):
		claims["iss"] = "http://127.0.0.1:1"
	case p.does("another nonce"):
		claims["nonce"] = text()
	}
	return p.sign(claims, "JWT")
}

// end signs somebody out from this side: the client is told (Back-Channel Logout, section 2.5).
func (p *provider) end(w http.ResponseWriter, r *http.Request) {
	id := r.PathValue("id")
	p.mu.Lock()
	var who session
	for i, x := range p.open {
		if x.ID == id {
			who = x
			p.open = append(p.open[:i:i], p.open[i+1:]...)
			break
		}
	}
	p.mu.Unlock()
	if who.ID == "" {
		http.NotFound(w, r)
		return
	}
	now := time.Now()
	token := p.sign(map[string]any{"iss": p.issuer, "sub": "account-" + who.Person.Name, "sid": who.ID, "aud": p.clientID, "iat": now.Unix(), "exp": now.Add(2 * time.Minute).Unix(), "jti": text(),
		"events": map[string]any{"http://schemas.openid.net/event/backchannel-logout": map[string]any{}}}, "logout+jwt")
	to := who.Client + "/openid/harbour-id/sign-out"
	resp, err := http.Post(to, "application/x-www-form-urlencoded", strings.NewReader(url.Values{"logout_token": {token}}.Encode()))
	if err != nil {
		http.Error(w, "The service was not reached: "+err.Error(), http.StatusBadGateway)
		return
	}
	defer resp.Body.Close()
	if said, _ := io.ReadAll(io.LimitReader(resp.Body, 1000)); resp.StatusCode != http.StatusOK {
		http.Error(w, fmt.Sprintf("The service answered %s: %s", resp.Status, said), http.StatusBadGateway)
		return
	}
	http.Redirect(w, r, "/", http.StatusSeeOther)
}
