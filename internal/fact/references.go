package fact

import (
	"regexp"
	"strings"
	"unicode"
)

// References are how changes refer to where the work was asked for: a ticket, an order.
type References struct {
	Pattern string `json:"pattern,omitempty" maxLength:"200" doc:"a regular expression (RE2) that a whole reference fits; blank: any text"`
	Address string `json:"address,omitempty" maxLength:"500" doc:"where one is looked up: an https address with {reference} in it; blank: nowhere"`
}

// MostReference bounds a reference, in bytes.
const MostReference = 100

// referencePlace is what stands for the reference in an address.
const referencePlace = "{reference}"

// Check says what is wrong with the setting, by field.
func (r References) Check() (field, wrong string) {
	if _, err := regexp.Compile(r.Pattern); err != nil {
		return "pattern", "is no regular expression: " + strings.TrimPrefix(err.Error(), "error parsing regexp: ")
	}
	if m := CheckLabel(r.Pattern, 200); m != "" {
		return "pattern", m
	}
	if m := CheckLabel(r.Address, 500); m != "" {
		return "address", m
	}
	if r.Address != "" && (!strings.HasPrefix(r.Address, "https://") || strings.Count(r.Address, referencePlace) != 1 || strings.Contains(strings.SplitN(r.Address[len("https://"):], "/", 2)[0], referencePlace)) {
		return "address", "must begin with https:// and have {reference} once, after the name of the host"
	}
	return "", ""
}

// CheckReference says what is wrong with a reference, nothing where it fits.
func (r References) CheckReference(s string) string {
	if m := CheckLabel(s, MostReference); m != "" || s == "" {
		return m
	}
	if strings.ContainsFunc(s, unicode.IsSpace) {
		return "has a space: a reference is one word, such as TCK-4471, and is kept for ever"
	}
	if r.Pattern == "" {
		return ""
	}
	if fits, err := regexp.MatchString("^(?:"+r.Pattern+")$", s); err != nil || !fits {
		return "does not fit the pattern of your organisation's references: " + r.Pattern
	}
	return ""
}
