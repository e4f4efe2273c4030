package change

import "ableroster/internal/fact"

// CheckTexts files the faults of a label, which is the key when not given,
// and a description.
func (d *Draft) CheckTexts(label *string, key, description string) {
	if *label == "" {
		*label = key
	}
	if m := fact.CheckLabel(*label, 200); m != "" {
		d.Fault("label", "%s", m)
	} else if m := mixture(*label); m != "" {
		d.Judged("label", "mixes %s letters within a word, so that it looks like another name", m)
	}
	if m := fact.CheckLabel(description, 2000); m != "" {
		d.Fault("description", "%s", m)
	}
}
