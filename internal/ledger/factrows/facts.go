package factrows

import (
	"encoding/json"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/finding"
	"ableroster/internal/request"
	"ableroster/internal/review"
)

// Table says how facts of one kind lie in PostgreSQL, beside id, opened and
// closed.
type Table struct {
	Kind    fact.FactKind
	Name    string
	columns []string
	Values  func(fact.Fact) []any

	// read puts a fact into a row and says where the values of its columns go,
	// and what is left to do once they are there.
	read func(*Row, texts) (into []any, then func())
}

// flat says whether a snapshot copies what it needs of facts of a kind.
func (t *Table) flat() bool {
	return t.Kind == fact.FactUser || t.Kind == fact.FactMembership || t.Kind == fact.FactAssignment
}

// Row is a fact as read, with its lifetime; closed is 0 while open.
type Row struct {
	Fact           fact.Fact
	id             uint32
	Opened, Closed int64

	Body []byte // what it keeps as one JSON value, as the last of its columns
	bad  error  // why it cannot be read
}

// All are the tables of all kinds of facts.
var All = []Table{
	{
		fact.FactOrganisation, "organisation_fact", []string{"name", "time_zone", "sign_in", "reference_pattern", "reference_address", "review_moves", "second"},
		func(f fact.Fact) []any {
			o := f.(*fact.Organisation)
			raw, _ := json.Marshal(o.Second)
			return []any{o.Name, o.TimeZone, uint32(o.SignIn), o.Pattern, o.Address, o.ReviewMoves, string(raw)}
		},
		func(r *Row, _ texts) ([]any, func()) {
			f := &fact.Organisation{}
			r.Fact = f
			return []any{&f.Name, &f.TimeZone, (*uint32)(&f.SignIn), &f.Pattern, &f.Address, &f.ReviewMoves, &r.Body}, func() { r.bad = json.Unmarshal(r.Body, &f.Second) }
		},
	},
	{
		fact.FactUser, "user_fact",
		append([]string{"personal", "kind", "status", "manager", "erased", "custom"}, fact.DescribedKeys()...),
		func(f fact.Fact) []any {
			u := f.(*fact.User)
			out := []any{u.Digest[:], string(u.UserKind), string(u.Status), uint32(u.Manager), u.Erased, string(u.Custom)}
			for _, p := range u.Pointers() {
				switch p := p.(type) {
				case *string:
					out = append(out, *p)
				case *calendar.Date:
					out = append(out, int32(*p))
				}
			}
			return out
		},
		func(r *Row, t texts) ([]any, func()) {
			var f fact.User
			into := []any{(*Digest)(&f.Digest), t.of((*string)(&f.UserKind)), t.of((*string)(&f.Status)), (*uint32)(&f.Manager), &f.Erased, t.of((*string)(&f.Custom))}
			for _, p := range f.Pointers() {
				switch p := p.(type) {
				case *string:
					into = append(into, t.of(p))
				case *calendar.Date:
					into = append(into, (*int32)(p))
				}
			}
			return into, func() {
				f.ID = fact.UserID(r.id)
				u := f // kept; f is read into again
				r.Fact = &u
			}
		},
	},
	{
		fact.FactGroup, "group_fact", []string{"key", "label", "description", "unit", "filter", "owner", "held_within"},
		func(f fact.Fact) []any {
			g := f.(*fact.Group)
			return []any{g.Key, g.Label, g.Description, g.Unit, g.Filter, uint32(g.Owner), g.HeldWithin}
		},
		func(r *Row, _ texts) ([]any, func()) {
			f := &fact.Group{}
			r.Fact = f
			return []any{&f.Key, &f.Label, &f.Description, &f.Unit, &f.Filter, (*uint32)(&f.Owner), &f.HeldWithin}, func() {
				f.ID = fact.GroupID(r.id)
			}
		},
	},
	{
		fact.FactMembership, "membership_fact", []string{"group_id", "member_user", "member_group", "from_at", "until_at", "rule", "position"},
		func(f fact.Fact) []any {
			m := f.(*fact.Membership)
			return []any{uint32(m.Group), uint32(m.Member.User), uint32(m.Member.Group), int64(m.Window.From), int64(m.Window.Until), uint32(m.Rule), m.Position}
		},
		func(r *Row, _ texts) ([]any, func()) {
			f := &fact.Membership{}
			r.Fact = f
			return []any{(*uint32)(&f.Group), (*uint32)(&f.Member.User), (*uint32)(&f.Member.Group),
					(*int64)(&f.Window.From), (*int64)(&f.Window.Until), (*uint32)(&f.Rule), &f.Position}, func() {
					f.ID, f.Opened = fact.MembershipID(r.id), r.Opened
				}
		},
	},
	{
		fact.FactApplication, "application_fact", []string{"key", "label", "description", "state", "actions", "trial", "owner", "direct"},
		func(f fact.Fact) []any {
			a := f.(*fact.Application)
			actions, _ := json.Marshal(a.Actions)
			return []any{a.Key, a.Label, a.Description, string(a.State), actions, uint32(a.Trial), uint32(a.Owner), string(a.Direct)}
		},
		func(r *Row, _ texts) ([]any, func()) {
			f := &fact.Application{}
			r.Fact = f
			return []any{&f.Key, &f.Label, &f.Description, (*string)(&f.State), &f.Actions, (*uint32)(&f.Trial), (*uint32)(&f.Owner), (*string)(&f.Direct)}, func() {
				f.ID = fact.ApplicationID(r.id)
			}
		},
	},
	{
		fact.FactResource, "resource_fact", []string{"application", "path", "kind", "label", "description", "open", "retired", "addresses"},
		func(f fact.Fact) []any {
			x := f.(*fact.Resource)
			addresses := x.Addresses
			if addresses == nil {
				addresses = []string{}
			}
			return []any{uint32(x.Application), x.Path, x.NodeKind, x.Label, x.Description, x.Open, x.Retired, addresses}
		},
		func(r *Row, _ texts) ([]any, func()) {
			f := &fact.Resource{}
			r.Fact = f
			return []any{(*uint32)(&f.Application), &f.Path, &f.NodeKind, &f.Label, &f.Description, &f.Open, &f.Retired, &f.Addresses}, func() {
				f.ID = fact.ResourceID(r.id)
				if len(f.Addresses) == 0 {
					f.Addresses = nil
				}
			}
		},
	},
	{
		fact.FactFence, "fence_fact", []string{"application", "pattern", "actions", "why"},
		func(f fact.Fact) []any {
			x := f.(*fact.Fence)
			return []any{uint32(x.Application), x.Pattern, x.Actions, x.Reason}
		},
		func(r *Row, _ texts) ([]any, func()) {
			f := &fact.Fence{}
			r.Fact = f
			return []any{(*uint32)(&f.Application), &f.Pattern, &f.Actions, &f.Reason}, func() {
				f.ID = fact.FenceID(r.id)
			}
		},
	},
	{
		fact.FactRole, "role_fact", []string{"application", "key", "label", "description", "retired", "owner", "risk", "max_days", "held_within", "max_shares"},
		func(f fact.Fact) []any {
			x := f.(*fact.Role)
			return []any{uint32(x.Application), x.Key, x.Label, x.Description, x.Retired, uint32(x.Owner), string(x.Risk), x.MaxDays, x.HeldWithin, x.MaxShares}
		},
		func(r *Row, _ texts) ([]any, func()) {
			f := &fact.Role{}
			r.Fact = f
			return []any{(*uint32)(&f.Application), &f.Key, &f.Label, &f.Description, &f.Retired, (*uint32)(&f.Owner), (*string)(&f.Risk), &f.MaxDays, &f.HeldWithin, &f.MaxShares}, func() {
				f.ID = fact.RoleID(r.id)
			}
		},
	},
	{
		fact.FactInclusion, "inclusion_fact", []string{"role", "included"},
		func(f fact.Fact) []any {
			i := f.(*fact.Inclusion)
			return []any{uint32(i.Role), uint32(i.Included)}
		},
		func(r *Row, _ texts) ([]any, func()) {
			f := &fact.Inclusion{}
			r.Fact = f
			return []any{(*uint32)(&f.Role), (*uint32)(&f.Included)}, func() {
				f.ID, f.Opened = fact.InclusionID(r.id), r.Opened
			}
		},
	},
	{
		fact.FactPermission, "permission_fact", []string{"role", "application", "actions", "pattern", "own"},
		func(f fact.Fact) []any {
			p := f.(*fact.Permission)
			return []any{uint32(p.Role), uint32(p.Application), p.Actions, p.Pattern, p.Own}
		},
		func(r *Row, _ texts) ([]any, func()) {
			f := &fact.Permission{}
			r.Fact = f
			return []any{(*uint32)(&f.Role), (*uint32)(&f.Application), &f.Actions, &f.Pattern, &f.Own}, func() {
				f.ID, f.Opened = fact.PermissionID(r.id), r.Opened
			}
		},
	},
	{
		fact.FactAssignment, "assignment_fact", []string{"assignee_user", "assignee_group", "role", "from_at", "until_at", "scopes", "schedule", "origin", "rule", "shared_by"},
		func(f fact.Fact) []any {
			a := f.(*fact.Assignment)
			return []any{uint32(a.Assignee.User), uint32(a.Assignee.Group), uint32(a.Role),
				int64(a.Window.From), int64(a.Window.Until), scopesJSON(a.Scopes), scheduleJSON(a.Schedule), string(a.Origin), uint32(a.Rule), uint32(a.SharedBy)}
		},
		func(r *Row, t texts) ([]any, func()) {
			f := &fact.Assignment{}
			r.Fact = f
			var scopes []byte
			return []any{(*uint32)(&f.Assignee.User), (*uint32)(&f.Assignee.Group), (*uint32)(&f.Role),
					(*int64)(&f.Window.From), (*int64)(&f.Window.Until), &scopes, &f.Schedule, t.of((*string)(&f.Origin)), (*uint32)(&f.Rule), (*uint32)(&f.SharedBy)}, func() {
					f.ID, f.Opened = fact.AssignmentID(r.id), r.Opened
					f.Scopes = scopesOf(scopes)
				}
		},
	},
	kept(fact.FactDefault, func(id uint32) *fact.Default { return &fact.Default{ID: fact.DefaultID(id)} }),
	kept(fact.FactSoDRule, func(id uint32) *fact.SoDRule { return &fact.SoDRule{ID: fact.SoDRuleID(id)} }),
	kept(fact.FactExpectation, func(id uint32) *fact.Expectation { return &fact.Expectation{ID: fact.ExpectationID(id)} }),
	kept(fact.FactAttribute, func(id uint32) *fact.Attribute { return &fact.Attribute{ID: fact.AttributeID(id)} }),
	kept(fact.FactFreeze, func(id uint32) *fact.Freeze { return &fact.Freeze{ID: fact.FreezeID(id)} }),
	kept(fact.FactUnit, func(id uint32) *fact.Unit { return &fact.Unit{ID: fact.UnitID(id)} }),
	kept(fact.FactMachineAccount, func(id uint32) *fact.MachineAccount { return &fact.MachineAccount{User: fact.UserID(id)} }),
	kept(fact.FactSharedAccount, func(id uint32) *fact.SharedAccount { return &fact.SharedAccount{User: fact.UserID(id)} }),
	kept(fact.FactCheckOut, func(id uint32) *fact.CheckOut { return &fact.CheckOut{User: fact.UserID(id)} }),
	kept(fact.FactPositions, func(id uint32) *fact.Positions { return &fact.Positions{User: fact.UserID(id)} }),
	kept(fact.FactAbsences, func(id uint32) *fact.Absences { return &fact.Absences{User: fact.UserID(id)} }),
	kept(fact.FactSubstitutes, func(id uint32) *fact.Substitutes { return &fact.Substitutes{User: fact.UserID(id)} }),
	kept(fact.FactEmploymentType, func(id uint32) *fact.EmploymentType { return &fact.EmploymentType{ID: fact.EmploymentTypeID(id)} }),
	kept(fact.FactSignUpRule, func(id uint32) *fact.SignUpRule { return &fact.SignUpRule{ID: fact.SignUpRuleID(id)} }),
	kept(fact.FactTeamRule, func(id uint32) *fact.TeamRule { return &fact.TeamRule{ID: fact.TeamRuleID(id)} }),
	kept(fact.FactTeam, func(id uint32) *fact.Team { return &fact.Team{Group: fact.GroupID(id)} }),
	kept(fact.FactOpening, func(id uint32) *fact.Opening { return &fact.Opening{User: fact.UserID(id)} }),
	kept(fact.FactLegalHold, func(id uint32) *fact.LegalHold { return &fact.LegalHold{User: fact.UserID(id)} }),
	kept(fact.FactMerged, func(id uint32) *fact.Merged { return &fact.Merged{User: fact.UserID(id)} }),
	kept(fact.FactErasedReason, func(id uint32) *fact.ErasedReason { return &fact.ErasedReason{ID: id} }),
	kept(fact.FactMending, func(id uint32) *fact.Mending { return &fact.Mending{ID: id} }),
	kept(finding.FactSetAside, func(id uint32) *finding.SetAside { return &finding.SetAside{ID: finding.SetAsideID(id)} }),
	kept(request.FactRoute, func(id uint32) *request.Route { return &request.Route{ID: request.RouteID(id)} }),
	kept(request.FactRequestable, func(id uint32) *request.Requestable { return &request.Requestable{Role: fact.RoleID(id)} }),
	kept(review.FactRound, func(id uint32) *review.Round { return &review.Round{ID: review.RoundID(id)} }),
	kept(review.FactDecision, func(id uint32) *review.Decision { return &review.Decision{ID: review.DecisionID(id)} }),
	kept(review.FactPendingRemoval, func(id uint32) *review.PendingRemoval { return &review.PendingRemoval{ID: review.PendingRemovalID(id)} }),
	kept(request.FactRequest, func(id uint32) *request.Request { return &request.Request{ID: request.RequestID(id)} }),
}

