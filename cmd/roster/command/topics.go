package command

import (
	"cmp"
	"slices"
	"strings"
)

// topics are the first words of commands, in the order in which they are listed.
var topics = []string{
	"sign-in", "sign-out", "whoami", "password", "second-factor", "sessions", "profiles", "my-access", "today",
	"users", "invitations", "sign-up-rules", "sponsored", "positions", "absences", "substitutes", "employment-types", "attributes", "units", "machine-accounts", "shared-accounts", "defaults", "views",
	"groups", "memberships", "team-rules", "teams", "roles", "assignments", "applications", "grant", "revoke", "change", "pending",
	"check", "access", "view-as", "grid", "holders", "gained-and-lost", "timeline", "over-time", "history", "calendar",
	"catalogue", "request", "requests", "decide", "withdraw", "routes", "review",
	"sod-rules", "expectations", "findings", "freezes", "delegations", "shares",
	"imports", "mappings", "lists", "file", "report",
	"refusals", "security-log", "mail", "connections", "settings", "ledger",
	"completion", "manual", "version",
}

// first are the second words that come before others of their topic.
var first = []string{"", "list", "show", "add", "set", "change"}

// place is where a command is listed.
func (c Command) place() (topic, second int, words string) {
	one, two, _ := strings.Cut(c.Words, " ")
	return orLast(topics, one), orLast(first, two), c.Words
}

func orLast(of []string, word string) int {
	if i := slices.Index(of, word); i >= 0 {
		return i
	}
	return len(of)
}

// add puts a command in its place among all.
func add(c Command) {
	i, _ := slices.BinarySearchFunc(All, c, func(a, b Command) int {
		t, s, w := a.place()
		topic, second, words := b.place()
		return cmp.Or(cmp.Compare(t, topic), cmp.Compare(s, second), cmp.Compare(w, words))
	})
	All = slices.Insert(All, i, c)
}
