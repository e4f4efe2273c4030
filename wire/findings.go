package wire

import (
	"encoding/json"
	"time"
)

// FindingList is a page of what looks wrong, of what the caller may read.
type FindingList struct {
	Basis
	Kinds    []FindingKind `json:"kinds" doc:"all kinds, with how many there are of each"`
	Findings []Finding     `json:"findings"`
	Total    int           `json:"total" doc:"of those asked for"`
	Next     string        `json:"next,omitempty" doc:"cursor of the next page"`
}

// FindingKind is a kind of finding.
type FindingKind struct {
	Code  string `json:"code"`
	Title string `json:"title"`
	Why   string `json:"why" doc:"why it matters"`
	Count int    `json:"count" doc:"without those set aside"`
	Aside int    `json:"aside" doc:"set aside"`
}

// Finding is one thing that looks wrong.
type Finding struct {
	Key         string            `json:"key" doc:"names it, today and tomorrow"`
	Code        string            `json:"code"`
	Message     string            `json:"message" doc:"a plain sentence"`
	User        *Ref              `json:"user,omitempty"`
	Group       *Ref              `json:"group,omitempty"`
	Role        *Ref              `json:"role,omitempty"`
	Other       *Ref              `json:"other_role,omitempty"`
	Application *Ref              `json:"application,omitempty"`
	Path        string            `json:"path,omitempty"`
	Mend        []json.RawMessage `json:"mend,omitempty" doc:"operations that would mend it; none: somebody must be chosen first"`
	MendWords   string            `json:"mend_words" doc:"what would mend it"`
	Aside       *Aside            `json:"aside,omitempty"`
}

// Aside says that a finding was set aside.
type Aside struct {
	Until string    `json:"until" doc:"the last day"`
	By    *Ref      `json:"by,omitempty"`
	Why   string    `json:"why,omitempty"`
	Since time.Time `json:"since"`
}
