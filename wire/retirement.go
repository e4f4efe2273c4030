package wire

// Retirement is what hangs on a role or an application that is to be retired, and what would
// settle it, to be put on a change sheet.
type Retirement struct {
	Basis
	Ties    []Tie      `json:"ties" doc:"what hangs on it, of what the caller may read"`
	Lines   []UndoLine `json:"lines" doc:"what settles them and retires it, in order"`
	More    bool       `json:"more,omitempty" doc:"there are more holders than one change takes: settle these first, and ask again; the retirement itself comes last"`
	Outside bool       `json:"outside,omitempty" doc:"there may be more, outside what the caller may see"`
}

// Tie is one thing that hangs on another.
type Tie struct {
	Kind  string `json:"kind" enum:"user,group,role,default,requestable,request,sod_rule,expectation,account,freeze" doc:"user and group: holds it; role: includes it, or gives something there; account: a machine account that checks access there"`
	Thing Ref    `json:"thing"`
	Words string `json:"words" doc:"how it hangs on it, and what becomes of it"`
}
