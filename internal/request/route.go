package request

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/held"
)

// The kinds of record facts of this package.
var (
	FactRoute       = fact.RecordKind("route")
	FactRequestable = fact.RecordKind("requestable")
	FactRequest     = fact.RecordKind("request")
)

// Ids are dense numbers; see access. An offer has its role's.
type (
	RouteID   uint32
	RequestID uint32
)

func (i RouteID) String() string   { return fact.IDText(FactRoute, uint32(i)) }
func (i RequestID) String() string { return fact.IDText(FactRequest, uint32(i)) }

// Whose is who decides on a step of a route.
type Whose string

// Who decides.
const (
	Manager Whose = "manager"   // of the beneficiary
	Head    Whose = "unit_head" // of the beneficiary's unit, or the nearest one above that has one
	Owner   Whose = "owner"     // of the role, or else of its application
	Group   Whose = "group"     // its members
	Users   Whose = "users"     // named ones
)

// Step is one decision a route asks for.
type Step struct {
	Whose Whose         `json:"whose"`
	Group fact.GroupID  `json:"group,omitempty"`
	Users []fact.UserID `json:"users,omitempty"`
	All   bool          `json:"all,omitempty"` // every one of them must approve; else one is enough
}

// Route is the steps a request goes through, in their order.
type Route struct {
	fact.Lifetime
	ID    RouteID `json:"-"`
	Key   string  `json:"key"`
	Label string  `json:"label"`
	Steps []Step  `json:"steps"`

	SamePerson bool `json:"same_person,omitempty"` // one person may decide on several steps
}

// Kind and Row identify it.
func (*Route) Kind() fact.FactKind { return FactRoute }
func (f *Route) Row() uint32       { return uint32(f.ID) }

// Requestable makes a role one that people may ask for.
type Requestable struct {
	fact.Lifetime
	Role    fact.RoleID `json:"-"`
	Words   string      `json:"words"`              // what one can do with it, in the asker's words
	Route   RouteID     `json:"route"`              // who approves
	MaxDays int         `json:"max_days,omitempty"` // days it is given for at most; 0: without end
	Ended   bool        `json:"ended,omitempty"`

	Translations []Translation `json:"translations,omitempty"`
}

// Kind and Row identify it.
func (*Requestable) Kind() fact.FactKind { return FactRequestable }
func (f *Requestable) Row() uint32       { return uint32(f.Role) }

// Offers implements change.Offering.
func (f *Requestable) Offers() fact.RoleID {
	if f.Ended {
		return 0
	}
	return f.Role
}

// RouteOf is the route under a number, or nil.
func RouteOf(s *access.Snapshot, id RouteID) *Route {
	f, _ := s.RecordFact(FactRoute, uint32(id)).(*Route)
	return f
}

// RequestableOf is the offer of a role, or nil when it is not offered.
func RequestableOf(s *access.Snapshot, role fact.RoleID) *Requestable {
	f, _ := s.RecordFact(FactRequestable, uint32(role)).(*Requestable)
	if f == nil || f.Ended {
		return nil
	}
	return f
}

// Routes, Offers and Requests are all of them, in order of number.
func Routes(s *access.Snapshot) []*Route { return access.RecordFactsOf[*Route](s, FactRoute) }
func Requestables(s *access.Snapshot) []*Requestable {
	return access.RecordFactsOf[*Requestable](s, FactRequestable)
}
func Requests(s *access.Snapshot) []*Request { return access.RecordFactsOf[*Request](s, FactRequest) }

// FindRoute finds a route by key or id.
func FindRoute(s *access.Snapshot, ref string) *Route {
	f, _ := access.FindKeyed[*Route](s, FactRoute, ref, access.Same)
	return f
}

// Name and Over implement access.Keyed.
func (f *Route) Name() string { return f.Key }
func (f *Route) Over() bool   { return false }

// Asks says whether somebody is one of the deciders of a step, without a look at the
// others: themselves, or in the place of one of them.
func (t *Step) Asks(s *access.Snapshot, r *Request, id fact.UserID, at calendar.Instant) bool {
	if id == 0 || r.concerns(id) || !s.Effective(id, at) {
		return false
	}
	switch {
	case t.names(s, r, id, at):
		return true
	case t.Whose == Group: // many are asked, and few have substitutes
		return slices.ContainsFunc(held.StandsInFor(s, id, at), func(of fact.UserID) bool { return !r.concerns(of) && t.names(s, r, of, at) })
	}
	return slices.ContainsFunc(t.named(s, r, at), func(of fact.UserID) bool { return slices.Contains(held.SubstitutesOf(s, of, at), id) })
}

// names says whether a step asks for the decision of somebody, were they there.
func (t *Step) names(s *access.Snapshot, r *Request, id fact.UserID, at calendar.Instant) bool {
	switch t.Whose {
	case Manager:
		u := s.User(r.Beneficiary)
		return u != nil && u.Manager == id
	case Head:
		u := s.User(r.Beneficiary)
		return u != nil && s.HeadOf(u.Unit, u.ID) == id
	case Owner:
		return s.OwnerOf(r.Role) == id
	case Group:
		return s.IsMember(id, t.Group, at)
	case Users:
		return slices.Contains(t.Users, id)
	}
	return false
}

// named are those whose decision a step asks for, whether they are there or not, less whoever
// asked and whoever it is for.
func (t *Step) named(s *access.Snapshot, r *Request, at calendar.Instant) []fact.UserID {
	var named []fact.UserID
	switch t.Whose {
	case Manager:
		if u := s.User(r.Beneficiary); u != nil {
			named = []fact.UserID{u.Manager}
		}
	case Head:
		if u := s.User(r.Beneficiary); u != nil {
			named = []fact.UserID{s.HeadOf(u.Unit, u.ID)}
		}
	case Owner:
		named = []fact.UserID{s.OwnerOf(r.Role)}
	case Group:
		for id, in := range held.MembersNow(s, t.Group, at) {
			if in {
				named = append(named, id)
			}
		}
	case Users:
		named = slices.Clone(t.Users)
	}
	named = slices.DeleteFunc(named, func(id fact.UserID) bool { return id == 0 || r.concerns(id) })
	slices.Sort(named)
	return slices.Compact(named)
}

// seat is one whose decision a step asks for, and who may give it at an instant: they, or those
// who stand in for them. Whoever has a seat of their own takes no other.
type seat struct {
	of  fact.UserID
	may []fact.UserID
}

// seats are those of a step of a request.
func (t *Step) seats(s *access.Snapshot, r *Request, at calendar.Instant) []seat {
	named := t.named(s, r, at)
	out := make([]seat, 0, len(named))
	for _, id := range named {
		x := seat{of: id}
		if s.Effective(id, at) {
			x.may = []fact.UserID{id}
		}
		for _, by := range held.SubstitutesOf(s, id, at) {
			if _, own := slices.BinarySearch(named, by); !own && !r.concerns(by) {
				x.may = append(x.may, by)
			}
		}
		out = append(out, x)
	}
	return out
}
