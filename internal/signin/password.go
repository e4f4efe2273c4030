package signin

import (
	"context"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
	"github.com/trustelem/zxcvbn"
)

// params cost about 60 ms on a small machine: 19 MiB, two passes, one lane
// (RFC 9106 and the usual guidance for interactive sign-in).
var params = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// hashing bounds how many passwords are hashed at once, so that a flood of
// sign-ins cannot take all memory and processors.
var hashing = make(chan struct{}, 2)

func withHashing(ctx context.Context, f func() error) error {
	select {
	case hashing <- struct{}{}:
		defer func() { <-hashing }()
		return f()
	case <-ctx.Done():
		return ctx.Err()
	}
}

// HashPassword hashes a password for keeping.
func HashPassword(ctx context.Context, password string) (hash string, err error) {
	err = withHashing(ctx, func() (err error) {
		hash, err = argon2id.CreateHash(password, params)
		return err
	})
	return hash, err
}

// passwordFits compares in constant time.
func passwordFits(ctx context.Context, password, hash string) (fits bool, err error) {
	err = withHashing(ctx, func() (err error) {
		fits, err = argon2id.ComparePasswordAndHash(password, hash)
		return err
	})
	return fits, err
}

// nobody's hash is compared with when there is no such user, so that the time
// an answer takes does not tell which names exist.
const nobodysHash = "$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$qK4ZbVt0m2m8k0mYl2b3mWm0Vw4nqfJb8pG0p7l5x3Q"

// easiest is the least strength a password may have, of 0 to 4: what is below it is
// found within a million guesses.
const easiest = 2

// weighed bounds how much of a password is looked at for how easily it is guessed: the
// work grows with the square.
const weighed = 64

// CheckPassword says what is wrong with a new password, or nothing. Passwords that are
// common, were in violations, or are made of patterns or of the user's and the
// organisation's own words are refused, by lists that ship with the program (NIST SP
// 800-63B, section 3.1.1.2).
func CheckPassword(p string, own ...string) error {
	switch n := utf8.RuneCountInString(p); {
	case !utf8.ValidString(p):
		return fmt.Errorf("is not valid UTF-8")
	case n < 12:
		return fmt.Errorf("is shorter than 12 characters")
	case len(p) > 1024:
		return fmt.Errorf("is longer than 1024 bytes")
	}
	some := p
	if r := []rune(p); len(r) > weighed {
		some = string(r[:weighed])
	}
	if zxcvbn.PasswordStrength(some, ownWords(own)).Score < easiest {
		return fmt.Errorf("is easily guessed: it is common, repeats itself, or is made of names; take several words that have nothing to do with each other")
	}
	if left := withoutOwn(p, own); left < 8 {
		return fmt.Errorf("is made of your own or the organisation's names: take several words that have nothing to do with each other")
	}
	return nil
}

// withoutOwn is how many letters and digits of a password are left without the words that are
// made of names and addresses: those that consist of these alone, and long ones in others.
func withoutOwn(p string, own []string) int {
	names := ownWords(own)
	left := 0
	digits := func(r rune) bool { return unicode.IsDigit(r) }
	letters := func(r rune) bool { return unicode.IsLetter(r) }
	for _, word := range strings.FieldsFunc(strings.ToLower(p), func(r rune) bool { return !letters(r) }) {
		if madeOf(word, names) {
			continue
		}
		for _, name := range names {
			if utf8.RuneCountInString(name) >= 6 {
				word = strings.ReplaceAll(word, name, "")
			}
		}
		left += utf8.RuneCountInString(word)
	}
	for _, number := range strings.FieldsFunc(p, func(r rune) bool { return !digits(r) }) {
		left += len(number)
	}
	return left
}

// madeOf says whether a word is one of some names after the other.
func madeOf(word string, names []string) bool {
	reached := make([]bool, len(word)+1)
	reached[0] = true
	for at := range word {
		for _, name := range names {
			if reached[at] && utf8.RuneCountInString(name) >= 3 && strings.HasPrefix(word[at:], name) {
				reached[at+len(name)] = true
			}
		}
	}
	return reached[len(word)]
}

// ownWords are the words that names and addresses are made of.
func ownWords(own []string) []string {
	var out []string
	for _, text := range own {
		out = append(out, strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })...)
		out = append(out, strings.ToLower(text))
	}
	return out
}
