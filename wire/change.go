package wire

import (
	"encoding/json"
	"time"
)

// ChangeRequest is a list of operations with a reason.
type ChangeRequest struct {
	Operations     []json.RawMessage `json:"operations" doc:"each an object with an op"`
	Reason         string            `json:"reason,omitempty" doc:"why; required unless dry_run"`
	Reference      string            `json:"reference,omitempty" maxLength:"100" doc:"where the work was asked for, such as the number of a ticket; revisions are found by it"`
	BasedOn        int64             `json:"based_on,omitempty" doc:"the revision the author looked at: refused when what the operations read has changed since"`
	Acknowledge    []string          `json:"acknowledge,omitempty" doc:"guard rails to pass, by code"`
	PendingChanges []string          `json:"pending_changes,omitempty" maxItems:"50" doc:"pending changes that this makes, by id"`
}

// ChangeResult is what a change did, or in a dry run would do.
type ChangeResult struct {
	Revision  int64      `json:"revision" doc:"the revision it became; in a dry run the one it was judged on"`
	At        *time.Time `json:"at,omitempty"`
	DryRun    bool       `json:"dry_run,omitempty"`
	Unchanged bool       `json:"unchanged,omitempty" doc:"everything was so already: no revision was made"`
	Repeated  bool       `json:"repeated,omitempty" doc:"the same change was committed before under the same Idempotency-Key"`
	Sentences []string   `json:"sentences" doc:"what each operation does"`
	About     []About    `json:"about,omitempty" doc:"the users, groups, roles and applications it speaks of, the first twenty"`
	Made      []Made     `json:"made,omitempty" doc:"the ids of what operations made"`
	Notes     []Note     `json:"notes,omitempty"`
	Preview   *Preview   `json:"preview,omitempty"`
}

// About is something that a change speaks of, as the caller may name it.
type About struct {
	Kind string `json:"kind" enum:"user,group,role,application"`
	Ref
}

// Made is what an operation made.
type Made struct {
	Operation int    `json:"operation" doc:"its place in the change, from 0"`
	ID        string `json:"id"`
}

// Note is something worth saying about an operation that changes nothing.
type Note struct {
	Operation int    `json:"operation"`
	Code      string `json:"code"`
	Message   string `json:"message"`
	Since     *Given `json:"since,omitempty"`
}

// Preview is the effect of a change on what users can do.
type Preview struct {
	UsersGaining int      `json:"users_gaining"`
	UsersLosing  int      `json:"users_losing"`
	Gained       int      `json:"gained" doc:"entitlements gained, over all users"`
	Lost         int      `json:"lost" doc:"entitlements lost, over all users"`
	EffectCount  int      `json:"effect_count" doc:"how many classes of users there are who gain and lose the same"`
	Effects      []Effect `json:"effects" doc:"a page of them: first each class with its first users, then the rest of those users"`
	Next         string   `json:"next,omitempty" doc:"cursor of the next page, for a dry run"`
	Outside      bool     `json:"outside,omitempty" doc:"the caller does not see everybody and everything: the change may affect what they do not see, too"`
	States       []State  `json:"states,omitempty" doc:"what becomes of applications whose state changes"`
	Refused      bool     `json:"refused,omitempty" doc:"the change would not be made, for the guard rails that are not passed"`
	Rails        []Rail   `json:"rails,omitempty" doc:"guard rails it runs into"`
}

// State is what it means for an application to change its state.
type State struct {
	Application Ref    `json:"application"`
	From        string `json:"from" doc:"blank for a new one"`
	To          string `json:"to"`
	LetIn       int    `json:"let_in" doc:"how many could do something there and cannot now, of those the caller may read"`
	ShutOut     int    `json:"shut_out" doc:"how many could do nothing there any more, and can now, of those the caller may read"`
	Message     string `json:"message"`
}

// Effect is what users with equal holdings gain and lose.
type Effect struct {
	Users     []Ref         `json:"users" doc:"at most 50 of them; more follow on later pages"`
	UserCount int           `json:"user_count" doc:"how many there are in all"`
	EndEarly  int           `json:"end_early,omitempty" doc:"for so many of them it ends earlier than is said here: on their own last day, or with their own dates"`
	Gained    []Entitlement `json:"gained,omitempty"`
	Lost      []Entitlement `json:"lost,omitempty"`
}

// Rail is a guard rail a change runs into.
type Rail struct {
	Code     string `json:"code" doc:"acknowledge it by this code"`
	Message  string `json:"message"`
	Passable bool   `json:"passable"`
	Passed   bool   `json:"passed,omitempty" doc:"it was acknowledged"`
}

// Fault is one thing wrong with what was asked.
type Fault struct {
	Place      string   `json:"place" doc:"JSON pointer into the request, or line and column of a file"`
	Message    string   `json:"message"`
	DidYouMean []string `json:"did_you_mean,omitempty"`
	Line       int      `json:"line,omitempty" doc:"of a file, counted from 1"`
	Column     string   `json:"column,omitempty" doc:"of a file, as it calls it"`
}

// Problem is an answer that is not what was hoped for (RFC 9457).
type Problem struct {
	Type     string  `json:"type" doc:"a stable word for the kind of problem"`
	Title    string  `json:"title"`
	Status   int     `json:"status"`
	Detail   string  `json:"detail,omitempty" doc:"what happened, to whom, and what next"`
	Instance string  `json:"instance,omitempty" doc:"the request id, as in the log"`
	Faults   []Fault `json:"faults,omitempty"`
	Rails    []Rail  `json:"rails,omitempty"`
	Moved    []Moved `json:"moved,omitempty" doc:"what changed since the caller looked"`
	Split    *Split  `json:"split,omitempty" doc:"of a refused dry run: which operations somebody else must make"`

	About []string `json:"-"` // the ids of the users it speaks of, for the service alone
}

// Moved is a change made since the caller looked.
type Moved struct {
	What      Ref       `json:"what"`
	Revision  int64     `json:"revision"`
	At        time.Time `json:"at"`
	By        *Ref      `json:"by,omitempty"`
	Sentences []string  `json:"sentences"`
}

func (p *Problem) Error() string { return p.Detail }
