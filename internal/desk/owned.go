package desk

import (
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/request"
	"ableroster/wire"
)

// handOver says, of whoever departs by a change, what they answered for: it has
// nobody now.
func (v *View) handOver(ops []access.Operation) []wire.Note {
	var out []wire.Note
	for i, op := range ops {
		o, ok := op.(*access.UpdateUser)
		if !ok || o.Status == nil || *o.Status != access.Departed {
			continue
		}
		id, ok := v.FindUser(string(o.User))
		if !ok || !v.readsUser(id) {
			continue
		}
		var owned []string
		for a := range v.Snapshot.Applications() {
			if a.Owner == id && v.readsApplication(a.ID) {
				owned = append(owned, "the application "+a.Label)
			}
		}
		for r := range v.Snapshot.Roles() {
			if r.Owner == id && v.readsRole(r.ID) {
				owned = append(owned, "the role "+r.Label)
			}
		}
		for g := range v.Snapshot.Groups() {
			if g.Owner == id && v.readsGroup(g.ID) {
				owned = append(owned, "the group "+g.Label)
			}
		}
		people, waiting := 0, 0
		for u := range v.Snapshot.Users() {
			if u.Manager == id && u.Status != access.Departed && v.readsUser(u.ID) {
				people++
			}
		}
		for _, r := range request.Requests(v.Snapshot) {
			if r.State == request.Waiting && r.Beneficiary == id && v.readsRequest(r) {
				waiting++
			}
		}
		if people > 0 {
			owned = append(owned, access.Count(people, "user")+" as manager")
		}
		if waiting > 0 {
			owned = append(owned, access.Count(waiting, "request")+" that waits for a role")
		}
		if len(owned) > 0 {
			out = append(out, wire.Note{Operation: i, Code: "to_hand_over", Message: v.UserName(id) + " leaves behind: " + strings.Join(owned, ", ") + "."})
		}
	}
	return out
}
