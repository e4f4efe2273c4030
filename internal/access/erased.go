package access

// Erased is how many users were erased.
func (s *Snapshot) Erased() int { return s.erased }
