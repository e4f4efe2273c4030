package seeing

import (
	"math/rand/v2"
	"strings"
	"testing"
	"unicode"

	"ableroster/internal/fact"
)

// The rank of a user among what is found is told by the first place where the
// letters stand in their name or user name, whatever case or marks they bear.
func TestFoundUsersAreRankedByWhereTheLettersStand(t *testing.T) {
	rng := rand.New(rand.NewPCG(95, 96))
	some := func(alphabet []string, n int) (out string) {
		for range rng.IntN(n) {
			out += alphabet[rng.IntN(len(alphabet))]
		}
		return out
	}
	ranks := map[int]int{}
	for range 20_000 {
		name := some([]string{"a", "A", "n", "N", "É", "e", "Z", "z", " ", "-"}[:2+rng.IntN(9)], 12)
		user := some([]string{"a", "n", "e", "z", "."}, 8)
		letters := some([]string{"a", "n", "e", "z", "é"}, 4)
		if letters == "" || user == "" {
			continue
		}
		u := &fact.User{Personal: fact.Personal{UserName: user, DisplayName: name}}
		row := newKeys().row(u, Label)
		want := Unranked
		for _, s := range []string{Label(u), user} {
			var plain []rune // by hand: no case, no marks
			for _, r := range strings.ToLower(strings.NewReplacer("É", "e", "é", "e").Replace(s)) {
				plain = append(plain, r)
			}
			sought := strings.NewReplacer("é", "e").Replace(letters)
			switch i := strings.Index(string(plain), sought); {
			case i == 0:
				want = 0
			case i > 0 && !unicode.IsLetter(plain[i-1]):
				want = min(want, 1)
			case i > 0:
				want = min(want, 2)
			}
		}
		if got := row.Rank(Folded(letters)); got != want {
			t.Fatalf("%q in %q, %q: %d, want %d", letters, name, user, got, want)
		}
		ranks[want]++
	}
	for _, r := range []int{0, 1, 2, Unranked} {
		if ranks[r] < 200 {
			t.Errorf("only %d were of rank %d", ranks[r], r)
		}
	}
}
