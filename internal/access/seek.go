package access

import (
	"unsafe"

	"ableroster/internal/fact"
	"ableroster/internal/paged"
)

// soughtUser is a user on the way to being found. Among many users neither the
// place of the name nor the record is in a cache; a check has both fetched while
// it looks at the rest of the question.
type soughtUser struct {
	id    fact.UserID // when sought by id
	name  string      // folded, otherwise
	probe paged.Probe

	likely fact.UserID
	rec    *UserEntry // theirs
}

// seek begins to look a user up, by name or id. u is empty before.
func (u *soughtUser) seek(s *Snapshot, ref string) {
	if n, ok := fact.ParseID("user", ref); ok {
		u.id = fact.UserID(n)
		return
	}
	u.name = fact.Fold(ref)
	u.probe = s.userByName.Probe(u.name)
}

// fetch has the record of whoever it most likely is fetched.
func (u *soughtUser) fetch(s *Snapshot) {
	u.likely = u.id
	if u.id == 0 {
		u.likely = fact.UserID(u.probe.Likely())
	}
	u.rec = s.UserTable.At(int(u.likely))
	paged.Prefetch(u.rec, unsafe.Offsetof(UserEntry{}.Fact))
}

// found is the user with their record, or 0 and nil.
func (u *soughtUser) found(s *Snapshot) (fact.UserID, *UserEntry) {
	if u.id == 0 && (u.rec == nil || !u.rec.isNamed(u.name)) { // two names with one hash, or none
		id, _ := u.probe.Find(func(id uint32) bool { return s.UserTable.At(int(id)).isNamed(u.name) })
		u.likely, u.rec = fact.UserID(id), s.UserTable.At(int(id))
	}
	if u.likely == 0 || u.rec == nil || u.rec.Fact == nil {
		return 0, nil
	}
	return u.likely, u.rec
}
