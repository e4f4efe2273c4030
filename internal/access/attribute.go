package access

import (
	"slices"
	"strings"

	"ableroster/internal/fact"
)

// Attribute is the declared attribute under a number, or nil.
func (s *Snapshot) Attribute(id fact.AttributeID) *fact.Attribute {
	f, _ := s.RecordFact(fact.FactAttribute, uint32(id)).(*fact.Attribute)
	return f
}

// Attributes are all that were declared of users, retired ones too, in order of number.
func (s *Snapshot) Attributes() []*fact.Attribute { return s.attributes(false) }

// UnitAttributes are all that were declared of units, retired ones too, in order of number.
func (s *Snapshot) UnitAttributes() []*fact.Attribute { return s.attributes(true) }

func (s *Snapshot) attributes(ofUnits bool) []*fact.Attribute {
	return slices.DeleteFunc(RecordFactsOf[*fact.Attribute](s, fact.FactAttribute), func(f *fact.Attribute) bool { return f.OfUnits != ofUnits })
}

// FindAttribute finds a declared attribute of users by key, without case, or id.
func (s *Snapshot) FindAttribute(ref string) *fact.Attribute {
	if f := s.DeclaredAttribute(ref); f != nil && !f.OfUnits {
		return f
	}
	return nil
}

// DeclaredAttribute is FindAttribute among those of units, too: a key is declared once.
func (s *Snapshot) DeclaredAttribute(ref string) *fact.Attribute {
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
