package openid

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Claim has an attribute of users say what a claim of the ID token says: its value, or whether it
// is, or among several has, the text that Holds names.
type Claim struct {
	Claim     string `json:"claim"`     // such as "groups"
	Holds     string `json:"holds"`     // the attribute is then “true” or “false”
	Attribute string `json:"attribute"` // a declared attribute, by its key
}

// mostClaims bounds how many there are of a provider.
const mostClaims = 50

// claimFaults names what is wrong with which claims are taken over.
func (c *Config) claimFaults(fault func(format string, args ...any)) {
	if len(c.Claims) > mostClaims {
		fault("claims: at most %d can be taken over", mostClaims)
	}
	if len(c.Claims) > 0 && c.WritesAs == "" {
		fault("writes_as is missing: claims are taken over in the name of a machine account, within its rights")
	}
	seen := map[string]bool{}
	for i, x := range c.Claims {
		if x.Claim == "" || x.Attribute == "" {
			fault("claims: number %d names no claim, or no attribute", i+1)
		}
		if seen[x.Attribute] {
			fault("claims: the attribute %q is taken over twice", x.Attribute)
		}
		seen[x.Attribute] = true
	}
}

// claimed is what the claims of a token say of a user's attributes, by key. A claim that is missing says
// that the person has nothing of it; one whose value is no text, number or truth value, nor a list
// of texts where Holds asks for it, is wrong.
func claimed(claims []Claim, token map[string]any) (out map[string]string, wrong error) {
	for _, x := range claims {
		value, err := x.value(token[x.Claim])
		if err != nil {
			return nil, fmt.Errorf("the claim %q %w", x.Claim, err)
		}
		if out == nil {
			out = map[string]string{}
		}
		out[x.Attribute] = value
	}
	return out, nil
}

func (x Claim) value(v any) (string, error) {
	if x.Holds != "" {
		switch v := v.(type) {
		case nil:
			return "false", nil
		case string:
			return strconv.FormatBool(v == x.Holds), nil
		case []any:
			return strconv.FormatBool(slices.Contains(v, any(x.Holds))), nil
		}
		return "", errors.New("is neither a text nor a list")
	}
	switch v := v.(type) {
	case nil:
		return "", nil
	case string:
		return strings.TrimSpace(v), nil
	case bool:
		return strconv.FormatBool(v), nil
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64), nil
	}
	return "", errors.New("is neither a text, a number nor a truth value; of a list say which value it holds")
}
