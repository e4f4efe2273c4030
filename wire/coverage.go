package wire

import (
	"encoding/json"
	"time"
)

// Coverage is which roles reach what of an application.
type Coverage struct {
	Basis
	Application Ref           `json:"application"`
	Actions     []Action      `json:"actions"`
	Roles       []Ref         `json:"roles" doc:"all roles that reach anything; cells name them by their place here"`
	Rows        []CoverageRow `json:"rows" doc:"one for each resource, in order of path"`
	Unreached   int           `json:"unreached" doc:"cells that no role reaches"`
	Everybody   int           `json:"everybody" doc:"cells that every user reaches, or anybody"`
	Outside     bool          `json:"outside,omitempty" doc:"the caller does not see everything: roles they do not see may reach more"`
}

// CoverageRow is one resource.
type CoverageRow struct {
	Path  string         `json:"path"`
	Label string         `json:"label"`
	Kind  string         `json:"kind,omitempty"`
	Open  bool           `json:"open,omitempty"`
	Cells []CoverageCell `json:"cells" doc:"one for each action"`
}

// CoverageCell is who reaches one action on one resource.
type CoverageCell struct {
	Roles     []int  `json:"roles,omitempty" doc:"places in the list of roles"`
	Everybody string `json:"everybody,omitempty" enum:"all-users,public"`
	Own       bool   `json:"own,omitempty" doc:"only on what is the user's own"`
	Fenced    bool   `json:"fenced,omitempty" doc:"a role would reach it but for a fence"`
}

// PatternCover is what a pattern covers.
type PatternCover struct {
	Basis
	Application Ref      `json:"application"`
	Pattern     string   `json:"pattern"`
	Total       int      `json:"total" doc:"registered resources it covers today"`
	Paths       []string `json:"paths" doc:"the first 200 of them"`
	Later       string   `json:"later" doc:"what else it will cover, in words"`
}

// ComparisonRequest is an application's own list of what it has.
type ComparisonRequest struct {
	Paths []string `json:"paths,omitempty" doc:"one path each, with its label after a tab"`
	Asked bool     `json:"asked,omitempty" doc:"those the application asked about and that are not registered, too"`
}

// Comparison is how an application's own list differs from what is registered.
type Comparison struct {
	Basis
	Application Ref               `json:"application"`
	Missing     []MissingPath     `json:"missing" doc:"on the list or asked about, and not registered"`
	Unlisted    []string          `json:"unlisted,omitempty" doc:"registered, and not on the list; none when no list was given"`
	Matching    int               `json:"matching" doc:"registered and on the list"`
	Operations  []json.RawMessage `json:"operations,omitempty" doc:"would register all that is missing"`
}

// MissingPath is a path that is not registered.
type MissingPath struct {
	Path       string            `json:"path"`
	Label      string            `json:"label,omitempty"`
	Sisters    []string          `json:"sisters,omitempty" doc:"registered ones beside it"`
	Roles      []Ref             `json:"roles,omitempty" doc:"that would reach it once it is registered; of the first 1,000 missing paths"`
	Times      int64             `json:"times,omitempty" doc:"how often it was asked about"`
	Last       *time.Time        `json:"last,omitempty"`
	Operations []json.RawMessage `json:"operations" doc:"would register it, with what lies above it"`
}

// GoingLive is what would change if an application went live now.
type GoingLive struct {
	Basis
	Application  Ref              `json:"application"`
	State        string           `json:"state"`
	Recorded     []RehearsalCount `json:"recorded" doc:"what was asked, let through by the rehearsal, and would be denied"`
	Nobody       []NobodyReaches  `json:"nobody" doc:"what nobody signed in may do: sign-in and error screens should be here"`
	NobodyAsked  []RehearsalCount `json:"nobody_asked" doc:"what was asked with nobody signed in, and is denied"`
	WithNothing  int              `json:"with_nothing" doc:"effective people who could do nothing in it"`
	With         int              `json:"with" doc:"effective people who could do something"`
	Examples     []Ref            `json:"examples,omitempty" doc:"the first 50 of those who could do nothing"`
	Unreached    []NobodyReaches  `json:"unreached" doc:"what no role reaches"`
	Expectations []Expectation    `json:"expectations" doc:"those about this application that do not hold"`
	Outside      bool             `json:"outside,omitempty" doc:"the caller does not see everybody and everything: something may be left out"`
}

// NobodyReaches is a resource with some of its actions.
type NobodyReaches struct {
	Path    string   `json:"path"`
	Label   string   `json:"label"`
	Actions []string `json:"actions"`
}

// RoleComparison is how what two roles give differs.
type RoleComparison struct {
	Basis
	Role      Ref           `json:"role"`
	With      Ref           `json:"with"`
	Only      []Entitlement `json:"only" doc:"what the role gives and the other does not"`
	OnlyOther []Entitlement `json:"only_other" doc:"what the other gives and the role does not"`
	Both      []Entitlement `json:"both" doc:"what both give"`
}