// kept says how record facts of one kind lie: as one JSON value each.
func kept[T fact.RecordFact](kind fact.FactKind, empty func(id uint32) T) Table {
	return Table{
		kind, string(kind) + "_fact", []string{"body"},
		func(f fact.Fact) []any {
			raw, _ := json.Marshal(f)
			return []any{string(raw)}
		},
		func(r *Row, _ texts) ([]any, func()) {
			return []any{&r.Body}, func() {
				f := empty(r.id)
				r.bad = json.Unmarshal(r.Body, f)
				r.Fact = f
			}
		},
	}
}

func scopesJSON(scopes []fact.Scope) string {
	if len(scopes) == 0 {
		return "[]"
	}
	raw, _ := json.Marshal(scopes)
	return string(raw)
}

// scopesOf reads what scopesJSON wrote. Nearly all are none.
func scopesOf(raw []byte) (out []fact.Scope) {
	if len(raw) > len("[]") {
		_ = json.Unmarshal(raw, &out) // written by scopesJSON
	}
	return out
}

// scheduleJSON is a schedule as kept, nil for none.
func scheduleJSON(s *calendar.Schedule) any {
	if s == nil {
		return nil
	}
	raw, _ := json.Marshal(s)
	return string(raw)
}

// TableOf is that of one kind. It panics for a kind that has none.
func TableOf(kind fact.FactKind) *Table {
	for i := range All {
		if All[i].Kind == kind {
			return &All[i]
		}
	}
	panic("ledger: no table for " + kind)
}
