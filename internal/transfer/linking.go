package transfer

import (
	"fmt"
	"slices"
	"strings"

	"ableroster/internal/alike"
	"ableroster/internal/fact"
	"ableroster/internal/importfile"
	"ableroster/wire"
)

// link finds whose rows are that name nobody who is there, and look like exactly one user whom the
// caller sees: the user's, whose values the row has, and whose user name stays. A row that looks
// like several is a fault, and so are two rows of one user.
func (b *importing) link(rows []importfile.Row) {
	b.linked = map[int]fact.UserID{}
	of := map[fact.UserID]int{} // the line of a user
	find := alike.Among(b.head, b.view.ReadsUser)
	for _, row := range rows {
		if id, ok := b.find(row); ok {
			of[id] = row.Line
		}
	}
	for _, row := range rows {
		if _, ok := b.find(row); ok {
			continue
		}
		switch all := b.lookLike(find, row); {
		case len(all) > 1:
			b.fault(row, "user_name", "“%s” looks like several who are there (%s): name one of them", row.Values["user_name"], strings.Join(b.userNames(all), ", "))
		case len(all) == 1:
			id := all[0]
			if line, taken := of[id]; taken {
				b.fault(row, "user_name", "“%s” looks like %s, whom line %d is about", row.Values["user_name"], b.userNames(all)[0], line)
				continue
			}
			of[id], b.linked[row.Line] = row.Line, id
		}
	}
}

// lookLike are the users whom the caller sees and a row looks like. Who is told apart from it by a
// value that both have is none of them.
func (b *importing) lookLike(find *alike.Finder, row importfile.Row) (out []fact.UserID) {
	somebody := &fact.User{UserKind: fact.Person, Personal: fact.Personal{DisplayName: row.Values["display_name"], Email: row.Values["email"]}}
	if kind := row.Values["kind"]; kind != "" && kind != string(fact.Person) {
		return nil
	}
	for column, text := range row.Values {
		_, _ = fact.PutAttribute(&somebody.UserFacts, column, text) // what is wrong with it is told of the row
	}
	var identify []*fact.Attribute
	for _, f := range b.head.Attributes() {
		value := row.Values[f.Key]
		if value == "" || f.Retired {
			continue
		}
		if f.Identifies {
			identify = append(identify, f)
		}
		if f.Personal {
			somebody.More = somebody.More.With(f, value)
		} else {
			somebody.Custom = somebody.Custom.With(f, value)
		}
	}
	find.To(somebody, func(u *fact.User) bool {
		if !slices.ContainsFunc(identify, func(f *fact.Attribute) bool { return f.Of(u) != "" && !f.Same(u, row.Values[f.Key]) }) {
			out = append(out, u.ID)
		}
		return len(out) < 5
	})
	return out
}

func (b *importing) userNames(all []fact.UserID) (out []string) {
	for _, id := range all {
		out = append(out, b.head.User(id).UserName)
	}
	return out
}

// linkedNote says which rows were taken for users who are there.
func (b *importing) linkedNote(rows []importfile.Row) *wire.Note {
	var said []string
	for _, row := range rows {
		if id, ok := b.linked[row.Line]; ok {
			said = append(said, fmt.Sprintf("%s (line %d) is %s", row.Values["user_name"], row.Line, b.head.User(id).UserName))
		}
	}
	if len(said) == 0 {
		return nil
	}
	n := len(said)
	if n > 10 {
		said = append(said[:10], fmt.Sprintf("and %d more", n-10))
	}
	return &wire.Note{Code: "linked", Message: fact.Count(n, "row") + " taken for users who are there, whose user names stay: " + strings.Join(said, "; ")}
}
