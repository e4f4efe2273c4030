package wire

import "time"

// CatalogueRole is a role that people may ask for.
type CatalogueRole struct {
	Role        Ref           `json:"role"`
	Application *Ref          `json:"application,omitempty"`
	Words       string        `json:"words" doc:"what one can do with it, in the language that the caller reads"`
	MaxDays     int           `json:"max_days,omitempty" doc:"given for at most so many days; none: without end"`
	Steps       []string      `json:"steps" doc:"who approves, in plain words, one after the other"`
	Held        bool          `json:"held,omitempty" doc:"the one it would be for holds it already"`
	Waiting     string        `json:"waiting,omitempty" doc:"the request of it that waits already"`
	Gains       []Entitlement `json:"gains,omitempty" doc:"what it would add; only where one role is asked about"`
	SoDRules    []string      `json:"sod_rules,omitempty" doc:"which SoD rules it would violate; only where one role is asked about"`

	Translations []Translation `json:"translations,omitempty" doc:"what it is called in other languages, and what one can do with it"`
}

// Translation is a requestable role in a language.
type Translation struct {
	Language string `json:"language" doc:"as RFC 5646 has it: pt, or pt-BR"`
	Label    string `json:"label,omitempty"`
	Words    string `json:"words,omitempty"`
}

// Catalogue is the access catalogue: the requestable roles.
type Catalogue struct {
	Basis
	Roles []CatalogueRole `json:"roles"`
}

// OneCatalogueRole is one offer, seen for somebody.
type OneCatalogueRole struct {
	Basis
	CatalogueRole
}

// Request is somebody's wish for a role.
type Request struct {
	ID          string        `json:"id"`
	Role        Ref           `json:"role"`
	Application *Ref          `json:"application,omitempty"`
	Words       string        `json:"words,omitempty" doc:"what one can do with the role"`
	Asker       Ref           `json:"asker"`
	Beneficiary Ref           `json:"beneficiary"`
	From        *time.Time    `json:"from,omitempty"`
	Until       *time.Time    `json:"until,omitempty"`
	LastDay     string        `json:"last_day,omitempty" format:"date" doc:"the last day, where it ends with one in the organisation's time zone"`
	Scopes      []Scope       `json:"scopes,omitempty"`
	State       string        `json:"state" enum:"waiting,approved,refused,withdrawn"`
	Asked       *Given        `json:"asked" doc:"when, by whom and why"`
	Reference   string        `json:"reference,omitempty" doc:"where the work was asked for; that of the revisions that decide on it"`
	Steps       []RequestStep `json:"steps"`
	Stuck       bool          `json:"stuck,omitempty" doc:"it waits for a step that has nobody"`
	MayDecide   bool          `json:"may_decide,omitempty" doc:"it waits for the caller"`
	MayWithdraw bool          `json:"may_withdraw,omitempty"`
	Assignment  string        `json:"assignment,omitempty" doc:"what it gave"`
	Gains       []Entitlement `json:"gains,omitempty" doc:"what it would add now, where one request is asked about"`
	Grown       []string      `json:"grown,omitempty" doc:"what the role gives that it did not give at the time of the request; only where one request is asked about"`
	SoDRules    []string      `json:"sod_rules,omitempty" doc:"what it would break now, where one request is asked about"`
}

// RequestStep is one step of the route of a request.
type RequestStep struct {
	Words     string            `json:"words" doc:"who decides"`
	State     string            `json:"state" enum:"done,current,not_started,refused,skipped"`
	Deciders  []Ref             `json:"deciders,omitempty" doc:"whom it waits for, where it waits"`
	Trouble   string            `json:"trouble,omitempty" doc:"where nobody can decide: why, and what would mend it"`
	Decisions []RequestDecision `json:"decisions,omitempty"`
}

// RequestDecision is what somebody said at a step.
type RequestDecision struct {
	Approves bool   `json:"approves"`
	Less     bool   `json:"less,omitempty" doc:"for less than was asked"`
	For      *Ref   `json:"for,omitempty" doc:"in whose place, when as a substitute"`
	Given    *Given `json:"given" doc:"when, by whom and why"`
}

// RequestList is requests, those that wait first, then the newest.
type RequestList struct {
	Basis
	Requests []Request `json:"requests"`
	Total    int       `json:"total"`
	Next     string    `json:"next,omitempty"`
}

// OneRequest is one request.
type OneRequest struct {
	Basis
	Request
}

// Today is what waits for the caller.
type Today struct {
	Basis
	ToDecide []Request       `json:"to_decide" doc:"requests that wait for the caller"`
	Mine     []Request       `json:"mine" doc:"the caller's own that wait, and those decided in the last 14 days"`
	Stuck    []Request       `json:"stuck" doc:"to whoever reads all requests: those that wait for nobody"`
	Reviews  []WaitingReview `json:"reviews" doc:"rounds with items that wait for the caller"`
	Ending   []Ending        `json:"ending" doc:"what the caller holds that ends within 14 days"`
}

// WaitingReview is a round with lines that wait for the caller.
type WaitingReview struct {
	Key   string `json:"key"`
	Label string `json:"label"`
	Items int    `json:"items"`
}

// Ending is a role of the caller that ends soon.
type Ending struct {
	Role  Ref       `json:"role"`
	Until time.Time `json:"until"`
}

// Route is who approves.
type Route struct {
	ID    string   `json:"id"`
	Key   string   `json:"key"`
	Label string   `json:"label"`
	Steps []string `json:"steps" doc:"in plain words"`
	Roles int      `json:"roles" doc:"requestable roles that follow it"`
}

// RouteList is all routes.
type RouteList struct {
	Basis
	Routes []Route `json:"routes"`
}
