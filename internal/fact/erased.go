package fact

// Erased stands for personal values that were erased.
func Erased(id UserID) Personal {
	return Personal{UserName: "erased-" + id.String(), DisplayName: "a departed user"}
}
