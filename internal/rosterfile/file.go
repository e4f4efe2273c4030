package rosterfile

// Version is that of the form below. A file of a later one is refused.
const Version = 1

// File is a roster file.
type File struct {
	Version      int                    `json:"roster_file" doc:"the version of this form: 1"`
	Organisation *Organisation          `json:"organisation,omitempty"`
	Employment   map[string]Employment  `json:"employment_types,omitempty" doc:"the kinds of people by how they work here, by key as users have it"`
	Units        map[string]Unit        `json:"units,omitempty" doc:"the parts of the organisation, by path such as marine/pilotage"`
	Attributes   map[string]Attribute   `json:"attributes,omitempty" doc:"of users, that the organisation declares itself, by key"`
	Applications map[string]Application `json:"applications,omitempty" doc:"by key"`
	Roles        map[string]Role        `json:"roles,omitempty" doc:"those of the organisation, by key"`
	Groups       map[string]Group       `json:"groups,omitempty" doc:"by key; public and all-users are built in and only hold roles"`
	Defaults     map[string]Default     `json:"defaults,omitempty" doc:"default rules, by key"`
	TeamRules    map[string]TeamRule    `json:"team_rules,omitempty" doc:"who may open teams, by key"`
	SignUpRules  map[string]SignUpRule  `json:"sign_up_rules,omitempty" doc:"who may sign up by themselves, by mail domain"`
	SoDRules     map[string]SoDRule     `json:"sod_rules,omitempty" doc:"roles nobody may combine, by key"`
	Routes       map[string]Route       `json:"routes,omitempty" doc:"who approves requests, by key"`
	Expectations map[string]Expectation `json:"expectations,omitempty" doc:"checks that must keep holding, by key"`
}

// Organisation is its name and the time zone in which its days begin.
type Organisation struct {
	Name     string `json:"name"`
	TimeZone string `json:"time_zone" doc:"IANA name"`
}

// Application is what one application protects, and the roles in it.
type Application struct {
	Label       *string             `json:"label,omitempty"`
	Description *string             `json:"description,omitempty"`
	State       *string             `json:"state,omitempty" enum:"draft,rehearsal,live,retired" doc:"draft for a new one"`
	Owner       *string             `json:"owner,omitempty" doc:"user name of its owner"`
	TrialGroup  *string             `json:"trial_group,omitempty" doc:"whose members are judged as if it were live while it is a draft"`
	Direct      *string             `json:"direct_assignments,omitempty" enum:"welcome,warned,refused" doc:"whether its roles are given to users themselves"`
	Actions     []Action            `json:"actions,omitempty" doc:"all words that can be done in it, in their order"`
	Resources   map[string]Resource `json:"resources,omitempty" doc:"by path; / is the application itself"`
	Fences      []Fence             `json:"fences,omitempty" doc:"all there are"`
	Roles       map[string]Role     `json:"roles,omitempty" doc:"by key"`
}

// Action is a word an application declares.
type Action struct {
	Key         string `json:"key"`
	Label       string `json:"label,omitempty"`
	Description string `json:"description,omitempty"`
}

// Resource is one thing an application protects.
type Resource struct {
	Kind        *string  `json:"kind,omitempty" doc:"in your own words: screen, register, report"`
	Label       *string  `json:"label,omitempty"`
	Description *string  `json:"description,omitempty"`
	Open        *bool    `json:"open,omitempty" doc:"what lies below need not be registered"`
	Retired     *bool    `json:"retired,omitempty"`
	Addresses   []string `json:"addresses,omitempty" doc:"all addresses under which it is served"`
}

// Fence keeps a pattern from what was written for something wider.
type Fence struct {
	Pattern string   `json:"pattern"`
	Actions []string `json:"actions" doc:"declared actions, or * for all"`
	Why     string   `json:"why,omitempty"`
}

// Role carries permissions and may include other roles.
type Role struct {
	Label       *string      `json:"label,omitempty"`
	Description *string      `json:"description,omitempty"`
	Owner       *string      `json:"owner,omitempty" doc:"user name of its owner"`
	Risk        *string      `json:"risk,omitempty" enum:",low,medium,high"`
	MaxDays     *int         `json:"max_days,omitempty" minimum:"0" maximum:"3650" doc:"days an assignment may last at most; 0: without end"`
	HeldWithin  *string      `json:"held_within,omitempty" doc:"the unit within which alone it may be held; blank: anywhere"`
	MaxShares   *int         `json:"max_shares,omitempty" minimum:"0" maximum:"1000" doc:"with how many users it may be shared within one resource at most; 0: it is not shareable"`
	Retired     *bool        `json:"retired,omitempty"`
	Permissions []Permission `json:"permissions,omitempty" doc:"all it carries itself"`
	Includes    []string     `json:"includes,omitempty" doc:"all roles it includes: a key of the same application, or application/key"`
	Requestable *Requestable `json:"requestable,omitempty" doc:"it is requestable"`
}

// Permission lets a role do actions on what a pattern covers.
type Permission struct {
	Application string   `json:"application,omitempty" doc:"the role's own by default"`
	Actions     []string `json:"actions" doc:"declared actions, or * for all, later ones too"`
	On          string   `json:"pattern" doc:"a path whose segments may contain *"`
	Own         bool     `json:"own,omitempty" doc:"only on what is the user's own"`
}

