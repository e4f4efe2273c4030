package wire

import "time"

// SecondFactor is how one's sign-in is protected beside the password.
type SecondFactor struct {
	Active        bool `json:"active" doc:"a code is asked for when one signs in"`
	App           bool `json:"app,omitempty" doc:"by an authenticator app; else by passkeys alone"`
	Needed        bool `json:"needed,omitempty" doc:"nothing else can be done here before one is added"`
	RecoveryCodes int  `json:"recovery_codes" doc:"how many of them are not used"`

	ConfirmBy string `json:"confirm_by" enum:"code,password,sign_in" doc:"by what one confirms that it is oneself: a code of the authenticator app, the password, or, where one has neither, signing in again"`
}

// NewFactor is a secret for an authenticator app; it counts once a code of it is given back.
type NewFactor struct {
	Secret  string `json:"secret" doc:"to type in, base32 (RFC 4648)"`
	Address string `json:"address" doc:"the same as an address (otpauth) that apps read from a picture"`
}

// CodeRequest is a code of the authenticator app, or a recovery code.
type CodeRequest struct {
	Code string `json:"code" maxLength:"40"`
}

// Confirmation proves once more who the caller is: by one of both.
type Confirmation struct {
	Password string `json:"password,omitempty" maxLength:"1000" doc:"the caller's, where they have no authenticator app"`
	Code     string `json:"code,omitempty" maxLength:"40" doc:"of their authenticator app, or a recovery code"`
}

// RecoveryCodes each stand for one code of the app, once: for when it is lost.
type RecoveryCodes struct {
	Codes []string `json:"codes" doc:"shown now and never again"`
}

// Session is one of one's own sessions.
type Session struct {
	ID        int64     `json:"id"`
	Device    string    `json:"device" doc:"as the browser calls itself"`
	Address   string    `json:"address" doc:"from where it was opened"`
	OpenedAt  time.Time `json:"opened_at"`
	UsedAt    time.Time `json:"used_at" doc:"last, to the minute"`
	ExpiresAt time.Time `json:"expires_at"`
	Here      bool      `json:"here,omitempty" doc:"the one that asks"`
}

// SessionList is one's own sessions, the newest first.
type SessionList struct {
	Sessions []Session `json:"sessions"`
}

// FactorRemoval is what became of the removal of somebody's second factor.
type FactorRemoval struct {
	Removed bool   `json:"removed"`
	Next    string `json:"next,omitempty" doc:"what is needed before it is removed"`
}
