package e2e

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// sendFile sends a file of users, and does not wait for what comes of it unless it says so.
func sendFile(t *testing.T, c *client.Client, track string, body io.Reader, more string) (status int, header http.Header, raw []byte) {
	t.Helper()
	req, err := http.NewRequestWithContext(ctx, "POST", c.Base+"/api/v1/imports/users?reason=Season&acknowledge=wide_gain&track="+track+more, body)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+c.Token)
	req.Header.Set("Content-Type", "text/csv")
	req.Header.Set("Prefer", "respond-async")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return 0, nil, nil
	}
	defer resp.Body.Close()
	raw, err = io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return resp.StatusCode, resp.Header, raw
}

func untilEnded(t *testing.T, c *client.Client, name string) (p wire.Import) {
	t.Helper()
	testkit.Until(t, "the import to end", func() bool {
		var err error
		p, err = c.ImportNamed(ctx, name)
		return err == nil && p.Ended != nil
	})
	return p
}

// An import goes on when whoever sent it waits no longer: it is found under its name, by its
// owner alone and at any service, with what came of it; the file itself is kept no longer.
func TestAnImportGoesOn(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s, beside := testkit.Serve(t, database), testkit.Serve(t, database)
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	there := &client.Client{Base: beside.Base, Token: marta.Token}
	if all, err := marta.Imports(ctx); err != nil || len(all.Imports) != 0 {
		t.Fatalf("%+v %v", all, err)
	}
	status, header, raw := sendFile(t, marta, "crew", bytes.NewReader(crew("Lasher", 3000)), "")
	var told wire.Import
	if err := json.Unmarshal(raw, &told); err != nil || status != 202 || header.Get("Location") != "/api/v1/imports/crew" || header.Get("Preference-Applied") != "respond-async" || told.Kind != "users" || told.Ended != nil {
		t.Fatalf("%d %v %s", status, header, raw)
	}
	if _, err := tomas.ImportNamed(ctx, "crew"); err == nil {
		t.Error("somebody else is told of it")
	}
	if all, err := tomas.Imports(ctx); err != nil || len(all.Imports) != 0 {
		t.Errorf("somebody else is told of it: %+v %v", all, err)
	}
	p := untilEnded(t, there, "crew")
	if p.State != "done" || p.Revision == 0 || p.Result == nil || p.Result.Revision != p.Revision || countOf(t, marta, "Lasher") != 3000 {
		t.Errorf("it ended as %+v", p)
	}
	if all, err := there.Imports(ctx); err != nil || len(all.Imports) != 1 || all.Imports[0].Revision != p.Revision || all.Imports[0].Result != nil {
		t.Errorf("%+v %v", all, err)
	}
	// One that is refused says why, at either.
	sendFile(t, marta, "wrong", strings.NewReader("user_name,unit\nx y,\n"), "&dry_run=true")
	for _, c := range []*client.Client{marta, there} {
		if p := untilEnded(t, c, "wrong"); p.State != "refused" || p.Problem == nil || len(p.Problem.Faults) == 0 || !p.DryRun {
			t.Errorf("%+v", p)
		}
	}
	left := func(where string) (n int) {
		t.Helper()
		if err := testkit.Pool(t, database).QueryRow(ctx, "select count(*) from "+where).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	if n := left("upload_portion"); n != 0 {
		t.Errorf("%d portions are kept", n)
	}
	// What was answered may name anybody: it goes with the first who is erased.
	if _, err := marta.Change(ctx, changeOf("She asked", `{"op":"update_user","user":"lasher.7","status":"departed"}`, `{"op":"erase_user","user":"lasher.7"}`), false); err != nil {
		t.Fatal(err)
	}
	if p, err := there.ImportNamed(ctx, "crew"); err != nil || p.Result != nil || p.State != "done" {
		t.Errorf("%+v %v", p, err)
	}
	if n := left("upload where answer is not null or options <> '{}'"); n != 0 {
		t.Errorf("%d answers are kept", n)
	}
}

// Nobody has more than a few imports under way, and no two of one name; what breaks off or is
// too large leaves nothing.
func TestImportsAreBounded(t *testing.T) {
	database := testkit.DemoDatabase(t)
	s := testkit.Serve(t, database)
	marta := s.SignIn(t, demo.Administrator)
	// One that is being sent is under way: its body does not end yet.
	var bodies []*io.PipeWriter
	ended := make(chan int, 10)
	for i := range 5 {
		body, w := io.Pipe()
		bodies = append(bodies, w)
		go func() {
			status, _, _ := sendFile(t, marta, fmt.Sprintf("slow-%d", i), body, "&dry_run=true")
			ended <- status
		}()
		if _, err := fmt.Fprintf(w, "user_name\n%s", strings.Repeat("x", 300<<10)); err != nil {
			t.Fatal(err)
		}
		testkit.Until(t, "it to be received", func() bool {
			p, err := marta.ImportNamed(ctx, fmt.Sprintf("slow-%d", i))
			return err == nil && p.State == "receiving"
		})
	}
	one := func() io.Reader { return strings.NewReader("user_name\nzoe.marrick\n") }
	if status, _, raw := sendFile(t, marta, "sixth", one(), "&dry_run=true"); status != 429 {
		t.Errorf("a sixth: %d %s", status, raw)
	}
	if err := marta.CancelImport(ctx, "slow-4"); err != nil {
		t.Errorf("one that is being sent cannot be cancelled: %v", err)
	}
	if status, _, raw := sendFile(t, marta, "slow-3", one(), "&dry_run=true"); status != 409 {
		t.Errorf("a second of one name: %d %s", status, raw)
	}
	for i, w := range bodies[:4] {
		w.CloseWithError(fmt.Errorf("broken off %d", i))
		<-ended
	}
	bodies[4].Close()
	if status := <-ended; status != 409 {
		t.Errorf("the one that was cancelled ended with %d", status)
	}
	if status, _, raw := sendFile(t, marta, "large", io.MultiReader(bytes.NewReader(make([]byte, 33<<20))), "&dry_run=true"); status != 413 && status != 0 {
		t.Errorf("too large: %d %s", status, raw)
	}
	testkit.Until(t, "nothing of it to be left", func() bool {
		var n int
		err := testkit.Pool(t, database).QueryRow(ctx, "select (select count(*) from upload_portion) + (select count(*) from upload)").Scan(&n)
		return err == nil && n == 0
	})
}

// Whoever breaks off an import on the command line is told what became of it, and that is
// so: cancelled, with nothing changed, or made.
func TestAnImportThatIsBrokenOffTellsTheTruth(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	c := s.SignIn(t, demo.Administrator)
	cancelled := 0
	for round := range 6 {
		title := fmt.Sprintf("Rigger%d", round)
		file := filepath.Join(t.TempDir(), "crew.csv")
		if err := os.WriteFile(file, crew(title, 6000), 0o600); err != nil {
			t.Fatal(err)
		}
		r := s.CommandLine(t)
		cmd := exec.Command(testkit.Program(t, "roster"), "users", "import", file, "-reason", "Season", "-acknowledge", "wide_gain")
		cmd.Env = append(r.Env(), "ROSTER_TOKEN="+c.Token)
		var out, errOut bytes.Buffer
		cmd.Stdout, cmd.Stderr = &out, &errOut
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		seen := map[string]bool{}
		if all, err := c.Imports(ctx); err == nil {
			for _, x := range all.Imports {
				seen[x.Name] = x.Ended != nil
			}
		}
		testkit.Until(t, "the import to have come so far", func() bool {
			all, err := c.Imports(ctx)
			if err != nil || len(all.Imports) == 0 || seen[all.Imports[0].Name] {
				return false
			}
			p := all.Imports[0]
			return p.Ended != nil || p.State == "working" && p.Done >= (round-1)*1500
		})
		_ = cmd.Process.Signal(os.Interrupt)
		var exit *exec.ExitError
		code := 0
		if err := cmd.Wait(); errors.As(err, &exit) {
			code = exit.ExitCode()
		}
		got := countOf(t, c, title)
		switch says := out.String() + errOut.String(); {
		case code == 3 && got == 0 && strings.Contains(says, "was cancelled: nothing was changed"):
			cancelled++
		case code == 0 && got == 6000 && strings.Contains(says, "6,000"):
		default:
			t.Errorf("round %d: exit %d with %d people:\n%s", round, code, got, says)
		}
	}
	if cancelled == 0 {
		t.Error("none was cancelled")
	}
}
