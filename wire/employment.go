package wire

import "time"

// EmploymentType is a kind of people by how they work here.
type EmploymentType struct {
	ID       string `json:"id"`
	Key      string `json:"key" doc:"as users have it"`
	Label    string `json:"label"`
	External bool   `json:"external,omitempty" doc:"they work for another company: company, sponsor (manager) and last day are required"`
	MaxDays  int    `json:"max_days,omitempty" doc:"how many days ahead the last day may lie at most; the sponsor extends within it"`
	Closed   bool   `json:"closed,omitempty" doc:"they have access only while somebody has opened it"`
	MaxHours int    `json:"max_hours,omitempty" doc:"for how many hours it is opened at most"`
	Ended    bool   `json:"ended,omitempty"`
	Users    int    `json:"user_count" doc:"users of it, of those the caller may read"`
}

// EmploymentTypeList is the employment types; without one, those of users are free texts.
type EmploymentTypeList struct {
	Basis
	Types []EmploymentType `json:"types"`
}

// Opening is a time for which closed access is open.
type Opening struct {
	From      *time.Time `json:"from,omitempty"`
	Until     *time.Time `json:"until,omitempty"`
	Reference string     `json:"reference" doc:"where it was asked for, such as the number of a ticket"`
	Open      bool       `json:"open" doc:"at the instant judged"`
}

// Sponsored is somebody who works for another company, or whose access is closed, and who
// reports to the caller.
type Sponsored struct {
	User       Ref      `json:"user"`
	Company    string   `json:"company,omitempty"`
	Employment string   `json:"employment_type" doc:"what people call it"`
	EndDate    string   `json:"end_date,omitempty" format:"date" doc:"the last day"`
	Latest     string   `json:"latest,omitempty" format:"date" doc:"to which day the caller may extend them today"`
	Closed     bool     `json:"closed,omitempty" doc:"they have access only while somebody has opened it"`
	MaxHours   int      `json:"max_hours,omitempty" doc:"for how many hours it is opened at most"`
	Opening    *Opening `json:"opening,omitempty" doc:"the newest opening"`
}

// SponsoredList is whom the caller sponsors.
type SponsoredList struct {
	Basis
	People []Sponsored `json:"people"`
}
