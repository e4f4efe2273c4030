package record

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// SignUpRules are all of them, ended ones too.
func SignUpRules(s *access.Snapshot) []*fact.SignUpRule {
	return access.RecordFactsOf[*fact.SignUpRule](s, fact.FactSignUpRule)
}

// SignUpRuleFor is the rule by which whoever has an address may sign up, or nil.
func SignUpRuleFor(s *access.Snapshot, address string) *fact.SignUpRule {
	domain := fact.DomainOf(address)
	if domain == "" {
		return nil
	}
	f, ok := access.FindKeyed[*fact.SignUpRule](s, fact.FactSignUpRule, domain, access.Same)
	if !ok || f.Ended {
		return nil
	}
	return f
}

// SponsoredBySignUp are the sign-up rules whose users report to somebody.
func SponsoredBySignUp(s *access.Snapshot, id fact.UserID) []*fact.SignUpRule {
	return slices.DeleteFunc(SignUpRules(s), func(f *fact.SignUpRule) bool { return f.Ended || f.Sponsor != id })
}

// LegalHold is what keeps a user from being erased, or nil; it may be over.
func LegalHold(s *access.Snapshot, id fact.UserID) *fact.LegalHold {
	f, _ := s.RecordFact(fact.FactLegalHold, uint32(id)).(*fact.LegalHold)
	return f
}

// IsHeld says whether a user may not be erased on the day of an instant.
func IsHeld(s *access.Snapshot, id fact.UserID, at calendar.Instant) bool {
	f := LegalHold(s, id)
	return f != nil && f.Until >= calendar.DateOf(at.Time().In(s.Zone()))
}

// MergedInto is the record into which a user's was merged, or 0.
func MergedInto(s *access.Snapshot, id fact.UserID) fact.UserID {
	if f, ok := s.RecordFact(fact.FactMerged, uint32(id)).(*fact.Merged); ok {
		return f.Into
	}
	return 0
}

// MergedFrom are the records that were merged into a user's, at any depth.
func MergedFrom(s *access.Snapshot, id fact.UserID) (out []fact.UserID) {
	into := map[fact.UserID]bool{id: true}
	for more := true; more; {
		more = false
		s.EachRecordFact(fact.FactMerged, func(f fact.RecordFact) bool {
			if m := f.(*fact.Merged); into[m.Into] && !into[m.User] {
				into[m.User], more = true, true
				out = append(out, m.User)
			}
			return true
		})
	}
	return out
}
