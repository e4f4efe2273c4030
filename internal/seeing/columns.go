package seeing

import "ableroster/internal/fact"

// ListColumns are what a list of users can show.
func (v *View) ListColumns() []string {
	out := []string{"name"}
	for i := range fact.UserAttributes {
		if key := fact.UserAttributes[i].Key; key != "display_name" {
			out = append(out, key)
		}
	}
	for _, f := range v.snapshot.Attributes() {
		if !f.Retired {
			out = append(out, f.Key)
		}
	}
	return out
}
