package e2e

import (
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"

	"github.com/xuri/excelize/v2"
)

// debiansPython is the Python that Debian's packages of libraries are for, whatever else is on
// the path.
const debiansPython = "/usr/bin/python3"

// A workbook has numbers and days as such, instants with their zone, and texts as texts; others'
// readers read the same.
func TestAWorkbookIsReadByOthers(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"ines.halloran","title":"=1+1","location":"007","end_date":"2099-03-31"}`), false); err != nil {
		t.Fatal(err)
	}
	raw, err := marta.ListFile(ctx, "users", client.Query{"format": "xlsx", "q": "halloran"})
	if err != nil {
		t.Fatal(err)
	}
	book, err := excelize.OpenReader(bytes.NewReader(raw))
	if err != nil {
		t.Fatal(err)
	}
	rows, err := book.GetRows("Sheet1")
	if err != nil || len(rows) < 2 {
		t.Fatal(rows, err)
	}
	cell := func(column string) (value, kind string) {
		for i, h := range rows[0] {
			if h != column {
				continue
			}
			for n := range rows {
				if rows[n][0] == "ines.halloran" || strings.Contains(strings.Join(rows[n], " "), "ines.halloran") {
					at, _ := excelize.CoordinatesToCellName(i+1, n+1)
					value, _ = book.GetCellValue("Sheet1", at, excelize.Options{RawCellValue: true})
					of, _ := book.GetCellType("Sheet1", at)
					return value, fmt.Sprint(of)
				}
			}
		}
		return "", ""
	}
	for column, want := range map[string]string{"title": "=1+1", "location": "007", "end_date": "72775"} {
		if got, kind := cell(column); got != want {
			t.Errorf("%s is %q (%s), want %q", column, got, kind, want)
		}
	}
	dir := t.TempDir()
	file := filepath.Join(dir, "users.xlsx")
	write(t, file, string(raw))
	for name, as := range map[string]*exec.Cmd{
		openpyxl:    exec.Command(debiansPython, "-c", openpyxlToCSV, file, filepath.Join(dir, "users.csv")),
		libreOffice: office(dir, file, "csv:Text - txt - csv (StarCalc):44,34,76"),
	} {
		if !installed(t, name, as) {
			continue
		}
		text, err := os.ReadFile(filepath.Join(dir, "users.csv"))
		if err != nil || !strings.Contains(string(text), "=1+1") || !strings.Contains(string(text), "007") || !strings.Contains(string(text), "2099-03-31") {
			t.Errorf("%s reads %.600s (%v)", name, text, err)
		}
	}
}

// An export that went through somebody else's workbook comes in again and changes nothing.
func TestAnExportComesBackFromAWorkbook(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, x := s.SignIn(t, demo.Administrator), at(t, s, demo.Administrator)
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"update_user","user":"ines.halloran","title":"=1+1","location":"007","end_date":"2099-03-31"}`), false); err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	in := filepath.Join(dir, "users.csv")
	write(t, in, x.says(0, "", "users", "export", "-output", "csv", "-raw"))
	header, _, _ := strings.Cut(x.says(0, "", "users", "export"), "\n")
	book := office(dir, in, "xlsx")
	book.Args = append(book.Args, "--infilter=CSV:44,34,76,1,"+allTexts(1+strings.Count(header, ",")))
	back := filepath.Join(dir, "back")
	for name, steps := range map[string][]*exec.Cmd{
		openpyxl:    {exec.Command(debiansPython, "-c", openpyxlThroughABook, in, filepath.Join(back, "users.csv"))},
		libreOffice: {book, office(back, filepath.Join(dir, "users.xlsx"), "csv:Text - txt - csv (StarCalc):44,34,76")},
	} {
		if err := os.MkdirAll(back, 0o700); err != nil {
			t.Fatal(err)
		}
		all := true
		for _, step := range steps {
			all = all && installed(t, name, step)
		}
		if !all {
			continue
		}
		x.says(0, "Nothing to change", "users", "import", filepath.Join(back, "users.csv"), "-reason", "Back from "+name)
		if err := os.RemoveAll(back); err != nil {
			t.Fatal(err)
		}
	}
}

const (
	openpyxl    = "openpyxl (python3-openpyxl)"
	libreOffice = "LibreOffice (libreoffice-calc)"
)

// office is the command by which LibreOffice writes a file into a directory in another format.
func office(dir, file, format string) *exec.Cmd {
	return exec.Command("soffice", "--headless", "--convert-to", format, "--outdir", dir, file)
}

// allTexts says of every column, for LibreOffice, that it holds texts: "1/2/2/2/3/2".
func allTexts(columns int) string {
	var b strings.Builder
	for i := range columns {
		fmt.Fprintf(&b, "/%d/2", i+1)
	}
	return b.String()[1:]
}

