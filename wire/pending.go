package wire

import (
	"encoding/json"
	"time"
)

// Split says which operations of a change the caller may not make, and who may.
type Split struct {
	Mine   []int `json:"mine" doc:"those the caller may make, counted from 0"`
	Others []int `json:"others" doc:"those somebody else must make"`
	Can    []Ref `json:"can" doc:"who may make the others, as far as the caller may see them"`
}

// PendingLine is one thing a pending change does, and how it reads.
type PendingLine struct {
	Words      string            `json:"words,omitempty" maxLength:"500" doc:"how it reads on the change sheet"`
	Detail     string            `json:"detail,omitempty" maxLength:"2000"`
	Operations []json.RawMessage `json:"operations" minItems:"1"`
}

// PendingChangeRequest passes a part of a change on to who may make it.
type PendingChangeRequest struct {
	To     string        `json:"to,omitempty" doc:"a user by user name or id; blank for anybody who may make it"`
	Reason string        `json:"reason" maxLength:"2000" doc:"why; becomes part of the reason of the revision"`
	Lines  []PendingLine `json:"lines" minItems:"1" maxItems:"200"`
}

// PendingChange is a change that was prepared and waits for somebody who may make it: a part
// that its author may not make and passed on, or a removal that the sign-off of a review
// left, because the role is held through a group or by a default rule.
type PendingChange struct {
	ID        string        `json:"id" doc:"pending-change-1 …, or pending-removal-1 … of a sign-off"`
	Author    Ref           `json:"author" doc:"who prepared it; of a sign-off, who opened the review"`
	Round     *Ref          `json:"round,omitempty" doc:"the review whose sign-off left it"`
	To        *Ref          `json:"to,omitempty" doc:"blank: anybody who may make it"`
	Reason    string        `json:"reason"`
	State     string        `json:"state" enum:"waiting,made,refused,withdrawn"`
	Lines     []PendingLine `json:"lines" doc:"what it does; none once it has ended"`
	Sentences []string      `json:"sentences" doc:"the same in words, none once it has ended"`
	Trouble   string        `json:"trouble,omitempty" doc:"what keeps it from being made as things are"`
	Answer    string        `json:"answer,omitempty" doc:"why it was refused"`
	EndedBy   *Ref          `json:"ended_by,omitempty"`
	Revision  int64         `json:"revision,omitempty" doc:"what it was made in"`
	CreatedAt time.Time     `json:"created_at"`
	EndedAt   *time.Time    `json:"ended_at,omitempty"`
}

// PendingChangeList is the pending changes that the caller may make, and those they passed on.
type PendingChangeList struct {
	Basis
	ToMake []PendingChange `json:"to_make" doc:"those that wait and that the caller may make"`
	Mine   []PendingChange `json:"passed_on" doc:"those the caller passed on: waiting, or ended in the last 14 days"`
}

// Refusal is something a user tried to change and may not, on one day.
type Refusal struct {
	User   Ref       `json:"user"`
	Call   string    `json:"call" doc:"what was called"`
	Detail string    `json:"detail" doc:"what they were told"`
	Times  int       `json:"times" doc:"how often on that day"`
	Via    string    `json:"via"`
	First  time.Time `json:"first_at"`
	Last   time.Time `json:"last_at"`
}

// RefusalList is what was tried and refused, the newest first.
type RefusalList struct {
	Basis
	Refusals []Refusal `json:"refusals"`
}
