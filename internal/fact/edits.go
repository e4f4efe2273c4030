package fact

func SetIf[T any](to *T, from *T) {
	if from != nil {
		*to = *from
	}
}
