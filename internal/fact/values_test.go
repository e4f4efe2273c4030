package fact_test

import (
	"maps"
	"math/rand/v2"
	"testing"

	"ableroster/internal/fact"
)

// What is kept in one text is what a map would keep.
func TestValuesAreAMap(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	attributes := []*fact.Attribute{{Key: "a", Type: fact.TextValue}, {Key: "ab", Type: fact.NumberValue}, {Key: "a_b", Type: fact.DateValue}, {Key: "z", Type: fact.TextValue, CaseExact: true}}
	var v fact.Values
	naive := map[string]string{}
	for range 5000 {
		a := attributes[rng.IntN(len(attributes))]
		text := []string{"", "1", "22", "x=y", "a", "=", "…"}[rng.IntN(7)]
		if v = v.With(a, text); text == "" {
			delete(naive, a.Key)
		} else {
			naive[a.Key] = text
		}
		if got := maps.Collect(v.All()); !maps.Equal(got, naive) {
			t.Fatalf("holds %v, want %v", got, naive)
		}
		for _, a := range attributes {
			if v.Get(a.Key) != naive[a.Key] || (v.Typed(a.Key) == nil) != (naive[a.Key] == "") {
				t.Fatalf("%s is %q, want %q of %q", a.Key, v.Get(a.Key), naive[a.Key], v)
			}
		}
	}
}
