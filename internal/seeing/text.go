package seeing

import (
	"fmt"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Gone says whether somebody has departed.
func (v *View) Gone(id fact.UserID) bool {
	u := v.snapshot.User(id)
	return u != nil && u.Status == fact.Departed
}

// ScopesText are scopes as a file has them.
func (v *View) ScopesText(scopes []fact.Scope) string {
	var out []string
	for _, s := range scopes {
		out = append(out, v.snapshot.Application(s.Application).Key+":"+s.Pattern)
	}
	return strings.Join(out, ";")
}

// ScheduleText is a schedule as a file has it, blank for none.
func ScheduleText(s *calendar.Schedule) string {
	if s == nil {
		return ""
	}
	days, from, until, zone := s.Parts()
	return fmt.Sprintf("%s %s-%s %s", strings.Join(days, ","), from, until, zone)
}
