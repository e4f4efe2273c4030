package access

import (
	"strings"

	"ableroster/internal/fact"
)

// Attribute is the declared attribute under a number, or nil.
func (s *Snapshot) Attribute(id fact.AttributeID) *fact.Attribute {
	f, _ := s.RecordFact(fact.FactAttribute, uint32(id)).(*fact.Attribute)
	return f
}

// Attributes are all that were declared, retired ones too, in order of number.
func (s *Snapshot) Attributes() []*fact.Attribute {
	return RecordFactsOf[*fact.Attribute](s, fact.FactAttribute)
}

// FindAttribute finds a declared attribute by key, without case, or id.
func (s *Snapshot) FindAttribute(ref string) *fact.Attribute {
	f, _ := FindKeyed[*fact.Attribute](s, fact.FactAttribute, ref, strings.EqualFold)
	return f
}

// Fill fills in what fills itself in.
func (s *Snapshot) Fill(u *fact.User) {
	s.EachRecordFact(fact.FactAttribute, func(k fact.RecordFact) bool {
		f := k.(*fact.Attribute)
		switch {
		case f.Fill == nil || f.Retired:
		case f.Personal:
			u.More = u.More.With(f, f.Filled(u))
		default:
			u.Custom = u.Custom.With(f, f.Filled(u))
		}
		return true
	})
}
