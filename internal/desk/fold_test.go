package desk

import (
	"math/rand/v2"
	"strings"
	"testing"
)

func TestMentionsIsWhatFoldingSays(t *testing.T) {
	rng := rand.New(rand.NewPCG(95, 96))
	some := func(alphabet []string, n int) (out string) {
		for range rng.IntN(n) {
			out += alphabet[rng.IntN(len(alphabet))]
		}
		return out
	}
	yes := 0
	for range 50_000 {
		text := some([]string{"a", "A", "n", "N", "É", "e", "Z", "z", " ", "[", "ß"}[:2+rng.IntN(10)], 12)
		letters := folded(some([]string{"a", "n", "e", "z", " ", "A", "É", "{"}, 4))
		want := strings.Contains(folded(text), letters)
		if got := mentions(text, letters); got != want {
			t.Fatalf("%q in %q: %v", letters, text, got)
		}
		if want && letters != "" {
			yes++
		}
	}
	if yes < 5_000 {
		t.Errorf("only %d were mentioned", yes)
	}
}
