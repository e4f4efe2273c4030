package fact

import (
	"strings"

	"ableroster/internal/calendar"

	"golang.org/x/net/idna"
)

// FactSignUpRule is the kind of sign-up rules.
var FactSignUpRule = RecordKind("sign_up_rule")

// MostSignUpRules bounds how many there have been.
const MostSignUpRules = 200

// SignUpRule lets whoever has an address in a mail domain sign up by themselves. They get what
// default rules give to a user like that, and nothing else.
type SignUpRule struct {
	Lifetime
	ID     SignUpRuleID `json:"-"`
	Domain string       `json:"domain"` // see MailDomain
	Newcomer
	Sponsor UserID `json:"sponsor,omitempty"` // whom they report to, or 0
	By      UserID `json:"by,omitempty"`      // who set it: users are added on their authority, as it is then
	Ended   bool   `json:"ended,omitempty"`
}

// Kind and Row identify it.
func (*SignUpRule) Kind() FactKind { return FactSignUpRule }
func (f *SignUpRule) Row() uint32  { return uint32(f.ID) }

// Name and Over implement access.Keyed.
func (f *SignUpRule) Name() string { return f.Domain }
func (f *SignUpRule) Over() bool   { return f.Ended }

// Adds is the user whom it adds on a day: somebody whose name and address are not said.
func (f *SignUpRule) Adds(today calendar.Date) User { return f.Newcomer.Adds(f.Sponsor, today) }

// MailDomain is a mail domain as it is compared: in lower case, and in the letters of ASCII
// (RFC 5891). Ok is false for what is none.
func MailDomain(text string) (domain string, ok bool) {
	domain, err := idna.Lookup.ToASCII(strings.TrimSpace(text))
	return domain, err == nil && strings.Contains(strings.Trim(domain, "."), ".") && len(domain) <= 253 && !strings.HasSuffix(domain, ".")
}

// PlainAddress is an address with its domain as it is compared: one mailbox has one. It is blank for
// what is no address.
func PlainAddress(address string) string {
	domain := DomainOf(address)
	if domain == "" {
		return ""
	}
	return address[:strings.LastIndexByte(address, '@')+1] + domain
}

// DomainOf is the mail domain of an address, as it is compared; blank for what is no address.
func DomainOf(address string) string {
	at := strings.LastIndexByte(address, '@')
	if at < 1 {
		return ""
	}
	domain, ok := MailDomain(address[at+1:])
	if !ok {
		return ""
	}
	return domain
}
