package wire

// Unit is a part of the organisation.
type Unit struct {
	ID      string            `json:"id,omitempty" doc:"none: no unit was described there, people have it as a free text"`
	Path    string            `json:"path" doc:"such as marine/pilotage"`
	Label   string            `json:"label"`
	Head    *Ref              `json:"head,omitempty" doc:"who leads it"`
	LedBy   *Ref              `json:"led_by,omitempty" doc:"who leads it, or else the nearest unit above that has a head"`
	Users   int               `json:"users" doc:"how many of those the caller may read are in it itself, departed ones left out"`
	Holders int               `json:"holders,omitempty" doc:"how many of them hold the role that was asked about"`
	Custom  map[string]string `json:"custom,omitempty" doc:"values of declared attributes of units, by key"`
	Given   *Given            `json:"given,omitempty" doc:"who last changed it, and why"`
}

// UnitList is the organisation's tree, each unit after the one above it.
type UnitList struct {
	Basis
	Described bool   `json:"described" doc:"the organisation has described its units: what is none of them is refused"`
	Units     []Unit `json:"units"`
}
