package importfile

import (
	"fmt"
	"maps"
	"runtime"
	"slices"
	"strings"
	"testing"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/unicode/norm"
)

func texts(f []Fault) []string {
	var out []string
	for _, x := range f {
		out = append(out, fmt.Sprintf("%d %s: %s", x.Line, x.Column, x.Message))
	}
	return out
}

func says(t *testing.T, what string, got []Fault, want ...string) {
	t.Helper()
	all := texts(got)
	if len(all) != len(want) {
		t.Errorf("%s: %q, want %q", what, all, want)
		return
	}
	for i, w := range want {
		if !strings.Contains(all[i], w) {
			t.Errorf("%s: %q, want …%s…", what, all[i], w)
		}
	}
}

// A first line says what stands between columns, and the lines after it keep their numbers; how
// many values were put together is told; what was guarded comes back as it was.
func TestTheFirstLineMaySayTheSeparator(t *testing.T) {
	composed := 0
	header, rows, bad := CSV([]byte("sep=|\r\nname|note\r\nZoe\u0308|'=1\r\n"+"'tis|''=2\r\n"), Format{Composed: func(n int) { composed = n }})
	says(t, "sep=", bad)
	if len(header) != 2 || len(rows) != 2 || rows[0].Line != 3 || rows[0].Values["name"] != "Zo\u00eb" || rows[0].Values["note"] != "=1" || rows[1].Values["name"] != "'tis" || rows[1].Values["note"] != "'=2" || composed != 1 {
		t.Errorf("%q %+v, %d put together", header, rows, composed)
	}
	_, _, bad = CSV([]byte("sep=;\na;b\n1;2;3\n"), Format{})
	says(t, "a line too long", bad, "3 : has 3 columns where the header has 2")
}

// The same table in every encoding, with every separator, reads the same.
func TestHoweverATableIsWritten(t *testing.T) {
	plain := "Kürzel;Straße\nst.oda;\"Große\n\"\"Bleiche\"\"\"\nst.rui; Möwenstieg \n"
	cp, _ := charmap.Windows1252.NewEncoder().String(plain)
	wide, _ := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(plain)
	for name, x := range map[string]struct {
		content string
		f       Format
	}{
		"plain": {plain, Format{}}, "said": {plain, Format{Separator: ";", Encoding: "utf-8"}}, "with a mark": {"\xef\xbb\xbf" + plain, Format{Encoding: "windows-1252"}},
		"windows-1252": {cp, Format{Encoding: "Windows-1252"}}, "UTF-16": {wide, Format{}}, "CRLF": {strings.ReplaceAll(plain, "\n", "\r\n"), Format{}},
		"signs apart": {norm.NFD.String(plain), Format{}},
		"commas":      {strings.ReplaceAll(plain, ";", ","), Format{}}, "tabs": {strings.ReplaceAll(plain, ";", "\t"), Format{Separator: "\t"}},
	} {
		header, rows, bad := CSV([]byte(x.content), x.f)
		says(t, name, bad)
		if !slices.Equal(header, []string{"Kürzel", "Straße"}) || len(rows) != 2 || rows[0].Values["Straße"] != "Große\n\"Bleiche\"" || rows[1].Values["Straße"] != "Möwenstieg" || rows[1].Line != 4 {
			t.Errorf("%s reads as %q %v", name, header, rows)
		}
	}
}

