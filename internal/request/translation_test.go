package request

import (
	"strings"
	"testing"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/operation/people"
)

// A requestable role is told in the language that somebody reads, as far as it is said there; what
// is edited otherwise keeps it.
func TestARequestableRoleIsToldInOnesLanguage(t *testing.T) {
	s := team(t)
	do := func(op change.Operation) {
		t.Helper()
		next, faults := apply(s, 0, 2, op)
		if len(faults) > 0 {
			t.Fatal(op.Verb(), &faults[0])
		}
		s = next
	}
	say := func(language, label, words string) {
		t.Helper()
		do(&TranslateRequestable{Role: "cranes/r0", Language: language, Label: label, Words: words})
	}
	say("pt", "Leitor de gruas", "ver as gruas")
	say("pt-BR", "", "ver os guindastes")
	say("de", "Kranleser", "")
	do(&MakeRequestable{Role: "cranes/r0", Words: "look at cranes", Route: "short", MaxDays: 20})
	role, _ := s.FindRole("cranes/r0")
	for language, want := range map[string]string{"pt": "Leitor de gruas|ver as gruas", "PT-br": "Leitor de gruas|ver os guindastes", "pt-PT": "Leitor de gruas|ver as gruas", "de": "Kranleser|", "fr": "|", "": "|"} {
		label, words := RequestableOf(s, role).In(language)
		if label+"|"+words != want {
			t.Errorf("%q: %q and %q, want %s", language, label, words, want)
		}
	}
	say("de", "", "")
	if label, _ := RequestableOf(s, role).In("de"); label != "" || len(RequestableOf(s, role).Translations) != 2 {
		t.Errorf("%+v", RequestableOf(s, role).Translations)
	}
	user, _ := s.FindUser("user.6")
	if got := LanguageOf(s, user); got != "" {
		t.Errorf("reads %q, and nobody has said how that is known", got)
	}
	do(&people.DeclareAttribute{Key: LanguageAttribute})
	do(&people.UpdateUser{User: "user.6", Custom: map[string]string{LanguageAttribute: "pt"}})
	if got := LanguageOf(s, user); got != "pt" {
		t.Errorf("reads %q", got)
	}
}

func TestTranslationsThatAreRefused(t *testing.T) {
	s := team(t)
	full := s
	for i := range mostTranslations {
		next, faults := apply(full, 0, 2, &TranslateRequestable{Role: "cranes/r1", Language: "x" + string(rune('a'+i/26)) + string(rune('a'+i%26)), Label: "x"})
		if len(faults) > 0 {
			t.Fatal(&faults[0])
		}
		full = next
	}
	for says, x := range map[string]struct {
		s  *access.Snapshot
		op TranslateRequestable
	}{
		"is no language such as pt":    {s, TranslateRequestable{Role: "cranes/r0", Language: "Portuguese of Lisbon", Label: "x"}},
		"“” is no language":            {s, TranslateRequestable{Role: "cranes/r0", Label: "x"}},
		"there is no role":             {s, TranslateRequestable{Role: "cranes/r9", Language: "pt", Label: "x"}},
		"is longer than 200 bytes":     {s, TranslateRequestable{Role: "cranes/r0", Language: "pt", Label: strings.Repeat("x", 201)}},
		"is longer than 500 bytes":     {s, TranslateRequestable{Role: "cranes/r0", Language: "pt", Words: strings.Repeat("x", 501)}},
		"is described in 50 languages": {full, TranslateRequestable{Role: "cranes/r1", Language: "pt", Label: "x"}},
	} {
		_, faults := apply(x.s, 0, 3, &x.op)
		if len(faults) == 0 || !strings.Contains(faults[0].Error(), says) {
			t.Errorf("%s: %v", says, faults)
		}
	}
}
