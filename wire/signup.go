package wire

// SignUpRequest asks to sign up by one's own address.
type SignUpRequest struct {
	Email string `json:"email" maxLength:"254" doc:"one's own address: a link is mailed to it"`
}

// SignUpAccount signs up by the link that was mailed.
type SignUpAccount struct {
	Link        string `json:"link" maxLength:"200" doc:"what stands after # in it"`
	DisplayName string `json:"display_name" maxLength:"400" doc:"one's own name"`
	Password    string `json:"password"`
}

// SignUpRule lets whoever has an address in a mail domain sign up by themselves.
type SignUpRule struct {
	ID         string `json:"id"`
	Domain     string `json:"domain" doc:"what comes after the @ of an address"`
	Unit       string `json:"unit,omitempty" doc:"the unit of whoever signs up"`
	Employment string `json:"employment_type,omitempty"`
	Company    string `json:"company,omitempty"`
	Sponsor    *Ref   `json:"sponsor,omitempty" doc:"whom they report to"`
	Days       int    `json:"days,omitempty" doc:"how many days after they signed up is their last day; without it they have none"`
	SetBy      Ref    `json:"set_by" doc:"who set the rule: users are added on their authority, as it is then"`
	Rests      string `json:"rests,omitempty" doc:"why nobody can sign up by it as things are"`
	Ended      bool   `json:"ended,omitempty"`
}

// SignUpRuleList is who may sign up; without a rule that has not ended, nobody may.
type SignUpRuleList struct {
	Basis
	Rules []SignUpRule `json:"rules"`
}
