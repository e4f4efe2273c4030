package access

import (
	"unsafe"

	"ableroster/internal/paged"
)

// soughtUser is a user on the way to being found. Among many users neither the
// place of the name nor the record is in a cache; a check has both fetched while
// it looks at the rest of the question.
type soughtUser struct {
	id    UserID // when sought by id
	name  string // folded, otherwise
	probe paged.Probe
}

// seek begins to look a user up, by name or id. u is empty before.
func (u *soughtUser) seek(s *Snapshot, ref string) {
	if n, ok := ParseID("user", ref); ok {
		u.id = UserID(n)
		return
	}
	u.name = fold(ref)
	u.probe = s.userByName.Probe(u.name)
}

// fetch has the record of whoever it most likely is fetched.
func (u *soughtUser) fetch(s *Snapshot) {
	id := u.id
	if id == 0 {
		id = UserID(u.probe.Likely())
	}
	s.users.Prefetch(int(id), unsafe.Offsetof(userRec{}.fact))
}

// found is the user, if there is one.
func (u *soughtUser) found(s *Snapshot) (UserID, bool) {
	if u.id != 0 {
		return u.id, s.User(u.id) != nil
	}
	id, ok := u.probe.Find(func(id uint32) bool { return s.users.At(int(id)).isNamed(u.name) })
	return UserID(id), ok
}
