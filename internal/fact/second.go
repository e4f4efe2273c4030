package fact

// SecondPerson is for which changes a second person is needed: one prepares them, and
// another one, who may make them too, makes them.
type SecondPerson struct {
	OwnGains   bool `json:"own_gains" doc:"what its author gains"`
	HighRisk   bool `json:"high_risk_roles" doc:"changes that give a role of high risk"`
	Safeguards bool `json:"safeguards" doc:"what weakens an SoD rule, an expectation, this setting, or leaves fewer than two administrators"`
}
