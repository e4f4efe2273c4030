package fact

// OwnWords says that something is given on one's own alone; blank where it is not.
func OwnWords(own bool) string {
	if own {
		return ", on their own alone"
	}
	return ""
}

// ActionWords are actions, or other words, as a list in a sentence: "read, update and
// release".
func ActionWords(actions []string) string {
	out := ""
	for i, a := range actions {
		if a == AllActions {
			a = "do everything on"
		}
		switch {
		case i == 0:
		case i == len(actions)-1:
			out += " and "
		default:
			out += ", "
		}
		out += a
	}
	return out
}
