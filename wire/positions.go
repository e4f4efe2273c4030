package wire

// Position is a place that a user has for a time, beside their own.
type Position struct {
	Position  int    `json:"position" doc:"its number among the user's"`
	Unit      string `json:"unit,omitempty"`
	Title     string `json:"title,omitempty"`
	Location  string `json:"location,omitempty"`
	StartDate string `json:"start_date" format:"date"`
	EndDate   string `json:"end_date" format:"date" doc:"the last day"`
	Former    bool   `json:"former,omitempty" doc:"the place that they moved from: default rules let what they gave there overlap"`
}

// Absence is a time during which a user counts nowhere.
type Absence struct {
	Absence   int    `json:"absence" doc:"its number among the user's"`
	StartDate string `json:"start_date" format:"date"`
	EndDate   string `json:"end_date,omitempty" format:"date" doc:"the last day; without one it lasts until it is ended"`
}

// Substitute is somebody who decides on requests and reviews in a user's place for a time.
type Substitute struct {
	Number     int    `json:"number" doc:"its number among the user's"`
	Substitute Ref    `json:"substitute" doc:"who decides"`
	StartDate  string `json:"start_date" format:"date"`
	EndDate    string `json:"end_date" format:"date" doc:"the last day"`
}
