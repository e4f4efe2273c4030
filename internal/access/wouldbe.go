package access

// WouldBe is the snapshot with one more user of given facts, and their id: for
// asking what a newcomer would have on the first day. Nothing of it is kept.
// The faults are those of the facts.
func (s *Snapshot) WouldBe(u User) (*Snapshot, UserID, []Fault) {
	d := s.Draft()
	u.UserName, u.Status = "would-be", Active
	if u.UserKind == "" {
		u.UserKind = Person
	}
	d.unit("unit", u.Unit)
	d.checkUser(&u)
	d.fill(&u)
	if len(d.Faults) > 0 {
		return nil, 0, d.Faults
	}
	u.ID = UserID(d.allocate(FactUser))
	d.loading = true // the name is nobody's, and nothing is tracked
	r := d.users.Edit(d.edit, int(u.ID))
	r.state(&u)
	d.choose(r)
	for _, f := range d.Defaults() {
		d.giveDefault(u.ID, f)
	}
	return d.Seal(s.Revision, s.At), u.ID, nil
}
