// Package openid is the side of a relying party in OpenID Connect Core 1.0: it sends people to an
// identity provider (authorization code with PKCE, RFC 7636), takes what comes back, and says who
// they are there. Whom of the organisation that is, it leaves to others.
//
// config.go reads which providers there are; fetch.go is how anything is fetched from them, with
// its bounds; provider.go knows a provider by its discovery and its keys; flow.go goes there and
// back; signout.go ends it from both sides.
package openid
