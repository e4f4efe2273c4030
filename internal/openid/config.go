package openid

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"strings"
)

// Config is an identity provider, as the file has it that names them.
type Config struct {
	Key    string `json:"key"`    // ours, in addresses: "harbour-id"
	Label  string `json:"label"`  // what people call it
	Issuer string `json:"issuer"` // its address (Discovery, section 4)

	ClientID         string   `json:"client_id"`
	ClientSecretFile string   `json:"client_secret_file"` // beside the file, or absolute; blank for a public client
	Scopes           []string `json:"scopes"`             // beside openid

	// Match is by which claim somebody is known who comes for the first time.
	Match Match `json:"match"`
	// TrustsAddresses has it believed on the e-mail addresses it says are verified; without it
	// nobody is matched by one.
	TrustsAddresses bool `json:"trusts_addresses"`

	// Domains and Units narrow for whom it is: whose e-mail address here is of a domain, or who
	// is in a unit or below. None of both: for everybody.
	Domains []string `json:"domains"`
	Units   []string `json:"units"`

	// Factors are authentication methods (amr, RFC 8176) and Classes authentication context
	// classes (acr) that stand for a second factor.
	Factors []string `json:"factors"`
	Classes []string `json:"classes"`

	// Claims are what its tokens say that becomes attributes of users, at each sign-in, so that
	// default rules give by it. WritesAs is the user name of the machine account in whose name and
	// within whose rights it is written.
	Claims   []Claim `json:"claims"`
	WritesAs string  `json:"writes_as"`

	// Alone has those for whom it is sign in by it alone; Emergency are user names of whom it is not
	// asked, so that there is a way in when it is away.
	Alone     bool     `json:"alone"`
	Emergency []string `json:"emergency"`

	// Private lets it be at a private address, and reached without TLS.
	Private bool `json:"private"`

	secret string
}

// Match is a claim and what it is compared with here: user_name or email.
type Match struct {
	Claim string `json:"claim"`
	To    string `json:"to"`
}

// To what a claim may be compared.
const (
	ToUserName = "user_name"
	ToEmail    = "email"
)

// mostProviders bounds how many there are.
const mostProviders = 20

var key = regexp.MustCompile(`^[a-z0-9][a-z0-9-]{0,63}$`)

// Read reads the file that names the providers: a JSON array of them. It is refused whole, with
// every fault named.
func Read(path string) ([]Config, error) {
	raw, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	var all []Config
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	if err := d.Decode(&all); err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	var faults []error
	fault := func(i int, format string, args ...any) {
		faults = append(faults, fmt.Errorf("%s: provider %d: %s", path, i+1, fmt.Sprintf(format, args...)))
	}
	if len(all) > mostProviders {
		fault(mostProviders, "is one too many: at most %d can be named", mostProviders)
	}
	seen := map[string]bool{}
	for i := range all {
		c := &all[i]
		if !key.MatchString(c.Key) {
			fault(i, "key %q is not lower-case letters, digits and hyphens", c.Key)
		}
		for _, once := range []string{"key " + c.Key, "issuer " + c.Issuer} {
			if seen[once] {
				fault(i, "has the %s of another", once)
			}
			seen[once] = true
		}
		c.Label = cmp.Or(strings.TrimSpace(c.Label), c.Key)
		if u, err := url.Parse(c.Issuer); err != nil || u.Host == "" || u.RawQuery != "" || u.Fragment != "" || u.User != nil || u.Scheme != "https" && (u.Scheme != "http" || !c.Private) {
			fault(i, "issuer %q is no https address (http only with private)", c.Issuer)
		}
		if c.ClientID == "" {
			fault(i, "client_id is missing")
		}
		c.Match.Claim, c.Match.To = cmp.Or(c.Match.Claim, "preferred_username"), cmp.Or(c.Match.To, ToUserName)
		switch {
		case c.Match.To != ToUserName && c.Match.To != ToEmail:
			fault(i, "match.to is %q, which is neither user_name nor email", c.Match.To)
		case c.Match.To == ToEmail && (!c.TrustsAddresses || c.Match.Claim != "email"):
			fault(i, "people are matched by e-mail address only by the claim email, of a provider with trusts_addresses")
		}
		if c.Alone && len(c.Emergency) == 0 {
			fault(i, "emergency is missing: with alone somebody must be named who signs in here when it is away")
		}
		c.claimFaults(func(format string, args ...any) { fault(i, format, args...) })
		if c.Factors == nil {
			c.Factors = []string{"mfa"}
		}
		if c.ClientSecretFile == "" {
			continue
		}
		at := c.ClientSecretFile
		if !filepath.IsAbs(at) {
			at = filepath.Join(filepath.Dir(path), at)
		}
		secret, err := os.ReadFile(at)
		if err != nil {
			fault(i, "client_secret_file: %v", err)
		}
		c.secret = strings.TrimSpace(string(secret))
	}
	return all, errors.Join(faults...)
}
