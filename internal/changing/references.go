package changing

import (
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/request"
	"ableroster/internal/seeing"
)

// referred has requests carry what their change refers to; and is what a change refers to, which
// is that of the requests it decides on, or of the access it opens, where it says none itself and
// they are of one.
func referred(v *seeing.View, ops []change.Operation, reference string) string {
	of, all := "", len(ops) > 0
	for _, op := range ops {
		switch o := op.(type) {
		case *request.RequestRole:
			o.Reference = reference
			all = false
		case *request.DecideRequest:
			n, _ := fact.ParseID("request", string(o.Request))
			r := request.RequestOf(v.UncutToday(), request.RequestID(n))
			if r == nil || !v.ReadsRequest(r) || of != "" && of != r.Reference {
				all = false
			} else {
				of = r.Reference
			}
		case *people.OpenAccess:
			all = all && (of == "" || of == o.Reference)
			of = o.Reference
		default:
			all = false
		}
	}
	if reference == "" && all {
		return of
	}
	return reference
}
