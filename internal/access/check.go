package access

// Question asks whether a user may do an action on a path at an instant. An
// empty User is nobody signed in. User and Application are names, keys or ids.
type Question struct {
	User        string
	Application string
	Action      string
	Path        string
	At          Instant
}

// Decision is the answer with its reason.
type Decision struct {
	Allowed bool
	Reason  Reason
}

func denied(r Reason) Decision { return Decision{Reason: r} }

// Check answers a question. A malformed path is an error, not a denial.
func (s *Snapshot) Check(q Question) (Decision, error) {
	d, _, err := s.check(q)
	return d, err
}

// asked is a question with its names resolved.
type asked struct {
	user   UserID
	app    ApplicationID
	action string
	path   string
	at     Instant
}

func (s *Snapshot) check(q Question) (Decision, asked, error) {
	a := asked{action: q.Action, path: q.Path, at: q.At}
	if err := CheckPath(q.Path); err != nil {
		return Decision{}, a, err
	}
	var ok bool
	if a.app, ok = s.FindApplication(q.Application); !ok {
		return denied(ApplicationUnknown), a, nil
	}
	app := s.Application(a.app)
	if app.State != StateLive {
		return denied(ApplicationNotLive), a, nil
	}
	if q.User != "" {
		if a.user, ok = s.FindUser(q.User); !ok {
			return denied(UserUnknown), a, nil
		}
		if !s.Effective(a.user, q.At) {
			return denied(UserInactive), a, nil
		}
	}
	if !s.known(a.app, q.Path) {
		return denied(ResourceUnknown), a, nil
	}
	if !app.declares(q.Action) {
		return denied(ActionUnknown), a, nil
	}
	if s.given(a) {
		return Decision{true, Granted}, a, nil
	}
	if a.user == 0 {
		return denied(NotSignedIn), a, nil
	}
	return denied(s.nearMiss(a)), a, nil
}

// given says whether any role held at the instant gives what is asked.
func (s *Snapshot) given(a asked) bool {
	if a.user != 0 && s.anyGives(s.users.At(int(a.user)).assignments, a) {
		return true
	}
	var buf [32]GroupID
	for _, g := range s.groupsAt(buf[:0], a.user, a.at) {
		if s.anyGives(s.groups.At(int(g)).assignments, a) {
			return true
		}
	}
	return false
}

func (s *Snapshot) anyGives(given []AssignmentID, a asked) bool {
	for _, id := range given {
		f := s.assignments.At(int(id)).fact
		if !f.Window.Holds(a.at) {
			continue
		}
		for _, r := range s.roles.At(int(f.Role)).closure {
			for _, p := range s.roles.At(int(r)).permissions {
				if s.permissions.At(int(p)).fact.fits(a) {
					return true
				}
			}
		}
	}
	return false
}

func (p *Permission) fits(a asked) bool {
	return p.Application == a.app && p.gives(a.action) && Covers(p.Pattern, a.path)
}

func (p *Permission) gives(action string) bool {
	for _, x := range p.Actions {
		if x == action || x == AllActions {
			return true
		}
	}
	return false
}
