package laws

import (
	"regexp"
	"strings"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
)

// Oracle answers as docs/concepts.md reads, by loops over the bare facts. It
// shares no code with the engine: no index, no closure, no matcher of its.
type Oracle struct {
	zone         *time.Location
	users        []*fact.User
	Groups       []*fact.Group
	memberships  []*fact.Membership
	applications []*fact.Application
	resources    []*fact.Resource
	Roles        []*fact.Role
	Inclusions   []*fact.Inclusion
	Permissions  []*fact.Permission
	Assignments  []*fact.Assignment
	fences       []*fact.Fence
	absences     []*fact.Absences
	types        []*fact.EmploymentType
	openings     []*fact.Opening
}

// OracleOf copies the facts of a snapshot out of its tables.
func OracleOf(s *access.Snapshot) *Oracle {
	o := &Oracle{zone: s.Zone(), absences: access.RecordFactsOf[*fact.Absences](s, fact.FactAbsences),
		types:    access.RecordFactsOf[*fact.EmploymentType](s, fact.FactEmploymentType),
		openings: access.RecordFactsOf[*fact.Opening](s, fact.FactOpening)}
	for i := range s.UserTable.Len() {
		o.users = keep(o.users, s.UserTable.Get(i).Fact)
	}
	for i := range s.GroupTable.Len() {
		o.Groups = keep(o.Groups, s.GroupTable.Get(i).Fact)
	}
	for i := range s.MembershipTable.Len() {
		o.memberships = keep(o.memberships, s.Membership(fact.MembershipID(i)))
	}
	for i := range s.ApplicationTable.Len() {
		o.applications = keep(o.applications, s.ApplicationTable.Get(i).Fact)
	}
	for i := range s.ResourceTable.Len() {
		o.resources = keep(o.resources, s.ResourceTable.Get(i).Fact)
	}
	for i := range s.RoleTable.Len() {
		o.Roles = keep(o.Roles, s.RoleTable.Get(i).Fact)
	}
	for i := range s.InclusionTable.Len() {
		o.Inclusions = keep(o.Inclusions, s.InclusionTable.Get(i).Fact)
	}
	for i := range s.PermissionTable.Len() {
		o.Permissions = keep(o.Permissions, s.PermissionTable.Get(i).Fact)
	}
	for i := range s.AssignmentTable.Len() {
		o.Assignments = keep(o.Assignments, s.Assignment(fact.AssignmentID(i)))
	}
	for i := range s.FenceTable.Len() {
		o.fences = keep(o.fences, s.FenceTable.Get(i).Fact)
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

// CoversNaively says whether a pattern covers a path, segment by segment.
func CoversNaively(pattern, path string) bool {
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

// Effective says whether a user counts at an instant.
func (o *Oracle) Effective(u *fact.User, at calendar.Instant) bool {
	if u.Status != fact.Active {
		return false
	}
	// The day the wall clock shows, compared as text.
	day := time.UnixMicro(int64(at)).In(o.zone).Format("2006-01-02")
	for _, f := range o.absences {
		for _, a := range f.List {
			if f.User == u.ID && day >= a.Start.String() && (a.End == 0 || day <= a.End.String()) {
				return false
			}
		}
	}
	for _, t := range o.types {
		if t.Closed && !t.Ended && u.UserKind == fact.Person && strings.EqualFold(t.Key, u.Employment) {
			open := false
			for _, x := range o.openings {
				open = open || x.User == u.ID && at >= x.From && at < x.Until
			}
			if !open {
				return false
			}
		}
	}
	return (u.Start == 0 || day >= u.Start.String()) && (u.End == 0 || day <= u.End.String())
}

func (o *Oracle) registered(app fact.ApplicationID, path string) *fact.Resource {
	for _, r := range o.resources {
		if r.Application == app && r.Path == path {
			return r
		}
	}
	return nil
}

// Exists says whether a path is registered, or below an open resource.
func (o *Oracle) Exists(app fact.ApplicationID, path string) bool {
	segments := segmentsOf(path)
	found := false
	for n := len(segments); n >= 0; n-- {
		at := "/"
		if n > 0 {
			at = strings.Join(segments[:n], "/")
		}
		r := o.registered(app, at)
		if r != nil && r.Retired {
			return false
		}
		if r != nil && (n == len(segments) || r.Open) {
			found = true
		}
	}
	return found
}

// way is what lies between a user and a permission.
type way struct {
	windows    []calendar.Window
	assignment *fact.Assignment
	permission *fact.Permission
}

// ways are all of them whose actions and pattern fit, whatever else fails.
func (o *Oracle) ways(user *fact.User, app fact.ApplicationID, action, path string) []way {
	var out []way
	var role func(id fact.RoleID, w way)
	role = func(id fact.RoleID, w way) {
		for _, r := range o.Roles {
			if r.ID == id && r.Retired {
				return
			}
		}
		for _, p := range o.Permissions {
			if p.Role == id && p.Application == app && CoversNaively(p.Pattern, path) && (In(p.Actions, action) || In(p.Actions, "*")) {
				out = append(out, way{w.windows, w.assignment, p})
			}
		}
		for _, i := range o.Inclusions {
			if i.Role == id {
				role(i.Included, w)
			}
		}
	}
	held := func(by fact.Assignee, windows []calendar.Window) {
		for _, a := range o.Assignments {
			if a.Assignee == by {
				role(a.Role, way{append(windows[:len(windows):len(windows)], a.Window), a, nil})
			}
		}
	}
	held(fact.Assignee{Group: fact.PublicGroup}, nil)
	if user == nil {
		return out
	}
	if user.UserKind == fact.Person {
		held(fact.Assignee{Group: fact.AllUsersGroup}, nil)
	}
	o.Up(fact.Member{User: user.ID}, nil, held)
	for _, g := range o.Groups {
		if ChosenNaively(g.Filter, user) {
			o.Up(fact.Member{Group: g.ID}, nil, held)
		}
	}
	return out
}

// Rules are the filters that random groups have, and what they mean.
var Rules = map[string]func(*fact.User) bool{
	`unit eq "marine"`:                          func(u *fact.User) bool { return u.Unit == "marine" },
	`within eq "marine"`:                        func(u *fact.User) bool { return u.Unit == "marine" || strings.HasPrefix(u.Unit, "marine/") },
	`kind eq "service" or unit eq "finance"`:    func(u *fact.User) bool { return u.UserKind == fact.Service || u.Unit == "finance" },
	`status eq "active" and not (unit pr)`:      func(u *fact.User) bool { return u.Status == fact.Active && u.Unit == "" },
	`end_date lt "2026-04-01" or start_date pr`: func(u *fact.User) bool { return u.End != 0 && u.End.String() < "2026-04-01" || u.Start != 0 },
	`grade eq "a" or ticket eq "a"`: func(u *fact.User) bool {
		return strings.EqualFold(u.Custom.Get("grade"), "a") || u.Custom.Get("ticket") == "a"
	},
	`bonus ge 5 and desk sw "m"`: func(u *fact.User) bool {
		return u.Custom.Get("bonus") == "7.5" && strings.HasPrefix(u.Custom.Get("desk"), "M")
	},
	`title co "PILOT" and within ne "marine/tugs"`: func(u *fact.User) bool { return strings.Contains(u.Title, "pilot") && u.Unit != "marine/tugs" },
}

// ChosenNaively says whether one of the filters that Chance writes chooses a user.
func ChosenNaively(filter string, u *fact.User) bool {
	means := Rules[filter]
	return means != nil && means(u)
}

// Up calls yield for a member and for every group above it, with the windows
// on the way, once for each way.
func (o *Oracle) Up(m fact.Member, windows []calendar.Window, yield func(fact.Member, []calendar.Window)) {
	yield(m, windows)
	for _, f := range o.memberships {
		if f.Member == m {
			o.Up(fact.Member{Group: f.Group}, append(windows[:len(windows):len(windows)], f.Window), yield)
		}
	}
}

// In says whether a text is among some.
func In(all []string, x string) bool {
	for _, y := range all {
		if x == y {
			return true
		}
	}
	return false
}

// code is the last of the codes that a way fails, "" when it holds.
func (o *Oracle) code(w way, user *fact.User, q access.Question) access.Reason {
	code := access.Reason("")
	if w.permission.Own && (user == nil || q.Owner == "" || !strings.EqualFold(q.Owner, user.UserName) && q.Owner != user.ID.String()) {
		code = access.NotOwner
	}
	if w.assignment.Schedule != nil && !ScheduledNaively(w.assignment.Schedule, q.At) {
		code = access.OutsideSchedule
	}
	for _, x := range w.windows {
		if q.At < x.From {
			code = access.NotYet
		}
	}
	for _, x := range w.windows {
		if x.Until != 0 && q.At >= x.Until {
			code = access.Ended
		}
	}
	if len(w.assignment.Scopes) > 0 {
		inside := false
		for _, x := range w.assignment.Scopes {
			inside = inside || x.Application == w.permission.Application && CoversNaively(x.Pattern, q.Path)
		}
		if !inside {
			code = access.OutOfScope
		}
	}
	for _, f := range o.fences {
		if f.Application == w.permission.Application && (In(f.Actions, q.Action) || In(f.Actions, "*")) &&
			CoversNaively(f.Pattern, q.Path) && !insideNaively(f.Pattern, w.permission.Pattern) {
			code = access.Fenced
		}
	}
	return code
}

// insideNaively says whether a permission's pattern lies inside a fence's.
func insideNaively(fence, permission string) bool {
	f, p := segmentsOf(fence), segmentsOf(permission)
	if len(p) < len(f) {
		return false
	}
	for i := range f {
		if !segmentFits(f[i], strings.ReplaceAll(p[i], "*", "\x01")) {
			return false
		}
	}
	return true
}

// ScheduledNaively reads the wall clock as text.
func ScheduledNaively(s *calendar.Schedule, at calendar.Instant) bool {
	x := s.Text()
	zone, err := time.LoadLocation(x.TimeZone)
	if err != nil {
		panic(err)
	}
	local := time.UnixMicro(int64(at)).In(zone)
	clock := local.Format("15:04")
	today := strings.ToLower(local.Weekday().String()[:3])
	yesterday := strings.ToLower(((local.Weekday() + 6) % 7).String()[:3])
	if x.From < x.Until {
		return In(x.Days, today) && clock >= x.From && clock < x.Until
	}
	return In(x.Days, today) && clock >= x.From || In(x.Days, yesterday) && clock < x.Until
}

// Order is that of the codes of chains.
var Order = []access.Reason{access.NotOwner, access.OutsideSchedule, access.NotYet, access.Ended, access.OutOfScope, access.Fenced}

// Check answers a question whose path is well formed.
func (o *Oracle) Check(q access.Question) access.Decision {
	var app *fact.Application
	for _, a := range o.applications {
		if a.Key == q.Application {
			app = a
		}
	}
	if app == nil {
		return access.Decision{Reason: access.ApplicationUnknown}
	}
	var user *fact.User
	for _, u := range o.users {
		if q.User != "" && strings.EqualFold(u.UserName, q.User) {
			user = u
		}
	}
	trial := false
	if app.State == fact.StateDraft && app.Trial != 0 && user != nil {
		trial = app.Trial == fact.PublicGroup || app.Trial == fact.AllUsersGroup && user.UserKind == fact.Person
		found := func(m fact.Member, windows []calendar.Window) {
			holds := m.Group == app.Trial
			for _, w := range windows {
				holds = holds && q.At >= w.From && (w.Until == 0 || q.At < w.Until)
			}
			trial = trial || holds
		}
		o.Up(fact.Member{User: user.ID}, nil, found)
		for _, g := range o.Groups {
			if ChosenNaively(g.Filter, user) {
				o.Up(fact.Member{Group: g.ID}, nil, found)
			}
		}
	}
	if app.State == fact.StateRetired || app.State == fact.StateDraft && !trial {
		return access.Decision{Reason: access.ApplicationNotLive}
	}
	if q.User != "" {
		if user == nil {
			return access.Decision{Reason: access.UserUnknown}
		}
		if !o.Effective(user, q.At) {
			return access.Decision{Reason: access.UserInactive}
		}
	}
	live := o.live(app, user, q)
	if app.State == fact.StateRehearsal && user != nil && !live.Allowed {
		return access.Decision{Allowed: true, Reason: access.Rehearsal}
	}
	return live
}

func (o *Oracle) live(app *fact.Application, user *fact.User, q access.Question) access.Decision {
	if !o.Exists(app.ID, q.Path) {
		return access.Decision{Reason: access.ResourceUnknown}
	}
	declared := false
	for _, a := range app.Actions {
		declared = declared || a.Key == q.Action
	}
	if !declared {
		return access.Decision{Reason: access.ActionUnknown}
	}
	codes := map[access.Reason]bool{}
	for _, w := range o.ways(user, app.ID, q.Action, q.Path) {
		codes[o.code(w, user, q)] = true
	}
	if codes[""] {
		return access.Decision{Allowed: true, Reason: access.Granted}
	}
	if user == nil {
		return access.Decision{Reason: access.NotSignedIn}
	}
	for _, c := range Order {
		if codes[c] {
			return access.Decision{Reason: c}
		}
	}
	return access.Decision{Reason: access.NoGrant}
}
