package wire

import "time"

// Provider is an identity provider by which people sign in.
type Provider struct {
	Key   string `json:"key"`
	Label string `json:"label"`
}

// ProviderList is the identity providers there are.
type ProviderList struct {
	Providers []Provider `json:"providers"`
}

// ProviderBegin begins to sign in by an identity provider.
type ProviderBegin struct {
	Provider string `json:"provider" maxLength:"64" doc:"its key"`
}

// ProviderLinkBegin begins to link one's account at an identity provider to oneself; who one is is
// said again, before something dangerous.
type ProviderLinkBegin struct {
	Provider        string `json:"provider" maxLength:"64" doc:"its key"`
	CurrentPassword string `json:"current_password" maxLength:"1000"`
}

// ProviderBegun is where a browser goes.
type ProviderBegun struct {
	Address string `json:"address" format:"uri" doc:"at the identity provider; it sends the browser back to /sign-in-by with state and code"`
}

// ProviderAnswer is what a browser came back from an identity provider with (RFC 6749, section
// 4.1.2). The code comes with the first call; where a second factor is needed, the same state comes
// again with its code.
type ProviderAnswer struct {
	State  string `json:"state" maxLength:"200"`
	Code   string `json:"code,omitempty" maxLength:"4096"`
	Issuer string `json:"iss,omitempty" maxLength:"1000" doc:"RFC 9207, where the provider says it"`
	Error  string `json:"error,omitempty" maxLength:"200" doc:"in the place of a code: why there is none"`
	Second string `json:"second_factor,omitempty" maxLength:"64" doc:"a one-time code, or a recovery code, where that is asked for"`
}

// ProviderLink is one's account at an identity provider, by which one signs in.
type ProviderLink struct {
	ID       int64     `json:"id"`
	Provider Provider  `json:"provider"`
	Subject  string    `json:"subject" doc:"what the provider calls the account"`
	MadeAt   time.Time `json:"made_at"`
	UsedAt   time.Time `json:"used_at"`
}

// ProviderLinkList is one's own, the oldest first, and what could be linked.
type ProviderLinkList struct {
	Links     []ProviderLink `json:"links"`
	Providers []Provider     `json:"providers" doc:"that are for oneself, and not linked"`
}
