package fact

import (
	"maps"
	"slices"
	"strings"
)

// FactExpectation is the kind of expectations.
var FactExpectation = RecordKind("expectation")

// Expectation is a saved check that must keep holding: that somebody may do an
// action on what a pattern covers, or that they may not. Whoever holds it on a
// condition only, on their own or at some times of the week, counts as one who
// may.
type Expectation struct {
	Lifetime
	ID          ExpectationID `json:"-"`
	Key         string        `json:"key"`
	Label       string        `json:"label"` // the plain sentence
	Description string        `json:"description,omitempty"`
	Of          Subjects      `json:"of"`
	Application ApplicationID `json:"application"`
	Action      string        `json:"action"`
	Pattern     string        `json:"pattern"`
	May         bool          `json:"may,omitempty"`      // on all of it; else they may not, on any of it
	Blocking    bool          `json:"blocking,omitempty"` // refuse what would break it; else warn
	Owner       UserID        `json:"owner,omitempty"`
	Ended       bool          `json:"ended,omitempty"`
}

// Subjects are whom an expectation is about; exactly one of User, Group, Nobody and
// WouldBe is given.
type Subjects struct {
	User    UserID  `json:"user,omitempty"`
	Group   GroupID `json:"group,omitempty"`  // each of its members
	Except  bool    `json:"except,omitempty"` // everybody but its members, nobody signed in too
	Nobody  bool    `json:"nobody,omitempty"` // nobody signed in
	WouldBe WouldBe `json:"would_be,omitzero"`
}

// WouldBe is what is said of a person who is not there yet. The zero value is nobody.
type WouldBe struct{ UserFacts }

// Given says whether anything is said.
func (w WouldBe) Given() bool { return w != WouldBe{} }

// User is such a person.
func (w WouldBe) User() User { return User{UserKind: Person, UserFacts: w.UserFacts} }

// Attributes are what is said, by the keys of attributes; nil for nothing.
func (w WouldBe) Attributes() map[string]string {
	if !w.Given() {
		return nil
	}
	u, out := w.User(), map[string]string{}
	for i := range UserAttributes {
		if a := &UserAttributes[i]; a.Described {
			if text := a.Of(&u); text != "" {
				out[a.Key] = text
			}
		}
	}
	return out
}

// ReadWouldBe reads what Attributes writes; wrong is what cannot be read, in words.
func ReadWouldBe(by map[string]string) (w WouldBe, wrong []string) {
	for _, key := range slices.Sorted(maps.Keys(by)) {
		switch known, err := PutAttribute(&w.UserFacts, key, by[key]); {
		case !known:
			if len(key) > 100 {
				key = strings.ToValidUTF8(key[:100], "") + "…"
			}
			wrong = append(wrong, "has “"+key+"”, which is none of "+strings.Join(describedKeys, ", "))
		case err != nil:
			wrong = append(wrong, key+" "+err.Error())
		}
	}
	return w, wrong
}

// Words are the same in words: "unit marine/pilotage, title Harbour pilot".
func (w WouldBe) Words() string {
	u := w.User()
	var out []string
	for i := range UserAttributes {
		if a := &UserAttributes[i]; a.Described {
			if text := a.Of(&u); text != "" {
				out = append(out, strings.ToLower(a.Label)+" "+text)
			}
		}
	}
	return strings.Join(out, ", ")
}

// MostExpectations bounds how many stand at once: each is judged with every
// change.
const MostExpectations = 5000

// MostWouldBe bounds how many different users who are not there yet they are about: the first day
// of each is worked out with every change of what new users are given.
const MostWouldBe = 200

// Kind and Row identify it.
func (*Expectation) Kind() FactKind { return FactExpectation }
func (f *Expectation) Row() uint32  { return uint32(f.ID) }

// Name and Over implement Keyed.
func (f *Expectation) Name() string { return f.Key }
func (f *Expectation) Over() bool   { return f.Ended }
