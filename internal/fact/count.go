package fact

import "strconv"

// Count says a number of things: "1 line", "3 lines".
func Count(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return strconv.Itoa(n) + " " + one + "s"
}
