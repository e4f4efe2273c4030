package seeing

import "strings"

// Listed are words as a list in a sentence: "a, b and c".
func Listed(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}
