package demo

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"golang.org/x/text/encoding/charmap"
)

// Planted is one thing wrong with the personnel export: where whoever reads the
// file finds it, and a part of what they are to be told.
type Planted struct {
	Line   int
	Column string
	Says   string
}

// personnelHeadings are the columns of the export: those of the personnel system of
// a stevedoring company, whose people the port takes over. Most are nobody's
// business here.
var personnelHeadings = []string{"Personalnummer", "Kürzel", "Anrede", "Titel", "Vorname", "Zweiter Vorname", "Nachname", "Geburtsname", "Geburtsdatum", "Geburtsort",
	"Nationalität", "Straße", "Hausnummer", "PLZ", "Ort", "Land", "Telefon privat", "Telefon dienstlich", "Mobil", "E-Mail",
	"Abteilung", "Unterabteilung", "Stelle", "Lohngruppe", "Vorgesetzter", "Eintritt", "Austritt", "Probezeit bis", "Befristet bis", "Beschäftigungsart",
	"Wochenstunden", "Schicht", "Standort", "Gebäude", "Raum", "Kostenstelle", "Bootsschein", "Bootsschein gültig bis", "Schlüsselnummer", "Bemerkung"}

// personnelRows is how many people the export has.
const personnelRows = 1000

// Personnel is that export: 1,000 rows and 40 columns in windows-1252, with
// semicolons between columns and days written in three ways. Unless it is mended, 30
// faults are planted in it; they are told in the order of their lines. It is the same
// every time.
func Personnel(mended bool) ([]byte, []Planted) {
	p := personnel{rng: rand.New(rand.NewPCG(7420, 1873)), taken: map[string]bool{}}
	for n := range personnelRows {
		p.rows = append(p.rows, p.somebody(n))
	}
	var planted []Planted
	if !mended {
		planted = p.plant()
	}
	return p.written(planted), planted
}

type personnel struct {
	rng   *rand.Rand
	taken map[string]bool
	rows  []map[string]string
}

func (p *personnel) pick(from ...string) string { return from[p.rng.IntN(len(from))] }

// foremen is how many of the first rows others report to.
const foremen = 25

func (p *personnel) somebody(n int) map[string]string {
	given, family := p.pick(givenNames...), p.pick(familyNames...)
	name := plain(given) + "." + plain(family)
	for i := 2; p.taken[name]; i++ {
		name = fmt.Sprintf("%s.%s%d", plain(given), plain(family), i)
	}
	p.taken[name] = true
	name = "st." + name // no two companies' people are called the same
	day := func(from, days int) time.Time {
		return time.Date(from, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, p.rng.IntN(days))
	}
	began := day(2009, 6000)
	if n < foremen {
		began = day(2005, 1400)
	}
	row := map[string]string{
		"Personalnummer": fmt.Sprintf("%05d", 20000+7*n), "Kürzel": name, "Anrede": p.pick("Frau", "Herr", ""), "Vorname": given, "Nachname": family,
		"Geburtsdatum": day(1960, 16000).Format("02.01.2006"), "Geburtsort": p.pick("Süderhafen", "Larkhaven", "Øvrevik", "Póvoa do Cais"), "Nationalität": p.pick("LK", "SV", "NO"),
		"Straße": p.pick("Möwenstieg", "Am Kranbahnhof", "Große Bleichen", "Tidengasse"), "Hausnummer": fmt.Sprint(1 + p.rng.IntN(90)), "PLZ": fmt.Sprint(10000 + p.rng.IntN(89999)), "Ort": "Larkhaven", "Land": "LK",
		"Telefon dienstlich": fmt.Sprintf("+00 555 %04d", p.rng.IntN(10000)), "E-Mail": name + "@larkhaven.example",
		"Abteilung": p.pick("Umschlag", "Umschlag", "Umschlag", "Krane", "Krane", "Werkstatt", "Büro", "Tor"), "Stelle": p.pick("Hafenfacharbeiter", "Kranführer", "Tallymann", "Schlosser", "Vorarbeiter"),
		"Lohngruppe": fmt.Sprint("L", 1+p.rng.IntN(9)), "Vorgesetzter": fmt.Sprintf("%05d", 20000+7*p.rng.IntN(foremen)),
		"Eintritt": began.Format("02.01.2006"), "Beschäftigungsart": p.pick("unbefristet", "unbefristet", "unbefristet", "befristet", "Leihe"), "Wochenstunden": p.pick("35", "37,5", "20"),
		"Schicht": p.pick("früh", "spät", "nacht"), "Standort": p.pick("Südkai", "Nordkai", "Werfttor"), "Kostenstelle": fmt.Sprint(8000 + 10*p.rng.IntN(20)),
		"Schlüsselnummer": fmt.Sprintf("%c%d", 'A'+p.rng.IntN(6), 1+p.rng.IntN(999)),
	}
	if n < foremen {
		row["Stelle"], row["Vorgesetzter"] = "Schichtleiter", ""
		if n > 0 {
			row["Vorgesetzter"] = "20000"
		}
	}
	if row["Beschäftigungsart"] != "unbefristet" {
		row["Austritt"] = time.Date(2027, 1, 1+p.rng.IntN(700), 0, 0, 0, 0, time.UTC).Format("2006-01-02")
	}
	if p.rng.IntN(4) == 0 {
		row["Bootsschein"] = p.pick("Barkasse", "Schlepper")
		row["Bootsschein gültig bis"] = time.Date(2027, 1, 1+p.rng.IntN(900), 0, 0, 0, 0, time.UTC).Format("1/2/06")
	}
	if p.rng.IntN(30) == 0 {
		row["Bemerkung"] = "arbeitet nur vormittags;\nRücksprache mit „Schicht früh“"
	}
	return row
}

