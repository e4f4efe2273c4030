package command

import (
	"fmt"
	"strings"
)

// Described is what an option says of somebody who is not there yet, such as
// "unit=marine/pilotage,title=Harbour pilot": by attribute, nil for nothing.
func Described(text string) (map[string]string, error) {
	if text == "" {
		return nil, nil
	}
	out := map[string]string{}
	for pair := range strings.SplitSeq(text, ",") {
		name, value, ok := strings.Cut(pair, "=")
		if !ok {
			return nil, WrongUse(fmt.Sprintf("-would-be: %q is not name=value", pair))
		}
		out[strings.TrimSpace(name)] = strings.TrimSpace(value)
	}
	return out, nil
}
