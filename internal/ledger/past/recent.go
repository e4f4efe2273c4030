package past

import (
	"iter"
	"slices"
	"sync"

	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// recent are the snapshots of the revisions whose fact rows are not all written yet, as far
// as this program showed them: they answer of these days meanwhile. They share what did not
// change.
type recent struct {
	mu  sync.Mutex
	all []*access.Snapshot // one revision after the other
}

// mostRecent is how many there are at most.
const mostRecent = 5000

// add adds the newest. What is not the next after the last begins anew.
func (r *recent) add(s *access.Snapshot) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if n := len(r.all); n > 0 {
		switch last := r.all[n-1].Revision; {
		case s.Revision <= last:
			return
		case s.Revision > last+1 || n == mostRecent:
			r.all = nil
		}
	}
	r.all = append(r.all, s)
}

// upTo forgets those that rows tell of by now.
func (r *recent) upTo(revision int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	kept := slices.DeleteFunc(slices.Clone(r.all), func(s *access.Snapshot) bool { return s.Revision <= revision })
	r.all = kept
}

// at is that of a revision, nil if it is not there, or if somebody was erased since.
func (r *recent) at(revision int64, erased int) *access.Snapshot {
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.all) == 0 || revision < r.all[0].Revision || revision-r.all[0].Revision >= int64(len(r.all)) {
		return nil
	}
	if s := r.all[revision-r.all[0].Revision]; s.Erased() == erased {
		return s
	}
	return nil
}

// between are those after one revision and up to another; ok is false when some are missing.
func (r *recent) between(after, upTo int64, erased int) (out []*access.Snapshot, ok bool) {
	for n := after + 1; n <= upTo; n++ {
		s := r.at(n, erased)
		if s == nil {
			return nil, false
		}
		out = append(out, s)
	}
	return out, true
}

// concerns says whether a revision may have changed what somebody holds, by the snapshots
// before and after it.
func concerns(before, after *access.Snapshot, id fact.UserID) bool {
	if u := after.UserTable.At(int(id)); u != nil && u.Touched == after.Revision {
		return true
	}
	for i := range after.GroupTable.Differ(&before.GroupTable) {
		if after.GroupTable.At(i).Touched == after.Revision {
			return true
		}
	}
	for i := range after.RoleTable.Differ(&before.RoleTable) {
		if after.RoleTable.At(i).Touched == after.Revision {
			return true
		}
	}
	for i := range after.ApplicationTable.Differ(&before.ApplicationTable) {
		if after.ApplicationTable.At(i).Touched == after.Revision {
			return true
		}
	}
	for _, kind := range []fact.FactKind{fact.FactDefault, fact.FactSoDRule, fact.FactAttribute, fact.FactEmploymentType} {
		i := fact.RecordPlace(kind)
		if differs(&after.RecordTables[i], &before.RecordTables[i]) {
			return true
		}
	}
	return false
}

func differs[T interface{ Differ(T) iter.Seq[int] }](a, b T) bool {
	for range a.Differ(b) {
		return true
	}
	return false
}