// plant puts faults into rows that nobody reports to, each of which is told at its
// own line.
func (p *personnel) plant() []Planted {
	var out []Planted
	next := 40
	put := func(column, value, says string) {
		next += 31
		p.rows[next][column] = value
		out = append(out, Planted{next, column, says})
	}
	put("Eintritt", "31.02.2019", "no day written as")
	put("Eintritt", "2019-03-04", "no day written as")
	put("Eintritt", "sofort", "no day written as")
	put("Austritt", "2027-13-01", "no day written as")
	put("Austritt", "31.12.2027", "no day written as")
	put("Bootsschein gültig bis", "31/12/27", "no day written as")
	put("Abteilung", "Umschalg", "none of the texts the mapping knows")
	put("Abteilung", "Kräne", "none of the texts the mapping knows")
	put("Abteilung", "Werkst.", "none of the texts the mapping knows")
	put("Beschäftigungsart", "Praktikum", "none of the texts the mapping knows")
	put("E-Mail", "keine", "not an e-mail address")
	put("E-Mail", "anruf genügt@", "not an e-mail address")
	put("E-Mail", "@larkhaven.example", "not an e-mail address")
	put("Kürzel", "", "is blank")
	put("Kürzel", "st.ohne namen", "without spaces")
	put("Kürzel", "st."+strings.Repeat("lang", 40), "longer than 128")
	put("Bootsschein", "Segelschein", "none of the texts the mapping knows")
	put("Bootsschein", "ja", "none of the texts the mapping knows")
	put("Vorgesetzter", "99999", "there is no user")
	put("Vorgesetzter", "2000O", "there is no user")
	put("Vorgesetzter", "der Chef", "there is no user")
	put("Personalnummer", "2x000", "does not match")
	put("Personalnummer", "123456", "does not match")
	put("Stelle", strings.Repeat("Oberhafenfacharbeiter ", 12)+"z", "longer than 200")
	put("Austritt", "2003-01-01", "before the start date")
	// Two who report to each other: told of the second.
	next += 31
	p.rows[next]["Vorgesetzter"], p.rows[next+1]["Vorgesetzter"] = p.rows[next+1]["Personalnummer"], p.rows[next]["Personalnummer"]
	out = append(out, Planted{next + 1, "Vorgesetzter", "circle of managers"})
	put("Kürzel", p.rows[12]["Kürzel"], "is there twice")
	put("Kürzel", p.rows[13]["Kürzel"], "is there twice")
	put("Schlüsselnummer", "Z12", "does not match")
	put("Standort", strings.Repeat("Südkai ", 40)+"z", "longer than 200")
	return out
}

// written writes the rows, and turns the rows of what was planted into lines.
func (p *personnel) written(planted []Planted) []byte {
	var text bytes.Buffer
	w := csv.NewWriter(&text)
	w.Comma = ';'
	_ = w.Write(personnelHeadings) // into memory: it cannot fail
	for n, row := range p.rows {
		w.Flush()
		line := 1 + bytes.Count(text.Bytes(), []byte("\n"))
		for i := range planted {
			if planted[i].Line == n {
				planted[i].Line = -line // not to be taken for a row again
			}
		}
		var cells []string
		for _, h := range personnelHeadings {
			cells = append(cells, row[h])
		}
		_ = w.Write(cells)
	}
	w.Flush()
	for i := range planted {
		planted[i].Line = -planted[i].Line
	}
	// Old systems know windows-1252 alone: what it lacks they write without marks.
	var out bytes.Buffer
	for _, r := range text.String() {
		if b, ok := charmap.Windows1252.EncodeRune(r); ok {
			out.WriteByte(b)
		} else {
			out.WriteString(plain(string(r)))
		}
	}
	return out.Bytes()
}
