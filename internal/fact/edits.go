package fact

// SetIf sets a value where one is given.
func SetIf[T any](to *T, from *T) {
	if from != nil {
		*to = *from
	}
}
