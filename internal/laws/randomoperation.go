package laws

import (
	"fmt"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/people"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
)

// Operation is one that may or may not fit.
func (c *Chance) Operation() change.Operation {
	user, group := c.holder()
	n := c.IntN(73)
	if n >= 62 && c.IntN(2) == 0 { // seldom, so that much is given all the same
		n = -1
	}
	if n >= 69 && c.IntN(2) == 0 { // more seldom still
		n = -1
	}
	switch n { // what has no case of its own is a grant
	case 0:
		return &people.AddUser{Personal: fact.Personal{UserName: string(c.User())}, UserKind: Pick(c, fact.Person, fact.Person, fact.Service), UserFacts: fact.UserFacts{Unit: c.Unit(), Start: c.Date(), End: c.Date()}}
	case 1:
		start, end := c.Date(), c.Date()
		return &people.UpdateUser{User: c.User(), UserEdits: fact.UserEdits{Start: &start, End: &end}}
	case 2:
		status := Pick(c, fact.Active, fact.Active, fact.Active, fact.Active, fact.Active, fact.Active, fact.Active, fact.Suspended, fact.Departed)
		return &people.UpdateUser{User: c.User(), Status: &status}
	case 3:
		return &roles.AddGroup{Key: fmt.Sprintf("g%d", c.IntN(7)), Unit: c.Unit(), Filter: c.filter()}
	case 40:
		text := c.filter()
		return &roles.UpdateGroup{Group: c.Group(), Filter: &text}
	case 41:
		unit, title := c.Unit(), Pick(c, "pilot", "clerk", "")
		return &people.UpdateUser{User: c.User(), UserEdits: fact.UserEdits{Unit: &unit, Title: &title}}
	case 54, 55:
		return &people.UpdateUser{User: c.User(), Custom: map[string]string{Pick(c, "grade", "ticket"): Pick(c, "A", "a", ""), "bonus": Pick(c, "", "3", "7.50"), "badge": Pick(c, "", "x")}}
	case 57:
		return &people.HandOver{User: c.User(), To: c.User()}
	case 56:
		return &people.UpdateAttribute{Attribute: "desk", Fill: &fact.Fill{From: "unit", Units: []fact.UnitFill{{Unit: Pick(c, "marine", "finance"), Value: Pick(c, "M1", "M2")}}}}
	case 4, 5, 6, 27, 28:
		m := &roles.AddMember{Group: c.Group(), User: user, Window: c.Window()}
		if user == "" {
			m.Member = group
		}
		return m
	case 7:
		m := &roles.RemoveMember{Group: c.Group(), User: user}
		if user == "" {
			m.Member = group
		}
		return m
	case 8:
		return &roles.AddApplication{Key: string(c.application()), State: Pick(c, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateDraft),
			Actions: []fact.Action{{Key: "read"}, {Key: "update"}}, Open: c.IntN(6) == 0}
	case 9:
		state := Pick(c, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateLive, fact.StateRehearsal, fact.StateDraft, fact.StateRetired)
		return &roles.UpdateApplication{Application: c.application(), State: &state,
			Actions: Pick(c, []fact.Action{{Key: "read"}, {Key: "update"}}, []fact.Action{{Key: "read"}, {Key: "update"}, {Key: "release"}})}
	case 10, 11:
		return &roles.AddResource{Application: c.application(), Path: c.Path(), Open: c.IntN(3) == 0}
	case 12:
		app, key := c.application(), fmt.Sprintf("r%d", c.IntN(5))
		if c.IntN(3) == 0 {
			app = ""
		}
		return &roles.AddRole{Key: key, Application: app}
	case 13:
		if c.IntN(4) > 0 {
			return &roles.IncludeRole{Role: c.role(), Includes: c.role()}
		}
		return &roles.RetireRole{Role: c.role()}
	case 14:
		return &roles.IncludeRole{Role: c.role(), Includes: c.role()}
	case 15, 25, 30, 31:
		return &roles.ExcludeRole{Role: c.role(), Excludes: c.role()}
	case 16, 17, 18:
		return &roles.AddPermission{Role: c.role(), Application: Pick(c, "", c.application()), Actions: Pick(c, []string{"read"}, []string{"read", "update"}, []string{"*"}), Pattern: c.Pattern()}
	case 19:
		if c.IntN(3) == 0 {
			return &roles.RemovePermission{Permission: change.PermissionRef(fmt.Sprintf("permission-%d", 1+c.IntN(30)))}
		}
		return &roles.Revoke{Role: c.role(), User: user, Group: group}
	case 20, 21:
		return &roles.Grant{Role: c.role(), User: user, Group: group, Window: c.Window(), Scopes: c.scopes(), Schedule: c.schedule()}
	case 32, 33:
		if c.IntN(3) == 0 {
			return &roles.RemoveFence{Fence: change.FenceRef(fmt.Sprintf("fence-%d", 1+c.IntN(12)))}
		}
		return &roles.AddFence{Application: c.application(), Pattern: c.Pattern(), Actions: Pick(c, []string{"read"}, []string{"update"}, []string{"*"})}
	case 34:
		open, retired := c.IntN(3) == 0, c.IntN(3) == 0
		o := &roles.UpdateResource{Application: c.application(), Path: c.Path()}
		if c.IntN(2) == 0 {
			o.Open = &open
		} else {
			o.Retired = &retired
		}
		return o
	case 35:
		trial := c.Group()
		if c.IntN(3) == 0 {
			trial = ""
		}
		return &roles.UpdateApplication{Application: c.application(), Trial: &trial}
	case 22, 23, 24, 29:
		return &roles.AddPermission{Role: c.role(), Actions: []string{"*"}, Pattern: Pick(c, "/", "a", "b", "*")}
	case 26:
		return &roles.RemoveMember{Group: c.Group(), User: c.User()}
	case 36, 37, 38, 39:
		return &roles.AddPermission{Role: c.role(), Actions: Pick(c, []string{"read"}, []string{"*"}), Pattern: c.Pattern(), Own: true}
	case 42:
		key, text := fmt.Sprintf("d%d", c.IntN(4)), c.filter()
		o := &rules.AddDefault{Key: key, Everybody: text == "", Filter: text, Roles: c.roles(), Groups: c.groups(), Order: c.IntN(3), Final: c.IntN(4) == 0}
		if c.IntN(2) == 0 {
			o.Window, o.AfterDays, o.LastsDays, o.OverlapDays = c.Window(), Pick(c, 0, 0, 2), Pick(c, 0, 0, 5), Pick(c, 0, 3, 10)
			o.Scopes = Pick(c, nil, c.scopes(), []change.ScopeRef{{Application: c.application(), Pattern: "a/{desk}"}, {Application: c.application(), Pattern: "{unit}"}})
		}
		return o
	case 43:
		o := &rules.UpdateDefault{Default: change.DefaultRef(fmt.Sprintf("d%d", c.IntN(4)))}
		switch c.IntN(5) {
		case 3:
			order, final, overlap := c.IntN(3), c.IntN(3) == 0, Pick(c, 0, 7)
			o.Order, o.Final, o.OverlapDays = &order, &final, &overlap
		case 4:
			w, lasts := c.Window(), Pick(c, 0, 4)
			o.From, o.Until, o.LastsDays = &w.From, &w.Until, &lasts
		case 0:
			text := c.filter()
			everybody := text == ""
			o.Filter, o.Everybody = &text, &everybody
		case 1:
			o.Roles = c.roles()
		default:
			o.Groups = c.groups()
		}
		return o
	case 48:
		owner := Pick(c, c.User(), "")
		switch c.IntN(3) {
		case 0:
			return &roles.UpdateRole{Role: c.role(), Owner: &owner}
		case 1:
			return &roles.UpdateGroup{Group: c.Group(), Owner: &owner}
		}
		return &roles.UpdateApplication{Application: c.application(), Owner: &owner}
	case 45:
		key := fmt.Sprintf("c%d", c.IntN(3))
		return &rules.AddSoDRule{Key: key, Roles: []change.RoleRef{c.role(), c.role()}, Prevent: c.IntN(2) == 0}
	case 46:
		prevent := c.IntN(2) == 0
		o := &rules.UpdateSoDRule{SoDRule: change.SoDRuleRef(fmt.Sprintf("c%d", c.IntN(3))), Prevent: &prevent}
		if c.IntN(2) == 0 {
			o.Roles = []change.RoleRef{c.role(), c.role()}
		}
		return o
	case 47:
		return &rules.EndSoDRule{SoDRule: change.SoDRuleRef(fmt.Sprintf("c%d", c.IntN(12)))}
	case 50, 51:
		return c.Expectation()
	case 52:
		return &rules.EndExpectation{Expectation: change.ExpectationRef(fmt.Sprintf("e%d", c.IntN(6)))}
	case 53: // seldom what keeps others from being given anything
		owner, risk, longest := c.User(), Pick(c, fact.RiskUnsaid, fact.RiskLow, fact.RiskHigh), Pick(c, 0, 0, 0, 0, 0, 0, 0, 5)
		switch c.IntN(3) {
		case 0:
			return &roles.UpdateRole{Role: c.role(), Owner: &owner, Risk: &risk, MaxDays: &longest}
		case 1:
			back := false
			return &roles.UpdateRole{Role: c.role(), Retired: &back}
		}
		direct := Pick(c, fact.DirectWelcome, fact.DirectWelcome, fact.DirectWelcome, fact.DirectWelcome, fact.DirectWelcome, fact.DirectWarned, fact.DirectWarned, fact.DirectRefused)
		return &roles.UpdateApplication{Application: c.application(), Direct: &direct}
	case 62:
		start := calendar.DateOf(c.Day0.AddDate(0, 0, c.IntN(20)))
		return &people.AddPosition{User: c.User(), Unit: c.Unit(), Title: Pick(c, "", "senior pilot"), Start: start, End: start + calendar.Date(c.IntN(12))}
	case 66:
		hours := Pick(c, 0, 0, 48)
		return &people.SetEmploymentType{Key: Pick(c, "vendor", "guest"), Closed: hours > 0, MaxHours: hours}
	case 67:
		kind := Pick(c, "Vendor", "guest", "staff", "")
		return &people.UpdateUser{User: c.User(), UserEdits: fact.UserEdits{Employment: &kind}}
	case 68:
		if c.IntN(4) == 0 {
			return &people.CloseAccess{User: c.User()}
		}
		from := c.Instant()
		return &people.OpenAccess{User: c.User(), Window: calendar.Window{From: from, Until: from + calendar.Days(1+c.IntN(2))}, Reference: "TCK-1"}
	case 63:
		o := &people.EndPosition{User: c.User(), Position: 1 + c.IntN(3)}
		if c.IntN(2) == 0 {
			o.End = calendar.DateOf(c.Day0.AddDate(0, 0, c.IntN(25)))
		}
		return o
	case 64:
		start := calendar.DateOf(c.Day0.AddDate(0, 0, c.IntN(20)))
		return &people.AddAbsence{User: c.User(), Start: start, End: Pick(c, start, start, start+2, 0)}
	case 69:
		most := Pick(c, 0, 1, 3, 3, 3, 3)
		return &roles.UpdateRole{Role: c.role(), MaxShares: &most}
	case 70, 71:
		return &roles.ShareRole{Role: c.role(), User: c.User(), Path: c.Path(), Window: c.Window()}
	case 72:
		return &roles.EndShares{Application: c.application(), Path: Pick(c, "/", c.Path())}
	case 65:
		return &people.EndAbsence{User: c.User(), Absence: 1 + c.IntN(2)}
	case 44:
		return &rules.EndDefault{Default: change.DefaultRef(fmt.Sprintf("d%d", c.IntN(12)))}
	default:
		return &roles.Grant{Role: c.role(), User: c.User(), Window: c.Window(), Scopes: c.scopes(), Schedule: c.schedule()}
	}
}
