package access

import (
	"regexp"
	"strings"
	"time"
)

// oracle answers as DESIGN section 3 reads, by loops over the bare facts. It
// shares no code with the engine: no index, no closure, no matcher of its.
type oracle struct {
	zone         *time.Location
	users        []*User
	groups       []*Group
	memberships  []*Membership
	applications []*Application
	resources    []*Resource
	roles        []*Role
	inclusions   []*Inclusion
	permissions  []*Permission
	assignments  []*Assignment
}

// oracleOf copies the facts of a snapshot out of its tables.
func oracleOf(s *Snapshot) *oracle {
	o := &oracle{zone: s.zone}
	for i := range s.users.Len() {
		o.users = keep(o.users, s.users.Get(i).fact)
	}
	for i := range s.groups.Len() {
		o.groups = keep(o.groups, s.groups.Get(i).fact)
	}
	for i := range s.memberships.Len() {
		o.memberships = keep(o.memberships, s.memberships.Get(i).fact)
	}
	for i := range s.applications.Len() {
		o.applications = keep(o.applications, s.applications.Get(i).fact)
	}
	for i := range s.resources.Len() {
		o.resources = keep(o.resources, s.resources.Get(i).fact)
	}
	for i := range s.roles.Len() {
		o.roles = keep(o.roles, s.roles.Get(i).fact)
	}
	for i := range s.inclusions.Len() {
		o.inclusions = keep(o.inclusions, s.inclusions.Get(i).fact)
	}
	for i := range s.permissions.Len() {
		o.permissions = keep(o.permissions, s.permissions.Get(i).fact)
	}
	for i := range s.assignments.Len() {
		o.assignments = keep(o.assignments, s.assignments.Get(i).fact)
	}
	return o
}

func keep[T any](all []*T, f *T) []*T {
	if f == nil {
		return all
	}
	return append(all, f)
}

func segmentsOf(path string) []string {
	if path == "/" {
		return nil
	}
	return strings.Split(path, "/")
}

var segmentPatterns = map[string]*regexp.Regexp{}

func segmentFits(pattern, segment string) bool {
	re := segmentPatterns[pattern]
	if re == nil {
		re = regexp.MustCompile("(?s)^" + strings.ReplaceAll(regexp.QuoteMeta(pattern), `\*`, ".*") + "$")
		segmentPatterns[pattern] = re
	}
	return re.MatchString(segment)
}

func coversNaively(pattern, path string) bool {
	p, s := segmentsOf(pattern), segmentsOf(path)
	if len(p) > len(s) {
		return false
	}
	for i := range p {
		if !segmentFits(p[i], s[i]) {
			return false
		}
	}
	return true
}

func (o *oracle) effective(u *User, at Instant) bool {
	if u.Status != Active {
		return false
	}
	// The day the wall clock shows, compared as text.
	day := time.UnixMicro(int64(at)).In(o.zone).Format("2006-01-02")
	return (u.Start == 0 || day >= u.Start.String()) && (u.End == 0 || day <= u.End.String())
}

func (o *oracle) registered(app ApplicationID, path string) *Resource {
	for _, r := range o.resources {
		if r.Application == app && r.Path == path {
			return r
		}
	}
	return nil
}

func (o *oracle) exists(app ApplicationID, path string) bool {
	if o.registered(app, path) != nil {
		return true
	}
	segments := segmentsOf(path)
	for n := len(segments) - 1; n >= 0; n-- {
		above := "/"
		if n > 0 {
			above = strings.Join(segments[:n], "/")
		}
		if r := o.registered(app, above); r != nil && r.Open {
			return true
		}
	}
	return false
}

// codes are the reason codes of all chains that fit, "" for one that holds.
func (o *oracle) codes(user *User, app ApplicationID, action, path string, at Instant) []Reason {
	var out []Reason
	var role func(id RoleID, windows []Window)
	role = func(id RoleID, windows []Window) {
		for _, r := range o.roles {
			if r.ID == id && r.Retired {
				return
			}
		}
		for _, p := range o.permissions {
			if p.Role != id || p.Application != app || !coversNaively(p.Pattern, path) {
				continue
			}
			for _, a := range p.Actions {
				if a == action || a == "*" {
					out = append(out, codeOf(windows, at))
					break
				}
			}
		}
		for _, i := range o.inclusions {
			if i.Role == id {
				role(i.Included, windows)
			}
		}
	}
	held := func(by Assignee, windows []Window) {
		for _, a := range o.assignments {
			if a.Assignee == by {
				role(a.Role, append(windows[:len(windows):len(windows)], a.Window))
			}
		}
	}
	held(Assignee{Group: PublicGroup}, nil)
	if user == nil {
		return out
	}
	if user.UserKind == Person {
		held(Assignee{Group: AllUsersGroup}, nil)
	}
	var up func(m Member, windows []Window)
	up = func(m Member, windows []Window) {
		held(m, windows)
		for _, f := range o.memberships {
			if f.Member == m {
				up(Member{Group: f.Group}, append(windows[:len(windows):len(windows)], f.Window))
			}
		}
	}
	up(Member{User: user.ID}, nil)
	return out
}

func codeOf(windows []Window, at Instant) Reason {
	code := Reason("")
	for _, w := range windows {
		if w.Until != 0 && at >= w.Until {
			return Ended
		}
		if at < w.From {
			code = NotYet
		}
	}
	return code
}

// check answers a question whose path is well formed.
func (o *oracle) check(q Question) Decision {
	var app *Application
	for _, a := range o.applications {
		if a.Key == q.Application {
			app = a
		}
	}
	if app == nil {
		return Decision{Reason: ApplicationUnknown}
	}
	if app.State != StateLive {
		return Decision{Reason: ApplicationNotLive}
	}
	var user *User
	if q.User != "" {
		for _, u := range o.users {
			if strings.EqualFold(u.UserName, q.User) {
				user = u
			}
		}
		if user == nil {
			return Decision{Reason: UserUnknown}
		}
		if !o.effective(user, q.At) {
			return Decision{Reason: UserInactive}
		}
	}
	if !o.exists(app.ID, q.Path) {
		return Decision{Reason: ResourceUnknown}
	}
	declared := false
	for _, a := range app.Actions {
		declared = declared || a.Key == q.Action
	}
	if !declared {
		return Decision{Reason: ActionUnknown}
	}
	best := NoGrant
	for _, c := range o.codes(user, app.ID, q.Action, q.Path, q.At) {
		switch {
		case c == "":
			return Decision{true, Granted}
		case c == NotYet:
			best = NotYet
		case c == Ended && best == NoGrant:
			best = Ended
		}
	}
	if user == nil {
		best = NotSignedIn
	}
	return Decision{Reason: best}
}
