package wire

import (
	"encoding/json"
	"time"
)

// PasskeyBegin says again who one is, before something dangerous.
type PasskeyBegin struct {
	CurrentPassword string `json:"current_password" maxLength:"1000"`
}

// PasskeyCeremony is what a browser is asked about a passkey.
type PasskeyCeremony struct {
	Ceremony string          `json:"ceremony" doc:"comes back with the answer, within five minutes, once"`
	Options  json.RawMessage `json:"options" doc:"for navigator.credentials, as PublicKeyCredential.parseCreationOptionsFromJSON and parseRequestOptionsFromJSON read them"`
}

// PasskeyAnswer is a browser's answer.
type PasskeyAnswer struct {
	Ceremony string          `json:"ceremony" maxLength:"200"`
	Response json.RawMessage `json:"response" doc:"the credential, as its toJSON writes it"`
	Label    string          `json:"label,omitempty" maxLength:"100" doc:"what one calls it, of a new one"`
}

// PasskeyAdded is what comes with a new passkey.
type PasskeyAdded struct {
	Codes []string `json:"codes,omitempty" doc:"recovery codes, with the first one: shown now and never again"`
}

// Passkey is one of one's own.
type Passkey struct {
	ID     int64      `json:"id"`
	Label  string     `json:"label"`
	MadeAt time.Time  `json:"made_at"`
	UsedAt *time.Time `json:"used_at,omitempty"`
}

// PasskeyList is one's own passkeys, the oldest first.
type PasskeyList struct {
	Passkeys []Passkey `json:"passkeys"`
}
