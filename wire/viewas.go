package wire

// ViewAs is what somebody else can do in each application: a user, nobody
// signed in, or somebody who is not there yet. It is drawn under the rights of
// whoever looks.
type ViewAs struct {
	Basis
	Kind         string              `json:"kind" enum:"user,nobody,would_be"`
	Who          Ref                 `json:"who"`
	Effective    bool                `json:"effective" doc:"false: they can do nothing now"`
	Lines        []AccessLine        `json:"lines" doc:"all they can do, in the applications the caller may read"`
	Applications []ViewAsApplication `json:"applications"`
	Registers    []string            `json:"registers" doc:"what of Able Roster itself they would find: users, groups …"`
	Outside      bool                `json:"outside,omitempty" doc:"the caller does not see everything: there may be more in other applications"`
}

// ViewAsApplication is an application as somebody would meet it.
type ViewAsApplication struct {
	Application Ref        `json:"application"`
	State       string     `json:"state"`
	Total       int        `json:"total" doc:"resources there are"`
	Shows       []ViewAsOn `json:"shows" doc:"those on which they may do something now"`
}

// ViewAsOn is what may be done on one resource.
type ViewAsOn struct {
	Path    string   `json:"path"`
	Label   string   `json:"label"`
	Kind    string   `json:"kind,omitempty"`
	Actions []string `json:"actions"`
	Own     []string `json:"own,omitempty" doc:"actions on their own alone"`
	Missing []string `json:"missing,omitempty" doc:"declared actions they may not do there"`
}
