package main

import (
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
)

// grant is what a code stands for.
type grant struct {
	redirect, nonce, challenge string
	person                     person
	factor                     bool
	session                    string
	ends                       time.Time
}

func text() string {
	raw := make([]byte, 24)
	rand.Read(raw)
	return base64.RawURLEncoding.EncodeToString(raw)
}

func answerJSON(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

// discovery is what the provider says of itself (Discovery, section 4.2).
func (p *provider) discovery(w http.ResponseWriter, r *http.Request) {
	issuer := p.issuer
	switch {
	case p.does("changed issuer"):
		issuer = "http://127.0.0.1:1"
	case p.does("elsewhere"):
		http.Redirect(w, r, "http://127.0.0.1:1/", http.StatusFound)
		return
	case p.does("endless"):
		for range 64 {
			if _, err := w.Write(make([]byte, 1<<16)); err != nil {
				return
			}
		}
		return
	}
	methods := []string{"client_secret_basic"}
	if p.secret == "" {
		methods = []string{"none"}
	}
	answerJSON(w, http.StatusOK, map[string]any{
		"issuer": issuer, "authorization_endpoint": p.issuer + "/authorize", "token_endpoint": p.issuer + "/token", "jwks_uri": p.issuer + "/keys",
		"end_session_endpoint": p.issuer + "/sign-out", "response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"},
		"id_token_signing_alg_values_supported": []string{"ES256"}, "code_challenge_methods_supported": []string{"S256"}, "scopes_supported": []string{"openid", "profile", "email"},
		"token_endpoint_auth_methods_supported": methods, "authorization_response_iss_parameter_supported": true,
		"backchannel_logout_supported": true, "backchannel_logout_session_supported": true})
}

// asked checks what a client asks for; what it says is wrong in a redirect, or in the answer where
// nobody may be sent back.
func (p *provider) asked(w http.ResponseWriter, q url.Values) bool {
	back, err := url.Parse(q.Get("redirect_uri"))
	if q.Get("client_id") != p.clientID || err != nil || !p.ours(back) {
		http.Error(w, "There is no such client, or it asked to be answered elsewhere.", http.StatusBadRequest)
		return false
	}
	if q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" || len(q.Get("code_challenge")) != 43 || !slices.Contains(strings.Fields(q.Get("scope")), "openid") {
		http.Error(w, "A code with PKCE (S256) and the scope openid must be asked for.", http.StatusBadRequest)
		return false
	}
	return true
}

// ours says whether an address is of the client: on any port of this host, since tests choose one.
func (p *provider) ours(u *url.URL) bool {
	at, err := url.Parse(p.service)
	return err == nil && u.Scheme == at.Scheme && u.Hostname() == at.Hostname()
}

func (p *provider) ask(w http.ResponseWriter, r *http.Request) {
	if !p.asked(w, r.URL.Query()) {
		return
	}
	back, _ := url.Parse(r.URL.Query().Get("redirect_uri"))
	show(w, "ask", map[string]any{"People": p.everybody(), "Action": template.URL("/authorize?" + r.URL.RawQuery), "Service": back.Host}, "'self' "+back.Scheme+"://"+back.Host)
}

// answer sends somebody back with a code, or with an error where they did not want to.
func (p *provider) answer(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if !p.asked(w, q) {
		return
	}
	out := url.Values{"state": q["state"], "iss": {p.issuer}}
	all := p.everybody()
	i := slices.IndexFunc(all, func(x person) bool { return x.Name == r.FormValue("person") })
	if i < 0 {
		out.Set("error", "access_denied")
	} else {
		code := text()
		out.Set("code", code)
		g := grant{redirect: q.Get("redirect_uri"), nonce: q.Get("nonce"), challenge: q.Get("code_challenge"), person: all[i], factor: r.FormValue("factor") != "", session: text(), ends: time.Now().Add(time.Minute)}
		back, _ := url.Parse(g.redirect)
		p.mu.Lock()
		p.codes[code] = g
		p.open = append(p.open, session{g.session, g.person, time.Now(), back.Scheme + "://" + back.Host})
		p.mu.Unlock()
	}
	http.Redirect(w, r, q.Get("redirect_uri")+"?"+out.Encode(), http.StatusSeeOther)
}

// token exchanges a code, once (RFC 6749, section 4.1.3; RFC 7636, section 4.6).
func (p *provider) token(w http.ResponseWriter, r *http.Request) {
	wrong := func(status int, code string) { answerJSON(w, status, map[string]string{"error": code}) }
	id, secret, basic := r.BasicAuth()
	if !basic {
		id = r.PostFormValue("client_id")
	}
	id, _ = url.QueryUnescape(id)
	secret, _ = url.QueryUnescape(secret)
	if id != p.clientID || subtle.ConstantTimeCompare([]byte(secret), []byte(p.secret)) != 1 {
		wrong(http.StatusUnauthorized, "invalid_client")
		return
	}
	p.mu.Lock()
	g, ok := p.codes[r.PostFormValue("code")]
	delete(p.codes, r.PostFormValue("code"))
	p.mu.Unlock()
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	if !ok || time.Now().After(g.ends) || r.PostFormValue("grant_type") != "authorization_code" || r.PostFormValue("redirect_uri") != g.redirect || base64.RawURLEncoding.EncodeToString(sum[:]) != g.challenge {
		wrong(http.StatusBadRequest, "invalid_grant")
		return
	}
	access := text()
	answerJSON(w, http.StatusOK, map[string]any{"access_token": access, "token_type": "Bearer", "expires_in": 60, "id_token": p.idToken(g, access)})
}

// signOut signs somebody out here and sends them back (RP-Initiated Logout, section 2).
func (p *provider) signOut(w http.ResponseWriter, r *http.Request) {
	back, err := url.Parse(r.FormValue("post_logout_redirect_uri"))
	if err != nil || !p.ours(back) {
		http.Error(w, "You are signed out. There is no page to go back to.", http.StatusOK)
		return
	}
	show(w, "signedout", back.String(), "'none'")
}
