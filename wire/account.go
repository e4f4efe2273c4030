package wire

import "time"

// Me is who the caller is and what the console may offer them.
type Me struct {
	User        Ref             `json:"user"`
	Zone        string          `json:"time_zone"`
	Name        string          `json:"organisation"`
	Now         time.Time       `json:"now"`
	Revision    int64           `json:"revision"`
	References  References      `json:"references" doc:"what references look like, and where one is looked up"`
	Freezes     []Freeze        `json:"freezes,omitempty" doc:"those that stand now and concern the caller"`
	Second      *SecondPerson   `json:"second_person,omitempty" doc:"for which changes a second person is needed, to whoever may say so"`
	ReviewMoves bool            `json:"review_moves,omitempty" doc:"each move opens a review of what was given by hand"`
	SignIn      *Ref            `json:"sign_in_group,omitempty" doc:"the group whose members alone may sign in"`
	Since       *time.Time      `json:"first_revision_at,omitempty" doc:"no day before this can be asked about"`
	May         map[string]bool `json:"may" doc:"what the pages offer: users.read, users.create, roles.assign, ledger.read …"`
	NeedsFactor bool            `json:"needs_second_factor,omitempty" doc:"nothing else can be done here before a second factor is added"`
}

// SignInRequest is a user name and a password.
type SignInRequest struct {
	UserName string `json:"user_name"`
	Password string `json:"password"`
	Code     string `json:"code,omitempty" maxLength:"40" doc:"of the authenticator app, or a recovery code, for who has a second factor"`
}

// TokenRequest asks for an API token.
type TokenRequest struct {
	Label string `json:"label" doc:"what it is for"`
	User  string `json:"user,omitempty" doc:"a service account the caller may update; the caller by default"`
	Days  int    `json:"days,omitempty" doc:"how long it lasts; 90 by default, at most 366"`
	Only  string `json:"only,omitempty" enum:"reading,decisions,people" doc:"what it is good for alone: reading, asking for decisions, or keeping people by SCIM; all the account may do by default"`
}

// Token is an API token; its secret is shown once.
type Token struct {
	ID        int64      `json:"id"`
	Label     string     `json:"label"`
	Only      string     `json:"only,omitempty" enum:"reading,decisions,people" doc:"what it is good for alone"`
	User      Ref        `json:"user"`
	Secret    string     `json:"secret,omitempty"`
	CreatedAt time.Time  `json:"created_at"`
	ExpiresAt *time.Time `json:"expires_at,omitempty"`
}

// TokenList is the caller's tokens.
type TokenList struct {
	Tokens []Token `json:"tokens"`
}

// References are how changes refer to where the work was asked for.
type References struct {
	Pattern string `json:"pattern" doc:"a regular expression (RE2) that a whole reference fits; blank: any text"`
	Address string `json:"address" doc:"where one is looked up: an https address with {reference} in it; blank: nowhere"`
}

// SecondPerson is for which changes a second person is needed.
type SecondPerson struct {
	OwnGains   bool `json:"own_gains"`
	HighRisk   bool `json:"high_risk_roles"`
	Safeguards bool `json:"safeguards"`
}

// SignInLink is a one-time link by which a user sets their own password.
type SignInLink struct {
	User      Ref       `json:"user"`
	Path      string    `json:"path" doc:"to open in a browser, after the address of the service; shown now and never again"`
	ExpiresAt time.Time `json:"expires_at"`
}

// UseLinkRequest sets one's own password by a one-time link.
type UseLinkRequest struct {
	Link     string `json:"link" maxLength:"200" doc:"what stands after # in it"`
	Password string `json:"password"`
	Code     string `json:"code,omitempty" maxLength:"40" doc:"of the authenticator app, or a recovery code, for who has a second factor"`
}

// PasswordRequest changes a password.
type PasswordRequest struct {
	Current string `json:"current_password,omitempty" doc:"the one that is good until now"`
	New     string `json:"new_password"`
}

// SetUpRequest names the first administrator.
type SetUpRequest struct {
	Link         string `json:"link" doc:"the code of the set-up link"`
	Organisation string `json:"organisation"`
	TimeZone     string `json:"time_zone" doc:"IANA name"`
	UserName     string `json:"user_name"`
	DisplayName  string `json:"display_name"`
	Password     string `json:"password"`
}

// SetUpState says whether the installation waits for its first administrator.
type SetUpState struct {
	Waiting bool `json:"waiting"`
	Mail    bool `json:"mail,omitempty" doc:"links to set a password are mailed"`
	SignUp  bool `json:"sign_up,omitempty" doc:"whoever has an address in certain mail domains may sign up"`
}