func TestWhatIsNoTable(t *testing.T) {
	many := strings.Repeat("x\n", MostRows+2)
	for _, x := range []struct {
		name, content string
		f             Format
		want          []string
	}{
		{"nothing", "", Format{}, []string{"1 : has no header"}},
		{"a header alone", "a,b\n", Format{}, []string{"2 : is missing"}},
		{"a zip archive", "PK\x03\x04" + strings.Repeat("\x00", 50), Format{}, []string{"zip archive"}},
		{"a document", "%PDF-1.7", Format{}, []string{"PDF"}},
		{"JSON", `{"a":1}`, Format{}, []string{"JSON"}},
		{"zeros", "a\n\x00\n", Format{}, []string{"2 : has a zero byte"}},
		{"another encoding", "a\nü\n\xfc\n\xfc\n\xfc\n", Format{}, []string{"3 : and 2 more is not UTF-8"}},
		{"an unknown encoding", "a\n", Format{Encoding: "ebcdic"}, []string{"none of"}},
		{"a heading twice", "a,a\n1,2\n", Format{}, []string{"1 a: is there twice"}},
		{"short and long rows", "a,b\n1\n1,2,3\n1,2\n", Format{}, []string{"2 : has 1 columns where the header has 2", "3 : has 3 columns"}},
		{"an open quote", "a,b\n1,\"2\n3,4\n", Format{}, []string{"cannot be read as CSV"}},
		{"a strange separator", "a,b\n1,2\n", Format{Separator: "x"}, []string{"one of , ; |"}},
		{"a million rows", "a\n" + many, Format{}, []string{"past the 500000 rows"}},
	} {
		_, _, bad := CSV([]byte(x.content), x.f)
		says(t, x.name, bad, x.want...)
	}
	// What was defused on its way out is armed again on its way in.
	if _, rows, _ := CSV([]byte("a\n'=1+1\n'plain\n"), Format{}); rows[0].Values["a"] != "=1+1" || rows[1].Values["a"] != "'plain" {
		t.Errorf("reads %v", rows)
	}
}

// The examples of RFC 2849 itself, those of content records.
func TestLDIFAsItsTextSays(t *testing.T) {
	rows, bad := LDIF([]byte(`version: 1
dn: cn=Barbara Jensen, ou=Product Development, dc=airius, dc=com
objectclass: top
objectclass: person
cn: Barbara Jensen
cn: Babs Jensen
telephonenumber: +1 408 555 1212
description: A big sailing fan.

# a comment,
 that goes on
dn:: b3U95Za25qWt6YOoLG89QWlyaXVz
ou;lang-ja:: 5Za25qWt6YOo
description:Babs is a big sailing fan, and travels extensively in sea
 rch of perfect sailing conditions.
title:

`))
	says(t, "the examples", bad)
	if len(rows) != 2 || rows[0].Line != 2 || rows[0].Values["cn"] != "Barbara Jensen;Babs Jensen" || rows[0].Values["objectclass"] != "top;person" ||
		rows[1].Values["dn"] != "ou=営業部,o=Airius" || rows[1].Values["ou"] != "営業部" || !strings.Contains(rows[1].Values["description"], "in search of") {
		t.Errorf("reads %v", rows)
	}
	for text, want := range map[string]string{
		"dn: a\nchangetype: delete\n":            "2 changetype: is “delete”",
		"dn: a\ncn: x\nchangetype:< file:///x\n": "3 changetype: names a value kept elsewhere",
		"dn: a\ncn:: %%%\n":                      "2 cn: is no base64",
		"version: 2\ndn: a\n":                    "1 version: is 2",
		"cn: a\n":                                "1 dn: is missing",
		"dn: a\nnonsense\n":                      "2 : is no attribute and value",
		"":                                       "1 : has no entries",
		"PK\x03\x04":                             "zip archive",
		"dn: a\ncn: x\n\ndn: b\ncn:: !!\n":       "5 cn: is no base64",
	} {
		_, bad := LDIF([]byte(text))
		says(t, text, bad, want)
	}
}

