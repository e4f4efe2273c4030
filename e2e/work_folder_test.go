package e2e

import (
	"encoding/csv"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
)

// Files that another system puts into a folder are brought in, each once and as a change of its own;
// what is refused lies beside with its faults, and what may not be whole yet, or is no file, is left.
func TestAFolderOfFilesIsBroughtIn(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x, marta := at(t, s, demo.Administrator), s.SignIn(t, demo.Administrator)
	dir := t.TempDir()
	put := func(name, text string) string {
		t.Helper()
		path := filepath.Join(dir, name)
		write(t, path, text)
		long := time.Now().Add(-time.Hour).Truncate(time.Second)
		if err := os.Chtimes(path, long, long); err != nil {
			t.Fatal(err)
		}
		return path
	}
	there := func(pattern string) []string {
		t.Helper()
		found, err := filepath.Glob(filepath.Join(dir, pattern))
		if err != nil {
			t.Fatal(err)
		}
		return found
	}
	made := func() int64 {
		t.Helper()
		me, err := marta.Me(ctx)
		if err != nil {
			t.Fatal(err)
		}
		return me.Revision
	}
	put("a good.csv", "user_name,title\nines.halloran,Chief pilot\nb.osei,Planner of berths\n")
	put("b bad.csv", "user_name,unit\nines.halloran,marine/nowhere\nb.osei,\n")
	put(".hidden.csv", "user_name,title\nines.halloran,Hidden\n")
	put("half.csv.part", "user_name,title\nines.halloran,Half\n")
	elsewhere := filepath.Join(t.TempDir(), "elsewhere.csv")
	write(t, elsewhere, "user_name,title\nines.halloran,Elsewhere\n")
	if err := os.Symlink(elsewhere, filepath.Join(dir, "link.csv")); err != nil {
		t.Fatal(err)
	}
	fresh := filepath.Join(dir, "fresh.csv")
	write(t, fresh, "user_name,title\nines.halloran,Fresh\n")
	before := made()

	// Where the service does not answer, or nobody is signed in, no file is touched.
	if out, errOut, code := x.r.Run(t, "", "imports", "folder", dir, "-service", "http://127.0.0.1:1"); code != 4 || len(there("*.csv")) != 5 {
		t.Fatalf("exit %d\n%s%s", code, out, errOut)
	}
	out, errOut, code := x.r.Run(t, "", "imports", "folder", dir, "-output", "csv")
	rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
	if code != 3 || err != nil || len(rows) != 3 || rows[1][1] != "done" || rows[2][1] != "refused" || rows[2][3] != "1" || !strings.Contains(errOut, "1 file refused") {
		t.Fatalf("exit %d %v\n%s%s", code, err, out, errOut)
	}
	u, err := marta.User(ctx, demo.Pilot, nil)
	if err != nil || u.Title != "Chief pilot" || u.Unit != "marine/pilotage" || made() != before+1 {
		t.Errorf("%+v %v, %d after %d", u.User, err, made(), before)
	}
	if l, err := marta.Revisions(ctx, client.Query{"limit": "1"}); err != nil || l.Revisions[0].Reason != "The file a good.csv" {
		t.Errorf("%+v %v", l, err)
	}
	faults := there("refused/*-b bad.csv.faults.csv")
	if len(faults) != 1 || len(there("done/*-a good.csv")) != 1 || len(there("refused/*-b bad.csv")) != 1 || len(there("*.csv")) != 3 || len(there("*.part")) != 1 || len(there(".hidden.csv")) != 1 {
		t.Fatalf("%v %v %v", faults, there("*"), there("*/*"))
	}
	if raw, err := os.ReadFile(faults[0]); err != nil || !strings.Contains(string(raw), "2,unit,") {
		t.Errorf("%s %v", raw, err)
	}

	// A program that was stopped between the change and the move: it is not made again.
	if err := os.Rename(there("done/*-a good.csv")[0], filepath.Join(dir, "a good.csv")); err != nil {
		t.Fatal(err)
	}
	x.says(0, "a good.csv", "imports", "folder", dir)
	if n := made(); n != before+1 || len(there("done/*")) != 1 {
		t.Errorf("it was made twice: %d after %d", n, before)
	}
	// The same again on another day is brought in again.
	if _, err := marta.Change(ctx, changeOf("By hand", `{"op":"update_user","user":"ines.halloran","title":"Pilot"}`), false); err != nil {
		t.Fatal(err)
	}
	put("a good.csv", "user_name,title\nines.halloran,Chief pilot\nb.osei,Planner of berths\n")
	day := time.Now().Add(-30 * time.Minute)
	if err := os.Chtimes(filepath.Join(dir, "a good.csv"), day, day); err != nil {
		t.Fatal(err)
	}
	x.says(0, "a good.csv", "imports", "folder", dir)
	if u, err := marta.User(ctx, demo.Pilot, nil); err != nil || u.Title != "Chief pilot" {
		t.Errorf("%+v %v", u.User, err)
	}

	// No name leads out of the folder: whoever may write there may write nowhere else by it.
	trap := t.TempDir()
	other := t.TempDir()
	if err := os.Symlink(trap, filepath.Join(other, "refused")); err != nil {
		t.Fatal(err)
	}
	write(t, filepath.Join(other, "bad.csv"), "user_name,unit\nines.halloran,marine/nowhere\n")
	x.says(3, "", "imports", "folder", other, "-settled", "0s")
	if left, err := os.ReadDir(trap); err != nil || len(left) > 0 {
		t.Errorf("%v %v", left, err)
	}
	if _, err := os.Stat(filepath.Join(other, "bad.csv")); err != nil {
		t.Error(err)
	}

	// Again and again, until it is stopped.
	cmd := exec.Command(testkit.Program(t, "roster"), "imports", "folder", dir, "-holds", "memberships", "-every", "1s", "-settled", "0s")
	cmd.Env = append(os.Environ(), x.r.Env()...)
	if err := os.Remove(fresh); err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	part := filepath.Join(dir, "members.part") // as whoever puts files there does: renamed once it is whole
	write(t, part, "group,user\nnight-pilots,b.osei\n")
	if err := os.Rename(part, filepath.Join(dir, "members.csv")); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(time.Minute); len(there("done/*-members.csv")) == 0; time.Sleep(50 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatal("it was not brought in within a minute")
		}
	}
	if err := cmd.Process.Signal(syscall.SIGINT); err != nil {
		t.Fatal(err)
	}
	if err := cmd.Wait(); cmd.ProcessState.ExitCode() != 130 {
		t.Error(err)
	}
	if g, err := marta.Change(ctx, changeOf("Is he in?", `{"op":"remove_member","group":"night-pilots","user":"b.osei"}`), true); err != nil || g.Unchanged {
		t.Errorf("%+v %v", g, err)
	}
	x.says(2, "-holds is users", "imports", "folder", dir, "-holds", "boats")
	x.says(2, "go with -holds users", "imports", "folder", dir, "-holds", "groups", "-mapping", "x")
}
