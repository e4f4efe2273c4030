package changing

import (
	"strings"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/operation/people"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// handOver says, of whoever departs by a change, what they answered for: it has
// nobody now, but for what the change itself hands over.
func handOver(v *seeing.View, ops []change.Operation) []wire.Note {
	var out []wire.Note
	for i, op := range ops {
		o, ok := op.(*people.UpdateUser)
		if !ok || o.Status == nil || *o.Status != fact.Departed {
			continue
		}
		id, ok := v.Uncut().FindUser(string(o.User))
		if !ok || !v.ReadsUser(id) {
			continue
		}
		var words []string
		left := lists.Owned(v, id)
		for _, x := range []struct {
			what string
			all  []wire.Ref
		}{{"application", left.Applications}, {"role", left.Roles}, {"group", left.Groups}, {"expectation", left.Expectations}} {
			for _, r := range x.all {
				words = append(words, "the "+x.what+" "+r.Label)
			}
		}
		if n := len(left.People); n > 0 {
			words = append(words, fact.Count(n, "user")+" as manager")
		}
		if left.Waiting > 0 {
			words = append(words, fact.Count(left.Waiting, "request")+" that waits for a role")
		}
		if len(words) > 0 {
			out = append(out, wire.Note{Operation: i, Code: "to_hand_over", Message: v.UserName(id) + " leaves behind: " + strings.Join(words, ", ") + "."})
		}
	}
	return out
}
