package changing

import (
	"fmt"
	"strings"

	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/seeing"
)

// mostAlike is how many pairs of people who look alike are told by name.
const mostAlike = 5

// likely says who is added and looks like whom.
func likely(v *seeing.View, r effect.Rail) string {
	var says []string
	for i, id := range r.Users {
		if i == mostAlike {
			says = append(says, "and "+fact.Count(len(r.Users)-i, "pair")+" more")
			break
		}
		there := v.UserRef(id)
		says = append(says, fmt.Sprintf("%s looks like %s (%s), who is there already", r.Added[i], there.Label, there.Key))
	}
	return strings.Join(says, "; ") + ". If they are the same person, edit that one, or bring them back."
}
