package fact

func OwnWords(own bool) string {
	if own {
		return ", on their own alone"
	}
	return ""
}

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
