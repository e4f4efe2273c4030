package e2e

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"go.yaml.in/yaml/v3"
	"golang.org/x/text/encoding/charmap"
)

// Lists go out in the encoding and with the separator that are asked for, as RFC 4180 has them,
// and come in the same; what an encoding has no sign for is refused whole.
func TestFilesAreWrittenAsTheyAreAskedFor(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, x := s.SignIn(t, demo.Administrator), at(t, s, demo.Administrator)
	get := func(q string) says { return asks(t, s, marta.Token, "GET", "/files/users?"+q, "") }
	plain := get("format=csv&unit=marine")
	if lines := bytes.Count(plain.body, []byte("\n")); lines < 40 || bytes.Count(plain.body, []byte("\r\n")) != lines {
		t.Errorf("%d lines, of which %d end in CRLF", lines, bytes.Count(plain.body, []byte("\r\n")))
	}
	want, err := csv.NewReader(bytes.NewReader(plain.body)).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	for name, of := range map[string]*charmap.Charmap{"windows-1252": charmap.Windows1252, "iso-8859-15": charmap.ISO8859_15} {
		got := get("format=csv&unit=marine/pilotage&separator=semicolon&encoding=" + name)
		if got.status == 422 { // a name of it has a sign that this has not
			if !bytes.Contains(got.body, []byte("has no sign for some of the texts")) {
				t.Errorf("%s: %s", name, got.body)
			}
			continue
		}
		text, err := of.NewDecoder().Bytes(got.body)
		if err != nil {
			t.Fatal(err)
		}
		r := csv.NewReader(bytes.NewReader(text))
		r.Comma = ';'
		rows, err := r.ReadAll()
		if err != nil || len(rows) < 10 || !strings.Contains(got.Get("Content-Type"), "charset="+name) {
			t.Errorf("%s: %d rows, %s, %v", name, len(rows), got.Get("Content-Type"), err)
		}
	}
	// Kyrillic signs are none of windows-1252: nothing is lost in silence.
	for i, name := range []string{"Жанна", "Zoë", "'quoted", "=1+1", "'=2", "Ame\u0301lie"} {
		file := filepath.Join(t.TempDir(), "people.csv")
		n := len(want) + i
		write(t, file, "sep=,\r\nuser_name,display_name,title\r\nhand."+fmt.Sprint(n)+","+"x,\""+name+"\"\r\n")
		x.says(0, "1 user", "users", "import", file, "-reason", "Season")
		u, err := marta.User(ctx, "hand."+fmt.Sprint(n), nil)
		if err != nil || u.Title != strings.ReplaceAll(strings.TrimPrefix(map[string]string{"'=2": "=2"}[name]+"|"+name, "|"), "=2|'=2", "=2") && u.Title != "Am\u00e9lie" {
			t.Errorf("%q came in as %q (%v)", name, u.Title, err)
		}
		// Out and in again it is the same.
		out := filepath.Join(t.TempDir(), "out.csv")
		if err := os.WriteFile(out, []byte(x.says(0, "", "users", "export")), 0o600); err != nil {
			t.Fatal(err)
		}
		x.says(0, "Nothing to change", "users", "import", out, "-reason", "Again")
	}
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"ines.halloran","title":"Жанна"}`), false); err != nil {
		t.Fatal(err)
	}
	if got := get("format=csv&encoding=windows-1252&unit=marine"); got.status != 422 || !bytes.Contains(got.body, []byte("has no sign for some of the texts")) {
		t.Errorf("signs that it has not: %d %.200s", got.status, got.body)
	}
	latin := filepath.Join(t.TempDir(), "latin.csv")
	raw, err := charmap.Windows1252.NewEncoder().Bytes([]byte("user_name;display_name\nzoe.mueller;Zoë Müller\n"))
	if err != nil {
		t.Fatal(err)
	}
	write(t, latin, string(raw))
	x.says(3, "say which encoding the file has", "users", "import", latin, "-reason", "Season")
	x.says(0, "1 user", "users", "import", latin, "-reason", "Season", "-encoding", "windows-1252", "-separator", ";")
	if u, err := marta.User(ctx, "zoe.mueller", nil); err != nil || u.DisplayName != "Zoë Müller" {
		t.Errorf("%+v %v", u.DisplayName, err)
	}
	if out := x.says(0, "", "users", "export", "-output", "csv", "-raw"); strings.Contains(out, "'=1+1") || !strings.Contains(out, "=1+1") {
		t.Error("-raw guards what it sends")
	}
}

// A roster file is read by others as it was meant, its texts as texts for readers of an older
// YAML too, and is what its own schema says, for two validators; JSON in one line is read.
func TestARosterFileIsReadByOthers(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, x := s.SignIn(t, demo.Administrator), at(t, s, demo.Administrator)
	odd := []string{"20:00", "yes", "No", "off", "1_000", "0o17", "010", "1e3", ".5", "2026-11-28", "~", "=", "190:20:30", "null", "-", "? what", "a: b", "#x"}
	var ops []string
	for i, text := range odd {
		ops = append(ops, fmt.Sprintf(`{"op":"add_group","key":"odd-%d","label":"Odd","description":%q}`, i, text))
	}
	if _, err := marta.Change(ctx, changeOf("Odd texts", ops...), false); err != nil {
		t.Fatal(err)
	}
	text := x.says(0, "", "file", "export")
	var read map[string]any
	if err := yaml.Unmarshal([]byte(text), &read); err != nil {
		t.Fatal(err)
	}
	groups := read["groups"].(map[string]any)
	for i, want := range odd {
		if got := groups[fmt.Sprintf("odd-%d", i)].(map[string]any)["description"]; got != want {
			t.Errorf("%q is read as %v", want, got)
		}
	}
	raw, err := json.Marshal(read)
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	file := filepath.Join(dir, "port.yaml")
	write(t, file, text)
	older := exec.Command(debiansPython, "-c", "import yaml, json, sys; json.dump(yaml.safe_load(open(sys.argv[1])), sys.stdout, default=repr)", file)
	if out, err := older.Output(); err != nil {
		t.Log("a reader of YAML 1.1 (python3-yaml) is not installed: not tried")
	} else {
		var as, is any
		if json.Unmarshal(out, &as) != nil || json.Unmarshal(raw, &is) != nil || !reflect.DeepEqual(as, is) {
			t.Error("a reader of YAML 1.1 reads something else")
		}
	}

	// JSON in one line says the same.
	one := filepath.Join(dir, "one.json")
	write(t, one, string(raw))
	x.says(0, "Nothing", "file", "load", one, "-reason", "As it is")

	schema := x.says(0, "", "file", "schema")
	write(t, filepath.Join(dir, "schema.json"), schema)
	compiler := jsonschema.NewCompiler()
	of, err := jsonschema.UnmarshalJSON(strings.NewReader(schema))
	if err != nil {
		t.Fatal(err)
	}
	if err := compiler.AddResource("roster-file.json", of); err != nil {
		t.Fatal(err)
	}
	compiled, err := compiler.Compile("roster-file.json")
	if err != nil {
		t.Fatal(err)
	}
	is, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	if err != nil {
		t.Fatal(err)
	}
	if err := compiled.Validate(is); err != nil {
		t.Errorf("the export is not what the schema says: %v", err)
	}
	node := exec.Command("node", "-e", `
