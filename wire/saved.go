package wire

import (
	"encoding/json"
	"time"
)

// SavedView is a list of users as somebody wants to see it again.
type SavedView struct {
	Key       string     `json:"key"`
	Label     string     `json:"label"`
	Shared    bool       `json:"shared" doc:"for everybody, each within what they may read"`
	Mine      bool       `json:"mine"`
	Owner     Ref        `json:"owner"`
	Search    ViewSearch `json:"search"`
	Columns   []string   `json:"columns,omitempty" doc:"attributes shown, in order; none: the usual ones"`
	ChangedAt time.Time  `json:"changed_at"`
}

// ViewSearch is what a list of users is asked with.
type ViewSearch struct {
	Query  string `json:"q,omitempty" maxLength:"200"`
	Unit   string `json:"unit,omitempty" maxLength:"400"`
	Status string `json:"status,omitempty" enum:"invited,active,suspended,departed"`
	Group  string `json:"group,omitempty" maxLength:"100"`
	Filter string `json:"filter,omitempty" maxLength:"8192" doc:"RFC 7644, section 3.4.2.2"`
	Sort   string `json:"sort,omitempty" maxLength:"70"`
}

// ViewRequest saves a view.
type ViewRequest struct {
	Label   string     `json:"label" minLength:"1" maxLength:"100"`
	Shared  bool       `json:"shared,omitempty" doc:"for everybody; asks for update on settings"`
	Search  ViewSearch `json:"search"`
	Columns []string   `json:"columns,omitempty" maxItems:"30"`
}

// SavedViewList is one's own views, then those that others share.
type SavedViewList struct {
	Views []SavedView `json:"views"`
}

// Owned is what a user answers for, of what the caller may read.
type Owned struct {
	Basis
	Applications []Ref `json:"applications"`
	Roles        []Ref `json:"roles"`
	Groups       []Ref `json:"groups"`
	Expectations []Ref `json:"expectations"`
	Defaults     []Ref `json:"defaults" doc:"default rules"`
	People       []Ref `json:"people" doc:"who report to them and have not departed"`
	Units        []Ref `json:"units" doc:"that they lead"`
	Machines     []Ref `json:"machine_accounts" doc:"that they are accountable for"`
	Routes       []Ref `json:"routes" doc:"approval routes that name them"`
	Reviews      []Ref `json:"reviews" doc:"open reviews that name them, or that they opened"`
	Shared       []Ref `json:"shared_accounts" doc:"of which they are the custodian"`
	Rules        []Ref `json:"sponsored_rules" doc:"sign-up rules and team rules whose people they sponsor"`
	StandsInFor  []Ref `json:"stands_in_for" doc:"in whose place they decide"`
	Deciding     int   `json:"deciding" doc:"requests of others that wait for them"`
	Waiting      int   `json:"waiting" doc:"requests for them that are not decided"`
}

// SavedMapping is how the columns of a file of users are to be read.
type SavedMapping struct {
	Key       string          `json:"key"`
	Label     string          `json:"label"`
	Shared    bool            `json:"shared"`
	Mine      bool            `json:"mine"`
	Owner     Ref             `json:"owner"`
	Mapping   json.RawMessage `json:"mapping" doc:"as it was saved"`
	ChangedAt time.Time       `json:"changed_at"`
}

// SavedMappingList is one's own mappings, then those that others share.
type SavedMappingList struct {
	Mappings  []SavedMapping `json:"mappings"`
	Columns   []string       `json:"columns" doc:"ours, that a mapping may name"`
	Dates     []string       `json:"dates" doc:"those of them that are days"`
	Encodings []string       `json:"encodings"`
}