func TestADirectoryIsMapped(t *testing.T) {
	m := &Mapping{Columns: []ColumnSource{{Column: "user_name", From: []string{"uid"}}, {Column: "manager", From: []string{"manager"}}}}
	entries, bad := LDIF([]byte("dn: ou=people,o=x\nobjectClass: organizationalUnit\nou: people\n\ndn: uid=a,o=x\nuid: a\nmanager: UID=b, o=x\n\ndn: uid=b,o=x\nuid: b\n\n" +
		"dn: cn=Night gate,o=x\nobjectClass: groupOfNames\ncn: Night gate\nmember: uid=a,o=x\nmember: uid=b,o=x\n\ndn: cn=Pilots,o=x\nobjectClass: groupOfUniqueNames\ncn: Pilots\nuniqueMember: uid=a,o=x\nuniqueMember: uid=z,o=x\n"))
	says(t, "entries", bad)
	every := func(string) bool { return true }
	rows, _, bad := Directory(m, entries, every)
	says(t, "members", bad, "18 member: “uid=z,o=x” is no entry")
	if len(rows) != 2 || rows[0].Values["manager"] != "b" || rows[0].Values["groups"] != "night-gate;pilots" || rows[1].Values["groups"] != "night-gate" {
		t.Errorf("reads %v", rows)
	}
	// A directory has groups of its own, and groups and machines in them: they are left out, and told.
	entries, bad = LDIF([]byte("dn: uid=a,o=x\nuid: a\n\ndn: cn=Pilots,o=x\nobjectClass: groupOfNames\ncn: Pilots\nmember: uid=a,o=x\nmember: cn=crane,o=x\nmember: cn=Chess,o=x\n\n" +
		"dn: cn=Chess,o=x\nobjectClass: groupOfNames\ncn: Chess\nmember: uid=a,o=x\nmember: uid=gone,o=x\n\ndn: cn=crane,o=x\nobjectClass: device\ncn: crane\n"))
	says(t, "entries", bad)
	rows, left, bad := Directory(m, entries, func(group string) bool { return group == "pilots" })
	says(t, "groups of the directory", bad)
	if len(rows) != 1 || rows[0].Values["groups"] != "pilots" || !slices.Equal(left.Groups, []string{"chess"}) || left.Members != 2 || left.Machines != 1 {
		t.Errorf("reads %v, leaves out %+v", rows, left)
	}
}

// Directories write more than is asked for: pictures and certificates that nobody mapped are
// passed over, of several values the mapping says which counts, and machines are no people.
func TestADirectoryMayHoldMore(t *testing.T) {
	entries, bad := LDIF([]byte("dn: uid=a,o=x\nobjectClass: inetOrgPerson\nuid: a\ncn: Oda Yeo\njpegPhoto:: /9j/4AAQ\nuserCertificate;binary:< file:///etc/passwd\nmail: a@x\nmail: b@x\n\n" +
		"dn: cn=crane,o=x\nobjectClass: device\ncn: crane\n\ndn: cn=pc,o=x\nobjectClass: user\nobjectClass: computer\ncn: pc\n\ndn: uid=b,o=x\nobjectClass: person\nobjectClass: device\nuid: b\ndisplayName: Bea\ncn: x\n"))
	says(t, "entries", bad)
	columns := func(pick string) *Mapping {
		return &Mapping{Columns: []ColumnSource{{Column: "user_name", From: []string{"uid"}}, {Column: "display_name", From: []string{"displayname"}, Else: []string{"cn"}}, {Column: "email", From: []string{"mail"}, Pick: pick}}}
	}
	for pick, want := range map[string]string{"first": "a@x", "last": "b@x", "all": "a@x;b@x"} {
		rows, left, bad := Directory(columns(pick), entries, nil)
		says(t, pick, bad)
		if len(rows) != 2 || left.Machines != 2 || rows[0].Values["email"] != want || rows[0].Values["display_name"] != "Oda Yeo" || rows[1].Values["display_name"] != "Bea" {
			t.Errorf("%s: %d machines, %v", pick, left.Machines, rows)
		}
	}
	_, _, bad = Directory(columns(""), entries, nil)
	says(t, "nothing picked", bad, "mail has 2 values: say in the mapping which counts")
	_, _, bad = Directory(&Mapping{Columns: []ColumnSource{{Column: "user_name", From: []string{"uid"}}, {Column: "title", From: []string{"jpegphoto"}}, {Column: "location", From: []string{"usercertificate"}}}}, entries, nil)
	says(t, "mapped", bad, "jpegphoto is no text", "usercertificate names a value kept elsewhere")
}