// Requestable makes a role one that people may ask for.
type Requestable struct {
	Words   string `json:"words" doc:"what one can do with it, in the words of who would ask"`
	Route   string `json:"route" doc:"who approves: the key of a route"`
	MaxDays int    `json:"max_days,omitempty" minimum:"0" maximum:"3650" doc:"days it is given for at most"`

	Translations []Translation `json:"translations,omitempty" doc:"what it is called in other languages, and what one can do with it"`
}

// Translation is a requestable role in a language.
type Translation struct {
	Language string `json:"language" doc:"as RFC 5646 has it: pt, or pt-BR"`
	Label    string `json:"label,omitempty"`
	Words    string `json:"words,omitempty"`
}

// Group is users and other groups. Its users are in no roster file.
type Group struct {
	Label       *string   `json:"label,omitempty"`
	Description *string   `json:"description,omitempty"`
	Unit        *string   `json:"unit,omitempty"`
	Owner       *string   `json:"owner,omitempty" doc:"user name of its owner"`
	Filter      *string   `json:"filter,omitempty" doc:"whom it chooses beside its listed members (RFC 7644, section 3.4.2.2)"`
	HeldWithin  *string   `json:"held_within,omitempty" doc:"the unit within which alone somebody may be in it; blank: anywhere"`
	In          []string  `json:"in,omitempty" doc:"all groups it lies in itself"`
	Holds       []Holding `json:"holds,omitempty" doc:"all roles it is given"`
}

// Holding is a role that a group is given, and with what limits.
type Holding struct {
	Role     string    `json:"role" doc:"application/key, or the key of a role of the organisation"`
	From     string    `json:"from,omitempty" doc:"RFC 3339"`
	Until    string    `json:"until,omitempty" doc:"RFC 3339"`
	Scopes   []Scope   `json:"scopes,omitempty"`
	Schedule *Schedule `json:"schedule,omitempty"`
}

// Scope limits what is given to what a pattern covers.
type Scope struct {
	Application string `json:"application"`
	Pattern     string `json:"pattern"`
}

// Schedule is when in the week something holds.
type Schedule struct {
	Days     []string `json:"days" doc:"mon to sun"`
	From     string   `json:"from" doc:"HH:MM"`
	Until    string   `json:"until" doc:"HH:MM; at or before from: past midnight"`
	TimeZone string   `json:"time_zone" doc:"IANA name"`
}

// Default gives roles and groups to those a filter chooses.
type Default struct {
	Label       *string  `json:"label,omitempty"`
	Description *string  `json:"description,omitempty"`
	Everybody   bool     `json:"everybody,omitempty" doc:"for every person; else a filter says for whom"`
	Filter      string   `json:"filter,omitempty"`
	Roles       []string `json:"roles,omitempty"`
	Groups      []string `json:"groups,omitempty"`
	Owner       string   `json:"owner,omitempty" doc:"user name; left alone without one"`
	Order       int      `json:"order,omitempty" doc:"rules of a lower order come first"`
	Final       bool     `json:"final,omitempty" doc:"whom it chooses is given nothing by the rules after it"`
	From        string   `json:"from,omitempty" doc:"RFC 3339: when it begins to give"`
	Until       string   `json:"until,omitempty" doc:"RFC 3339: when it ends giving"`
	Scopes      []Scope  `json:"scopes,omitempty" doc:"what its roles give only; an attribute in braces stands for the user's value"`
	AfterDays   int      `json:"after_days,omitempty" doc:"what it gives begins so many days after the user's first day"`
	LastsDays   int      `json:"lasts_days,omitempty" doc:"what it gives lasts so many days"`
	OverlapDays int      `json:"overlap_days,omitempty" doc:"whoever moves keeps what it gave at the old place for so many days"`
}

// SoD rule is roles nobody may combine.
type SoDRule struct {
	Label       *string  `json:"label,omitempty"`
	Description *string  `json:"description,omitempty"`
	Roles       []string `json:"roles"`
	Prevent     bool     `json:"prevent,omitempty" doc:"refuse what would bring it about; else warn"`
}

// Route is who approves, step by step.
type Route struct {
	Label *string `json:"label,omitempty"`
	Steps []Step  `json:"steps"`
}

// Step is one decision of a route.
type Step struct {
	Whose string   `json:"whose" enum:"manager,unit_head,owner,group,users"`
	Group string   `json:"group,omitempty"`
	Users []string `json:"users,omitempty" doc:"user names"`
	All   bool     `json:"all,omitempty" doc:"every one of them must approve"`
}

// Expectation is a saved check that must keep holding.
type Expectation struct {
	Label       string            `json:"label,omitempty" doc:"a plain sentence"`
	Description string            `json:"description,omitempty"`
	User        string            `json:"user,omitempty" doc:"whom it is about: a user"`
	Group       string            `json:"group,omitempty" doc:"or each member of a group"`
	Except      bool              `json:"except,omitempty" doc:"or everybody but them"`
	Nobody      bool              `json:"nobody,omitempty" doc:"or nobody signed in"`
	WouldBe     map[string]string `json:"would_be,omitempty" doc:"or a new user who is like this, on their first day: by the keys of attributes"`
	Application string            `json:"application"`
	Action      string            `json:"action"`
	On          string            `json:"pattern" doc:"a path whose segments may contain *"`
	May         bool              `json:"may,omitempty" doc:"they may, on all of it; else they may not, on any of it"`
	Blocking    bool              `json:"blocking,omitempty" doc:"refuse what would break it; else warn"`
	Owner       string            `json:"owner,omitempty" doc:"user name"`
}
