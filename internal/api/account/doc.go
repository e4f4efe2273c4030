// Package account has the calls of signing in: passwords, links, second factors, passkeys,
// identity providers, sessions and tokens, and the mails about these.
package account
