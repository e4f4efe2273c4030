package record

import (
	"slices"

	"ableroster/internal/access"
	"ableroster/internal/fact"
)

// TeamRules are all of them, ended ones too.
func TeamRules(s *access.Snapshot) []*fact.TeamRule {
	return access.RecordFactsOf[*fact.TeamRule](s, fact.FactTeamRule)
}

// SponsoredByTeamRule are the team rules whose guests report to somebody.
func SponsoredByTeamRule(s *access.Snapshot, id fact.UserID) []*fact.TeamRule {
	return slices.DeleteFunc(TeamRules(s), func(f *fact.TeamRule) bool { return f.Ended || f.Sponsor != id })
}

// TeamRule is one of them, or nil.
func TeamRule(s *access.Snapshot, id fact.TeamRuleID) *fact.TeamRule {
	f, _ := s.RecordFact(fact.FactTeamRule, uint32(id)).(*fact.TeamRule)
	return f
}

// Team is what makes a group a team, or nil.
func Team(s *access.Snapshot, id fact.GroupID) *fact.Team {
	f, _ := s.RecordFact(fact.FactTeam, uint32(id)).(*fact.Team)
	return f
}

// TeamsOf are the teams of an owner, closed ones too.
func TeamsOf(s *access.Snapshot, owner fact.UserID) []*fact.Team {
	var out []*fact.Team
	if owner == 0 {
		return nil
	}
	s.EachRecordFact(fact.FactTeam, func(f fact.RecordFact) bool {
		if t := f.(*fact.Team); s.Group(t.Group).Owner == owner {
			out = append(out, t)
		}
		return true
	})
	return out
}

// ManagedTeam is the rule by which somebody manages a team of theirs, or nil: they own it, and may
// open teams like it still.
func ManagedTeam(s *access.Snapshot, owner fact.UserID, id fact.GroupID) *fact.TeamRule {
	t := Team(s, id)
	if t == nil || t.Ended || owner == 0 || s.Group(id).Owner != owner {
		return nil
	}
	if f := TeamRule(s, t.Rule); f != nil && f.Chooses(s.User(owner)) {
		return f
	}
	return nil
}

// InTeam says whether a user was put into a team, whenever that holds.
func InTeam(s *access.Snapshot, user fact.UserID, id fact.GroupID) bool {
	return slices.ContainsFunc(s.JoinedTo(fact.Member{User: user}), func(l access.Link) bool { return !l.ByRule() && l.Group() == id })
}
