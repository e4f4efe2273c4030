package fact

// FactSoDRule is the kind of SoD rule rules.
var FactSoDRule = RecordKind("sod_rule")

// SoD rule is a rule that nobody may hold all of some roles at the same time,
// in whatever way: by assignment, group, inclusion or default.
type SoDRule struct {
	Lifetime
	ID          SoDRuleID `json:"-"`
	Key         string    `json:"key"`
	Label       string    `json:"label"`
	Description string    `json:"description,omitempty"` // why not, in plain words
	Roles       []RoleID  `json:"roles"`                 // two or more
	Prevent     bool      `json:"prevent,omitempty"`     // refuse what would bring it about; else warn
	Ended       bool      `json:"ended,omitempty"`
}

// Kind and Row identify it.
func (*SoDRule) Kind() FactKind { return FactSoDRule }
func (f *SoDRule) Row() uint32  { return uint32(f.ID) }

// Name and Over implement Keyed.
func (f *SoDRule) Name() string { return f.Key }
func (f *SoDRule) Over() bool   { return f.Ended }
