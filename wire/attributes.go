package wire

// Attribute is an attribute of users that the organisation declared.
type Attribute struct {
	ID          string         `json:"id"`
	Key         string         `json:"key" doc:"as filters and files write it"`
	Label       string         `json:"label"`
	Description string         `json:"description,omitempty"`
	Type        string         `json:"type" enum:"text,number,date,truth"`
	CaseExact   bool           `json:"case_exact,omitempty"`
	Personal    bool           `json:"personal,omitempty" doc:"can be erased and gives no access; else a fact, kept for ever"`
	Required    bool           `json:"required,omitempty" doc:"of every person, or unit, that is added"`
	Identifies  bool           `json:"identifies,omitempty" doc:"no two people share a value"`
	Pattern     string         `json:"pattern,omitempty"`
	Allowed     []string       `json:"allowed,omitempty"`
	Fill        *AttributeFill `json:"fill,omitempty" doc:"what it is filled in from, by itself"`
	Retired     bool           `json:"retired,omitempty"`
	Having      int            `json:"having" doc:"users, or units, with a value, of those the caller may read"`
	Lacking     int            `json:"lacking" doc:"people without one who have not departed, or units"`
	Given       *Given         `json:"given,omitempty"`
}

// AttributeFill is what an attribute is filled in from.
type AttributeFill struct {
	From   string          `json:"from" enum:"unit,start_date,end_date"`
	Units  []AttributeUnit `json:"units,omitempty"`
	Months int             `json:"months,omitempty"`
	Words  string          `json:"words" doc:"in plain words"`
}

// AttributeUnit is the value that a unit gives.
type AttributeUnit struct {
	Unit  string `json:"unit"`
	Value string `json:"value"`
}

// AttributeList is the built-in attributes and all declared ones; retired ones last.
type AttributeList struct {
	Basis
	BuiltIn    []BuiltInAttribute `json:"built_in" doc:"what every user has, in the order of files"`
	Attributes []Attribute        `json:"attributes" doc:"of users, declared by the organisation"`
	OfUnits    []Attribute        `json:"unit_attributes" doc:"of units, declared by the organisation"`
}

// BuiltInAttribute is an attribute that every user has.
type BuiltInAttribute struct {
	Key      string   `json:"key" doc:"its field of a user, its column in files, its name in filters"`
	Label    string   `json:"label"`
	Hint     string   `json:"hint,omitempty"`
	Type     string   `json:"type" enum:"text,date"`
	OneOf    []string `json:"one_of,omitempty" doc:"the texts there may be; none: any"`
	Personal bool     `json:"personal,omitempty" doc:"can be erased, and gives no access"`
}

// Value is one that users have for an attribute.
type Value struct {
	Value   string `json:"value"`
	Users   int    `json:"users" doc:"how many of those the caller may read have it"`
	Holders int    `json:"holders,omitempty" doc:"how many of them hold the role that was asked about"`
}

// ValueList is the values that users have for an attribute.
type ValueList struct {
	Basis
	Values []Value `json:"values"`
}