// installed runs a reader of somebody else's and is false, and says so, where it is not there.
func installed(t *testing.T, name string, as *exec.Cmd) bool {
	t.Helper()
	as.Env = append(os.Environ(), "HOME="+t.TempDir())
	out, err := as.CombinedOutput()
	if errors.Is(err, exec.ErrNotFound) || errors.Is(err, os.ErrNotExist) || strings.Contains(string(out), "No module named") {
		t.Logf("%s is not installed: not tried", name)
		return false
	}
	if err != nil {
		t.Fatalf("%s: %v\n%s", name, err, out)
	}
	return true
}

// openpyxlThroughABook writes a CSV file's cells into a workbook, as texts, and what it reads
// there into a CSV file again.
const openpyxlThroughABook = `
import csv, openpyxl, sys
book = openpyxl.Workbook()
with open(sys.argv[1], newline="", encoding="utf-8-sig") as f:
    for y, row in enumerate(csv.reader(f), 1):
        for x, text in enumerate(row, 1):
            cell = book.active.cell(y, x)
            cell.value = text or None
            if text:
                cell.data_type = "s"
book.save(sys.argv[2] + ".xlsx")
with open(sys.argv[2], "w", newline="", encoding="utf-8") as f:
    out = csv.writer(f)
    for row in openpyxl.load_workbook(sys.argv[2] + ".xlsx").active.iter_rows(values_only=True):
        out.writerow(["" if v is None else v for v in row])
`

// openpyxlToCSV reads a workbook as openpyxl does and writes its cells as a CSV file.
const openpyxlToCSV = `
import csv, datetime, openpyxl, sys
def text(v):
    return "" if v is None else v.strftime("%Y-%m-%d") if isinstance(v, datetime.datetime) else str(v)
with open(sys.argv[2], "w", newline="", encoding="utf-8") as f:
    out = csv.writer(f)
    for row in openpyxl.load_workbook(sys.argv[1]).active.iter_rows(values_only=True):
        out.writerow([text(v) for v in row])
`

// A directory's own tools write a file that comes in: what slapadd took and slapcat writes, with
// its folded lines, its encoded values and all the attributes that the server adds.
func TestADirectoryServersFileComesIn(t *testing.T) {
	const schemas = "/etc/ldap/schema"
	add, err := exec.LookPath("slapadd")
	if err != nil {
		if add = "/usr/sbin/slapadd"; !isFile(add) {
			t.Skip("slapadd and slapcat (slapd) are not installed: their files are not tried")
		}
	}
	dir := t.TempDir()
	conf, data := filepath.Join(dir, "slapd.conf"), filepath.Join(dir, "data")
	if err := os.Mkdir(data, 0o700); err != nil {
		t.Fatal(err)
	}
	write(t, conf, fmt.Sprintf("include %[1]s/core.schema\ninclude %[1]s/cosine.schema\ninclude %[1]s/inetorgperson.schema\nmodulepath /usr/lib/ldap\nmoduleload back_mdb\ndatabase mdb\nsuffix \"o=port\"\nrootdn \"cn=admin,o=port\"\ndirectory %s\n", schemas, data))
	long := strings.Repeat("Keeps the lights of the outer harbour. ", 6)
	in := filepath.Join(dir, "in.ldif")
	write(t, in, "dn: o=port\nobjectClass: organization\no: port\n\n"+
		"dn: uid=lena.marrick,o=port\nobjectClass: inetOrgPerson\nuid: lena.marrick\ncn: Lena Marrick\nsn: Marrick\nmail: lena@larkhaven.example\ndescription: "+strings.TrimSpace(long)+"\ntitle: Keeper of the outer lights\njpegPhoto:: /9j/4AAQ\n\n"+
		"dn: uid=zoe.mueller,o=port\nobjectClass: inetOrgPerson\nuid: zoe.mueller\ndisplayName:: "+base64.StdEncoding.EncodeToString([]byte("Zoë Müller"))+"\ncn: Zoe\nsn: Mueller\nemployeeNumber: 00731\n\n"+
		"dn: cn=crane-7,o=port\nobjectClass: device\ncn: crane-7\n")
	if out, err := exec.Command(add, "-f", conf, "-l", in).CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	written := filepath.Join(dir, "port.ldif")
	if out, err := exec.Command(filepath.Join(filepath.Dir(add), "slapcat"), "-f", conf, "-l", written).CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, x := s.SignIn(t, demo.Administrator), at(t, s, demo.Administrator)
	x.says(0, "2 users", "users", "import", written, "-reason", "From the directory")
	lena, err1 := marta.User(ctx, "lena.marrick", nil)
	zoe, err2 := marta.User(ctx, "zoe.mueller", nil)
	if err1 != nil || err2 != nil || lena.DisplayName != "Lena Marrick" || lena.Email != "lena@larkhaven.example" || lena.Title != "Keeper of the outer lights" || zoe.DisplayName != "Zoë Müller" {
		t.Errorf("%+v %v\n%+v %v", lena.User, err1, zoe.User, err2)
	}
	x.says(0, "Nothing to change", "users", "import", written, "-reason", "Again")
}

func isFile(name string) bool {
	i, err := os.Stat(name)
	return err == nil && i.Mode().IsRegular()
}
