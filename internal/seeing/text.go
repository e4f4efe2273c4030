package seeing

import (
	"fmt"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

func (v *View) Gone(id fact.UserID) bool {
	u := v.snapshot.User(id)
	return u != nil && u.Status == fact.Departed
}

func (v *View) ScopesText(scopes []fact.Scope) string {
	var out []string
	for _, s := range scopes {
		out = append(out, v.snapshot.Application(s.Application).Key+":"+s.Pattern)
	}
	return strings.Join(out, ";")
}

func ScheduleText(s *calendar.Schedule) string {
	if s == nil {
		return ""
	}
	days, from, until, zone := s.Parts()
	return fmt.Sprintf("%s %s-%s %s", strings.Join(days, ","), from, until, zone)
}
