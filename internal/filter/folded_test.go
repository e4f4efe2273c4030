package filter

import (
	"math/rand/v2"
	"strings"
	"testing"
)

// Comparing no farther than is needed comes to what comparing in small letters does, whatever
// letters there are.
func TestComparingStopsWhereItMay(t *testing.T) {
	signs := []rune("aAbBzZ kKſſßİıÉé\u212a\u0301-.9")
	text := func(r *rand.Rand) string {
		out := make([]rune, r.IntN(6))
		for i := range out {
			out[i] = signs[r.IntN(len(signs))]
		}
		return string(out)
	}
	r := rand.New(rand.NewPCG(7, 9))
	seen := map[bool]int{}
	for range 200_000 {
		v, want := text(r), strings.ToLower(text(r))
		low := strings.ToLower(v)
		for o, is := range map[Operator]bool{Equal: low == want, StartsWith: strings.HasPrefix(low, want), EndsWith: strings.HasSuffix(low, want), Contains: strings.Contains(low, want), NotEqual: low != want} {
			if got := compareText(o, v, want, true); got != is {
				t.Fatalf("%q %s %q: %v, want %v", v, o, want, got, is)
			}
			seen[is]++
		}
	}
	if seen[true] < 10_000 || seen[false] < 10_000 {
		t.Errorf("tried %v", seen)
	}
}