func TestDaysAreReadAsTheyAreWritten(t *testing.T) {
	for _, x := range []struct {
		text    string
		formats []string
		want    string
	}{
		{"31.12.2027", []string{"DD.MM.YYYY"}, "2027-12-31"},
		{"1.2.27", []string{"D.M.YY"}, "2027-02-01"},
		{"12/31/27", []string{"M/D/YY"}, "2027-12-31"},
		{"31/12/2027", []string{"M/D/YYYY", "D/M/YYYY"}, "2027-12-31"},
		{"3/4/2027", []string{"M/D/YYYY", "D/M/YYYY"}, "!is 2027-03-04 as M/D/YYYY and 2027-04-03 as D/M/YYYY"},
		{"4/4/2027", []string{"M/D/YYYY", "D/M/YYYY"}, "2027-04-04"},
		{"7 Mar 2027", []string{"D MMM YYYY"}, "2027-03-07"},
		{"2027-02-30", []string{"YYYY-MM-DD"}, "!no day written as"},
		{"20271231", []string{"YYYYMMDD"}, "2027-12-31"},
	} {
		got, err := date(x.text, x.formats)
		if want, wrong := strings.CutPrefix(x.want, "!"); wrong && (err == nil || !strings.Contains(err.Error(), want)) || !wrong && got != want {
			t.Errorf("%s by %v is %q (%v), want %s", x.text, x.formats, got, err, x.want)
		}
	}
	for format, wrong := range map[string]string{"DD.MM": "names the year nowhere", "DD.DD.YYYY": "names the month nowhere", "MM/MM/DD/YY": "names the month twice", "YYYY-MM-DDT15": "has “T”", "Jan DD YYYY": "has “J”"} {
		if _, got := layoutOf(format); got != wrong {
			t.Errorf("%s: %q, want %q", format, got, wrong)
		}
	}
}

func TestMappingsSayWhatIsWrongWithThem(t *testing.T) {
	ours, dates := []string{"user_name", "unit", "start_date", "number"}, []string{"start_date"}
	for _, x := range []struct {
		m    Mapping
		want []string
	}{
		{Mapping{Columns: []ColumnSource{{Column: "user_name", From: []string{"A"}}}}, nil},
		{Mapping{}, []string{"has no user_name"}},
		{Mapping{Key: "number", ManagerBy: "badge", Columns: []ColumnSource{{Column: "user_name", From: []string{"A"}}}}, []string{"has no number", "has no badge"}},
		{Mapping{Missing: "depart", Encoding: "x", Separator: "y", Columns: []ColumnSource{{Column: "user_name", From: []string{"A"}}}}, []string{"encoding is none", "separator is one", "a blank never means all"}},
		{Mapping{Columns: []ColumnSource{{Column: "user_name"}, {Column: "user_name", From: []string{"A"}}, {Column: "shoe", From: []string{"B"}}}}, []string{"neither from nor default", "is there twice", "none of user_name, unit"}},
		{Mapping{Columns: []ColumnSource{{Column: "user_name", From: []string{"A"}}, {Column: "unit", From: []string{"B"}, Dates: []string{"DD.MM"}, Others: "keep"}}}, []string{"names the year nowhere", "unit is no date", "says nothing without values"}},
	} {
		got := x.m.Check(ours, dates)
		if len(got) != len(x.want) {
			t.Errorf("%+v: %q, want %q", x.m, got, x.want)
			continue
		}
		for i, w := range x.want {
			if !strings.Contains(got[i], w) {
				t.Errorf("%q, want …%s…", got[i], w)
			}
		}
	}
}

