package csvcell

import "testing"

func TestEveryTextComesBack(t *testing.T) {
	for _, s := range []string{"", "'", "''", "=x", "'=x", "''=x", "+1", "-1", "@a", "'a", "a'", "\tx", "'\tx", "-", "'-", "O'Shea", "'tis"} {
		g := Guard(s)
		if g != "" && formula(g) && g[0] != '\'' {
			t.Errorf("%q goes out as %q, which a spreadsheet would run", s, g)
		}
		if back := Bare(g); back != s {
			t.Errorf("%q goes out as %q and comes in as %q", s, g, back)
		}
	}
}
