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

// PendingChangeRequest prepares a change: with at it is made at that time; with name it is
// kept for its author under it; else it is passed on to who may make it.
type PendingChangeRequest struct {
	To          string        `json:"to,omitempty" doc:"to whom it is passed on: a user by user name or id; blank for anybody who may make it"`
	Name        string        `json:"name,omitempty" maxLength:"100" doc:"keep it for oneself under this name, in the place of what was kept under it"`
	At          *time.Time    `json:"at,omitempty" doc:"make it at this time, within a year: it is looked at once more then, and put before its author again where its effect has changed"`
	Reason      string        `json:"reason,omitempty" maxLength:"2000" doc:"why; becomes part of the reason of the revision; required unless it is kept under a name"`
	Reference   string        `json:"reference,omitempty" maxLength:"100" doc:"where the work was asked for; that of the revision"`
	BasedOn     int64         `json:"based_on,omitempty" doc:"with at: the revision the author looked at"`
	Acknowledge []string      `json:"acknowledge,omitempty" doc:"with at: guard rails to pass, by code"`
	Lines       []PendingLine `json:"lines" minItems:"1" maxItems:"200"`
}

// PendingChange is a change that was prepared: a part that its author may not make and passed
// on, a change of their own that they kept or that is made at a date, or a removal that the
// sign-off of a review left, because the role is held through a group or by a default rule.
type PendingChange struct {
	ID        string        `json:"id" doc:"pending-change-1 …, or pending-removal-1 … of a sign-off"`
	Author    Ref           `json:"author" doc:"who prepared it; of a sign-off, who opened the review"`
	Round     *Ref          `json:"round,omitempty" doc:"the review whose sign-off left it"`
	To        *Ref          `json:"to,omitempty" doc:"blank: anybody who may make it"`
	Name      string        `json:"name,omitempty" doc:"under which its author keeps it"`
	Due       *time.Time    `json:"due,omitempty" doc:"when it is made, or was to be made"`
	Reason    string        `json:"reason"`
	Reference string        `json:"reference,omitempty" doc:"where the work was asked for"`
	State     string        `json:"state" enum:"waiting,saved,dated,returned,made,refused,withdrawn" doc:"saved: kept for its author; dated: made at its date; returned: not made at its date, and before its author again"`
	Lines     []PendingLine `json:"lines" doc:"what it does; none once it has ended"`
	Sentences []string      `json:"sentences" doc:"the same in words, none once it has ended"`
	Trouble   string        `json:"trouble,omitempty" doc:"what keeps it from being made as things are"`
	Answer    string        `json:"answer,omitempty" doc:"why it was refused, or not made at its date"`
	EndedBy   *Ref          `json:"ended_by,omitempty"`
	Revision  int64         `json:"revision,omitempty" doc:"what it was made in"`
	CreatedAt time.Time     `json:"created_at"`
	EndedAt   *time.Time    `json:"ended_at,omitempty"`
}

// PendingChangeList is the pending changes that the caller may make, and those they prepared.
type PendingChangeList struct {
	Basis
	ToMake []PendingChange `json:"to_make" doc:"those that wait and that the caller may make"`
	Mine   []PendingChange `json:"mine" doc:"those the caller prepared: waiting, or ended in the last 14 days"`
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