func TestValuesAreMapped(t *testing.T) {
	m := Mapping{Columns: []ColumnSource{
		{Column: "user_name", From: []string{"Kürzel"}}, {Column: "display_name", From: []string{"Vorname", "Nachname"}},
		{Column: "unit", From: []string{"Abteilung"}, Values: map[string]string{"Krane": "terminal/cranes", "keine": ""}, Default: "office"},
		{Column: "end_date", From: []string{"Austritt"}, Dates: []string{"DD.MM.YYYY"}, Values: map[string]string{"31.12.9999": ""}},
		{Column: "title", From: []string{"Stelle"}, Values: map[string]string{"KF": "Crane operator"}, Others: "keep"},
	}}
	header := []string{"Kürzel", "Vorname", "Nachname", "Abteilung", "Austritt", "Stelle"}
	row := func(line int, values ...string) Row {
		r := Row{Line: line, Values: map[string]string{}}
		for i, v := range values {
			r.Values[header[i]] = v
		}
		return r
	}
	rows, bad := m.Apply(header, []Row{row(2, "a", "Oda", "Yeo", "KRANE", "31.12.9999", "KF"), row(3, "b", "", "Zouche", "", "1.1.2027", "Clerk"), row(4, "c", "", "", "Kräne", "02.01.2027", ""), row(5, "d", "x", "", "keine", "", "")})
	says(t, "rows", bad, "3 Austritt: “1.1.2027” is no day", "4 Abteilung: “Kräne” is none of the texts")
	for i, want := range []map[string]string{
		{"user_name": "a", "display_name": "Oda Yeo", "unit": "terminal/cranes", "end_date": "", "title": "Crane operator"},
		{"user_name": "b", "display_name": "Zouche", "unit": "office", "end_date": "", "title": "Clerk"},
		{"user_name": "c", "display_name": "", "unit": "", "end_date": "2027-01-02", "title": ""},
		{"user_name": "d", "display_name": "x", "unit": "office", "end_date": "", "title": ""},
	} {
		if !maps.Equal(rows[i].Values, want) {
			t.Errorf("row %d is %v, want %v", i, rows[i].Values, want)
		}
	}
	_, bad = m.Apply(header[:3], nil)
	says(t, "headings", bad, "Abteilung: is no heading", "Austritt: is no heading", "Stelle: is no heading")
}

// However mangled a file is, it is read to an end, and what is told of it stands in
// it.
func FuzzFiles(f *testing.F) {
	for _, s := range []string{"a,b\n1,2\n", "dn: a\ncn:: YQ==\n", "a;\"b\n", "\xff\xfea\x00\n\x00", " dn: x\n"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, content []byte) {
		lines := strings.Count(string(content), "\n") + 2
		header, rows, bad := CSV(content, Format{})
		entries, wrong := LDIF(content)
		for _, x := range append(bad, wrong...) {
			if x.Line < 1 || x.Line > lines {
				t.Fatalf("line %d of %d: %s", x.Line, lines, x.Message)
			}
		}
		if len(bad) == 0 && (len(rows) == 0 || len(header) == 0) || len(wrong) == 0 && len(entries) == 0 {
			t.Fatal("nothing was read and nothing was wrong")
		}
	})
}

// What no table and no directory has costs no more than it takes to see that.
func TestWhatIsFarTooLongIsNotReadToItsEnd(t *testing.T) {
	long := strings.Repeat("x", 8<<20)
	folded := "dn: cn=a\ndescription: " + strings.Repeat("\n "+long[:70], 8<<20/70)
	for name, read := range map[string]func() []Fault{
		"a line of a table":       func() []Fault { _, _, bad := CSV([]byte("user_name,title\nx,"+long+"\n"), Format{}); return bad },
		"a line without commas":   func() []Fault { _, _, bad := CSV([]byte(long), Format{}); return bad },
		"a heading of commas":     func() []Fault { _, _, bad := CSV([]byte(strings.Repeat(",", 8<<20)), Format{}); return bad },
		"a value of a directory":  func() []Fault { _, bad := LDIF([]byte("dn: cn=a\ndescription: " + long + "\n")); return bad },
		"a folded one":            func() []Fault { _, bad := LDIF([]byte(folded)); return bad },
		"a directory of newlines": func() []Fault { _, bad := LDIF([]byte(strings.Repeat("\n", 8<<20))); return bad },
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		bad := read()
		runtime.ReadMemStats(&after)
		if took := (after.TotalAlloc - before.TotalAlloc) >> 20; len(bad) == 0 || len(bad) > mostFaults || took > 80 {
			t.Errorf("%s: %d faults, %d MB", name, len(bad), took)
		}
	}
}
