package wire

import "time"

// Import is a file of one's own that was sent to change something by: under way, or ended in
// the last day. It goes on when whoever sent it goes away, and is there under its name.
type Import struct {
	Name   string `json:"name" doc:"the name it was given as track, or that was made for it"`
	Kind   string `json:"kind" enum:"users,groups,memberships,assignments,roster_file" doc:"what the file holds"`
	File   string `json:"file,omitempty" doc:"its name"`
	DryRun bool   `json:"dry_run,omitempty" doc:"it only says what it would do"`
	State  string `json:"state" enum:"receiving,waiting,working,done,refused,cancelled"`

	Stage       string `json:"stage,omitempty" doc:"what it is at: reading, waiting for another large change, working out the effect, writing, readying all services, or publishing"`
	Done        int    `json:"done" doc:"operations of which that is done"`
	Of          int    `json:"of" doc:"operations there are; 0 while that is not known"`
	SecondsLeft int    `json:"seconds_left,omitempty" doc:"until that is done of all of them, about"`

	Sent     time.Time  `json:"sent"`
	Ended    *time.Time `json:"ended,omitempty"`
	Revision int64      `json:"revision,omitempty" doc:"the revision it was made in"`

	Result  *ChangeResult `json:"result,omitempty" doc:"what it did, or would do; not in lists, and gone once somebody was erased"`
	Problem *Problem      `json:"problem,omitempty" doc:"why it was refused; as result"`
}

// ImportList is one's own imports, the latest first.
type ImportList struct {
	Imports []Import `json:"imports"`
}
