package request

import (
	"cmp"
	"regexp"
	"slices"
	"strings"

	"ableroster/internal/access"
	"ableroster/internal/change"
	"ableroster/internal/fact"
)

func init() {
	change.Register(&TranslateRequestable{}, "Describe a requestable role in another language: what it is called, and what one can do with it; without either, that description is removed")
}

// Translation is what a requestable role is called in a language, and what one can do with it; a
// blank one is as it is otherwise.
type Translation struct {
	Language string `json:"language"` // as RFC 5646, section 2.1 has it: pt, pt-BR
	Label    string `json:"label,omitempty"`
	Words    string `json:"words,omitempty"`
}

// LanguageAttribute is the declared attribute that says in which language somebody reads.
const LanguageAttribute = "language"

// LanguageOf is the language that a user reads, blank where the organisation has no attribute for it.
func LanguageOf(s *access.Snapshot, id fact.UserID) string {
	u, a := s.User(id), s.FindAttribute(LanguageAttribute)
	if u == nil || a == nil || a.Retired {
		return ""
	}
	return a.Of(u)
}

// In is a requestable role in a language: in pt-BR, or else in pt. What is not said there is blank.
func (f *Requestable) In(language string) (label, words string) {
	wide, _, _ := strings.Cut(language, "-")
	for _, l := range []string{language, wide} {
		for _, t := range f.Translations {
			if l != "" && strings.EqualFold(t.Language, l) {
				label, words = cmp.Or(label, t.Label), cmp.Or(words, t.Words)
			}
		}
	}
	return label, words
}

// mostTranslations bounds in how many languages one role is described.
const mostTranslations = 50

var languageTag = regexp.MustCompile(`^[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8}){0,3}$`)

// TranslateRequestable describes a requestable role in another language.
type TranslateRequestable struct {
	Role     change.RoleRef `json:"role"`
	Language string         `json:"language" doc:"as RFC 5646 has it: pt, or pt-BR"`
	Label    string         `json:"label,omitempty" doc:"what the role is called in it"`
	Words    string         `json:"words,omitempty" doc:"what one can do with it, in the words of who would ask"`
}

// Verb implements change.Operation.
func (*TranslateRequestable) Verb() string { return "translate_requestable" }

// ApplyTo implements change.Operation.
func (o TranslateRequestable) ApplyTo(d *change.Draft) (settled change.Operation) {
	settled = &o
	role, ok := d.SettleRole("role", &o.Role)
	if !ok || !d.Need(access.ActUpdate, d.RolePath(role), "update the role %s", d.RoleKey(role)) {
		return
	}
	old := RequestableOf(&d.Snapshot, role)
	o.Label, o.Words = strings.TrimSpace(o.Label), strings.TrimSpace(o.Words)
	ok = d.CheckText("label", o.Label, 200)
	ok = d.CheckText("words", o.Words, 500) && ok
	if !languageTag.MatchString(o.Language) {
		d.Fault("language", "“%s” is no language such as pt or pt-BR", o.Language)
		ok = false
	}
	if old == nil {
		d.Fault("role", "%s is not requestable", d.RoleKey(role))
		ok = false
	}
	if !ok {
		return
	}
	at := slices.IndexFunc(old.Translations, func(t Translation) bool { return strings.EqualFold(t.Language, o.Language) })
	next := Translation{o.Language, o.Label, o.Words}
	f := *old
	f.Translations = slices.Clone(old.Translations)
	switch none := o.Label == "" && o.Words == ""; {
	case none && at < 0, at >= 0 && old.Translations[at] == next:
		d.ReadsFact(old)
		d.Note(change.AlreadySo, old.Since())
		return
	case none:
		f.Translations = slices.Delete(f.Translations, at, at+1)
	case at >= 0:
		f.Translations[at] = next
	case len(f.Translations) >= mostTranslations:
		d.Fault("language", "is one too many: %s is described in %d languages", d.RoleKey(role), mostTranslations)
		return
	default:
		f.Translations = append(f.Translations, next)
	}
	d.ReadsFact(old)
	d.Put(&f)
	return settled
}

// Sentence implements change.Operation.
func (o *TranslateRequestable) Sentence(s *access.Snapshot, _ change.Names) string {
	id, _ := s.FindRole(string(o.Role))
	if o.Label == "" && o.Words == "" {
		return "The role " + change.RoleLabel(s, id) + " is no longer described in " + o.Language
	}
	return "Described the role " + change.RoleLabel(s, id) + " in " + o.Language
}