const fs = require("fs"), Ajv = require("@redocly/ajv/dist/2020").default
const ajv = new Ajv({ strict: false, allErrors: true, validateFormats: false })
const ok = ajv.compile(JSON.parse(fs.readFileSync(process.argv[1])))
if (!ok(JSON.parse(fs.readFileSync(process.argv[2])))) { console.log(JSON.stringify(ok.errors)); process.exit(1) }`, filepath.Join(dir, "schema.json"), one)
	node.Dir = filepath.Join(testkit.Root(), "console")
	if out, err := node.CombinedOutput(); err != nil {
		t.Errorf("by another validator: %v\n%.800s", err, out)
	}
}

// A directory's file comes in by its content type, or by the name of the file: people with their
// names, without machines, which is told.
func TestADirectoryComesInByItsContentType(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	file := "version: 1\n\ndn: uid=lena.marrick,ou=people,o=port\nobjectClass: inetOrgPerson\nuid: lena.marrick\ncn: Lena Marrick\nmail: lena@larkhaven.example\nmail: l.marrick@larkhaven.example\njpegPhoto:: /9j/4AAQ\n\ndn: cn=crane-7,o=port\nobjectClass: device\ncn: crane-7\n"
	got := asks(t, s, marta.Token, "POST", "/imports/users?reason=Season", file, "Content-Type", "text/ldif; charset=utf-8")
	if got.status != 200 || !bytes.Contains(got.body, []byte("Left out of the directory: 1 machine")) {
		t.Errorf("%d %s", got.status, got.body)
	}
	u, err := marta.User(ctx, "lena.marrick", nil)
	if err != nil || u.DisplayName != "Lena Marrick" || u.Email != "lena@larkhaven.example" {
		t.Errorf("%+v %v", u.User, err)
	}
	if got := asks(t, s, marta.Token, "POST", "/imports/users?reason=Season", "dn: uid=x,o=port\nchangetype: modify\nreplace: mail\nmail: x@y\n", "Content-Type", "text/ldif"); got.status != 422 || !bytes.Contains(got.body, []byte("an import says what is, not what happened")) {
		t.Errorf("%d %s", got.status, got.body)
	}
}

// A last day is said as such and told as such, beside the instant it comes to; it lies in the
// organisation's time zone, whoever says it.
func TestALastDayIsSaidAsADay(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	day := time.Now().AddDate(0, 7, 0).Format(time.DateOnly)
	post := func(ops string) says {
		return asks(t, s, marta.Token, "POST", "/changes", `{"reason":"x","operations":[`+ops+`]}`)
	}
	if got := post(`{"op":"grant","user":"ines.halloran","role":"tide-board/editor","last_day":"` + day + `"},{"op":"add_member","group":"tide-editors","user":"ines.halloran","last_day":"` + day + `"}`); got.status != 200 {
		t.Fatalf("%d %s", got.status, got.body)
	}
	var all wire.AssignmentList
	if err := marta.Do(ctx, "GET", "/assignments", client.Query{"user": demo.Pilot}, nil, &all); err != nil {
		t.Fatal(err)
	}
	lisbon, err := time.LoadLocation("Europe/Lisbon")
	if err != nil {
		t.Fatal(err)
	}
	begins, err := time.ParseInLocation(time.DateOnly, day, lisbon)
	if err != nil {
		t.Fatal(err)
	}
	found := false
	for _, a := range all.Assignments {
		if a.Role.Key == "tide-board/editor" {
			found = a.LastDay == day && a.Until != nil && a.Until.Equal(begins.AddDate(0, 0, 1))
		}
	}
	if !found {
		t.Errorf("%+v", all.Assignments)
	}
	for ops, want := range map[string]string{
		`{"op":"grant","user":"ines.halloran","role":"berth-planning/reader","last_day":"` + day + `","until":"2099-01-01T00:00:00Z"}`: "is given beside until",
		`{"op":"grant","user":"ines.halloran","role":"berth-planning/reader","last_day":"31.1.2099"}`:                                  "must be a day such as",
		`{"op":"grant","user":"ines.halloran","role":"berth-planning/reader","last_day":7}`:                                            "must be a day such as",
		`{"op":"add_group","key":"x","last_day":"2099-01-31"}`:                                                                         "last_day",
	} {
		if got := post(ops); got.status != 422 || !bytes.Contains(got.body, []byte(want)) {
			t.Errorf("%s: %d %s", ops, got.status, got.body)
		}
	}
}
