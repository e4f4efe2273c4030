package e2e

import (
	"bytes"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"

	"github.com/creack/pty"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

// window is a terminal in which a command runs.
type window struct {
	cmd *exec.Cmd
	at  *os.File
	was *term.State

	mu   sync.Mutex
	seen bytes.Buffer
	done chan struct{}
}

// open runs a command in a terminal of so many columns.
func open(t *testing.T, r *testkit.Roster, columns uint16, args ...string) *window {
	t.Helper()
	cmd := exec.Command(testkit.Program(t, "roster"), args...)
	cmd.Env = append(os.Environ(), r.Env()...)
	f, tty, err := pty.Open()
	if err != nil {
		t.Fatal(err)
	}
	defer tty.Close()
	if err := pty.Setsize(f, &pty.Winsize{Rows: 50, Cols: columns}); err != nil {
		t.Fatal(err)
	}
	was, err := term.GetState(int(f.Fd())) // before the command may alter it
	if err != nil {
		t.Fatal(err)
	}
	cmd.Stdin, cmd.Stdout, cmd.Stderr, cmd.SysProcAttr = tty, tty, tty, &syscall.SysProcAttr{Setsid: true, Setctty: true}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	w := &window{cmd: cmd, at: f, was: was, done: make(chan struct{})}
	go func() {
		defer close(w.done)
		for buf := make([]byte, 4096); ; {
			n, err := f.Read(buf)
			w.mu.Lock()
			w.seen.Write(buf[:n])
			w.mu.Unlock()
			if err != nil {
				return
			}
		}
	}()
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = f.Close() })
	return w
}

func (w *window) shows() string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.seen.String()
}

func (w *window) waits(t *testing.T, text string) {
	t.Helper()
	testkit.Until(t, "the terminal to show "+text, func() bool { return strings.Contains(w.shows(), text) })
}

// ends waits until the command has ended, and is its exit code.
func (w *window) ends(t *testing.T) int {
	t.Helper()
	err := w.cmd.Wait()
	<-w.done
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return w.cmd.ProcessState.ExitCode()
}

// Whoever is asked for a password and breaks off gets the terminal back as it was.
func TestAPromptThatIsBrokenOffLeavesTheTerminalAsItWas(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	r := s.CommandLine(t)
	for what, x := range map[string]struct {
		does func(*window)
		code int
		says string
	}{
		"Ctrl-C":  {func(w *window) { _, _ = w.at.WriteString("\x03") }, 130, "interrupted"},
		"Ctrl-D":  {func(w *window) { _, _ = w.at.WriteString("\x04") }, 2, "no password was typed"},
		"SIGTERM": {func(w *window) { _ = w.cmd.Process.Signal(syscall.SIGTERM) }, 130, "interrupted"},
		"typed":   {func(w *window) { _, _ = w.at.WriteString(demo.Password + "\n") }, 0, "Signed in"},
	} {
		w := open(t, r, 100, "sign-in", "-user", demo.Administrator)
		w.waits(t, "Password: ")
		x.does(w)
		code := w.ends(t)
		now, err := term.GetState(int(w.at.Fd()))
		if err != nil || fmt.Sprint(*now) != fmt.Sprint(*w.was) {
			t.Errorf("%s: the terminal is not as it was (%v)", what, err)
		}
		if code != x.code || !strings.Contains(w.shows(), x.says) {
			t.Errorf("%s: exit %d, and it shows %q", what, code, w.shows())
		}
		if strings.Contains(w.shows(), demo.Password) {
			t.Errorf("%s: the password is shown", what)
		}
	}
}

// What takes longer than a second says what it waits for, and can be broken off.
func TestWhatIsWaitedForIsShown(t *testing.T) {
	silent, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer silent.Close()
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	w := open(t, s.CommandLine(t), 100, "users", "list", "-service", "http://"+silent.Addr().String())
	w.waits(t, "Waiting for the service … 1 s")
	_, _ = w.at.WriteString("\x03")
	if code := w.ends(t); code != 130 || !strings.Contains(w.shows(), "roster users list: interrupted") {
		t.Errorf("exit %d, and it shows %q", code, w.shows())
	}
}

// Tables are no wider than the terminal, wide characters counted as two; -wide shows all.
func TestTablesFitTheTerminal(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, x := s.SignIn(t, demo.Administrator), at(t, s, demo.Administrator)
	name := strings.Repeat("港湾管理者", 8) + " Émile"
	if _, err := marta.Change(ctx, changeOf("Season", fmt.Sprintf(`{"op":"add_user","user_name":"emile.minato","display_name":%q,"title":"A title that goes on for longer than anybody would read it in a table of people"}`, name)), false); err != nil {
		t.Fatal(err)
	}
	shown := func(columns uint16, args ...string) string {
		w := open(t, x.r, columns, args...)
		if code := w.ends(t); code != 0 {
			t.Errorf("roster %s: exit %d\n%s", strings.Join(args, " "), code, w.shows())
		}
		return w.shows()
	}
	for _, columns := range []uint16{60, 80, 132} {
		for _, args := range [][]string{{"users", "list", "-q", "emile"}, {"expectations", "list"}, {"delegations", "list"}, {"history", "-limit", "20"}} {
			for line := range strings.SplitSeq(shown(columns, args...), "\n") {
				if n := text.StringWidth(strings.TrimRight(line, "\r")); n > int(columns) && args[1] == "list" && args[0] == "users" {
					t.Errorf("roster %s in %d columns shows a line of %d: %s", strings.Join(args, " "), columns, n, line)
				}
			}
		}
	}
	if all := shown(60, "users", "list", "-q", "emile", "-wide"); !strings.Contains(all, name) {
		t.Errorf("-wide shows %s", all)
	}
	if short := shown(60, "users", "list", "-q", "emile"); !strings.Contains(short, "…") || !strings.Contains(short, "emile.minato") {
		t.Errorf("in 60 columns: %s", short)
	}
}

// What cannot be written is an error with words and an exit code of its own; a pipe that is
// closed ends the command in silence.
func TestWhatCannotBeWrittenIsAnError(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	shell := func(line string) (string, int) {
		cmd := exec.Command("bash", "-c", line)
		cmd.Env = append(os.Environ(), x.r.Env()...)
		var e bytes.Buffer
		cmd.Stderr = &e
		_ = cmd.Run()
		return e.String(), cmd.ProcessState.ExitCode()
	}
	for _, line := range []string{"roster users list >/dev/full", "roster users list -output csv >/dev/full", "roster users export >/dev/full", "roster file export >/dev/full", "roster whoami -output json >/dev/full"} {
		if said, code := shell(line); code != 5 || !strings.Contains(said, "the output could not be written: no space left on device") || strings.Count(said, "\n") != 1 {
			t.Errorf("%s: exit %d, %s", line, code, said)
		}
	}
	if said, code := shell("set -o pipefail; roster users export | true; sleep 0; roster users list -limit 200 | head -n 1"); said != "" || code != 0 && code != 141 {
		t.Errorf("into a closed pipe: exit %d, %s", code, said)
	}
}

// Several sign-ins are kept by name, for nobody else to read.
func TestSignInsAreKeptByName(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	r := s.CommandLine(t)
	file := filepath.Join(strings.TrimPrefix(r.Env()[1], "XDG_CONFIG_HOME="), "able-roster", "sign-ins.json")
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, []byte("{}"), 0o644); err != nil { // by an older hand
		t.Fatal(err)
	}
	r.Must(t, demo.Password, "sign-in", "-user", demo.Administrator)
	r.Must(t, demo.Password, "sign-in", "-profile", "audit", "-user", demo.Auditor)
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", info.Mode(), err)
	}
	for profile, user := range map[string]string{"": demo.Administrator, "audit": demo.Auditor, "default": demo.Administrator} {
		if out := r.Must(t, "", "whoami", "-profile", profile); !strings.Contains(out, user) {
			t.Errorf("-profile %q is %s", profile, out)
		}
	}
	if out := r.Must(t, "", "profiles", "list"); !strings.Contains(out, "audit") || !strings.Contains(out, "default") || strings.Contains(out, "token") {
		t.Error(out)
	}
	if _, said, code := r.Run(t, "", "whoami", "-profile", "nobody"); code != 2 || !strings.Contains(said, "no sign-in under the name “nobody”") {
		t.Errorf("exit %d, %s", code, said)
	}
	r.Must(t, "", "sign-out", "-profile", "audit")
	if _, said, code := r.Run(t, "", "whoami", "-profile", "audit"); code != 2 {
		t.Errorf("signed out, exit %d: %s", code, said)
	}
	r.Must(t, "", "whoami")
}

// The shell completes commands, options and the names that the service has.
func TestCommandLinesAreCompleted(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	for typed, want := range map[string]string{
		"us":                           "users",
		"users ex":                     "export",
		"users list -un":               "-unit",
		"users list -unit marine/pil":  "marine/pilotage",
		"users show ines.hall":         "ines.halloran",
		"grant ines.halloran tide-b":   "tide-board/editor",
		"check ines.halloran berth-p":  "berth-planning",
		"groups show night-p":          "night-pilots",
		"users list -output c":         "csv",
		"decide request-38 ap":         "",
		"help users ex":                "export",
		"users list -unit nowhere":     "",
		"applications show incident-l": "incident-log",
	} {
		words := strings.Split(typed, " ")
		line := fmt.Sprintf(`eval "$(roster completion bash)"; COMP_WORDS=(roster %s); COMP_CWORD=%d; _roster; printf '%%s\n' "${COMPREPLY[@]}"`, typed, len(words))
		cmd := exec.Command("bash", "-c", line)
		cmd.Env = append(os.Environ(), x.r.Env()...)
		out, err := cmd.CombinedOutput()
		if err != nil {
			t.Fatalf("%v\n%s", err, out)
		}
		if got := strings.Fields(string(out)); want == "" && len(got) > 0 || want != "" && (len(got) == 0 || got[0] != want) {
			t.Errorf("%q goes on as %q, want %q", typed, got, want)
		}
	}
	// What the service does not answer in time is not waited for.
	began := time.Now()
	out, _, code := x.r.Run(t, "", "complete", "--", "users", "show", "ines", "-service", "x")
	if code != 0 || out != "" {
		t.Errorf("exit %d: %s (%v)", code, out, time.Since(began))
	}
	// Each other shell takes the script and goes on as bash does.
	for shell, script := range map[string]string{
		"zsh":  `compdef() { :; }; compadd() { print -rl -- "${(@P)2}"; }; eval "$(roster completion zsh)"; words=(roster users show ines.hall); CURRENT=4; _roster`,
		"fish": `roster completion fish | source; complete -C "roster users show ines.hall"`,
	} {
		if _, err := exec.LookPath(shell); err != nil {
			t.Logf("%s is not installed: its script is not tried", shell)
			continue
		}
		cmd := exec.Command(shell, "-c", script)
		cmd.Env = append(os.Environ(), x.r.Env()...)
		if out, err := cmd.CombinedOutput(); err != nil || strings.TrimSpace(string(out)) != "ines.halloran" {
			t.Errorf("%s: %q %v", shell, out, err)
		}
	}
}

// The manual page is one that man shows without a complaint.
func TestTheManualIsOneForMan(t *testing.T) {
	if _, err := exec.LookPath("groff"); err != nil {
		t.Skip("groff is not installed: the manual page is not tried")
	}
	page := testkit.Run(t, "", "roster", "manual")
	cmd := exec.Command("groff", "-man", "-Tutf8", "-ww", "-Kutf8")
	cmd.Stdin = strings.NewReader(page)
	var e bytes.Buffer
	cmd.Stderr = &e
	out, err := cmd.Output()
	if err != nil || e.Len() > 0 {
		t.Fatalf("%v\n%.1000s", err, e.String())
	}
	for _, want := range []string{"users export", "-where", "roster grant ines.halloran tide-board/editor"} {
		if !strings.Contains(string(out), want) {
			t.Errorf("the manual does not say %q", want)
		}
	}
}

// Days are those of the organisation, wherever the terminal stands.
func TestDaysAreThoseOfTheOrganisation(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	said := map[string]bool{}
	for _, zone := range []string{"UTC", "Asia/Tokyo", "America/Los_Angeles"} {
		cmd := exec.Command("sh", "-c", "roster grant ines.halloran tide-board/editor -until 2027-07-26 -dry-run -reason x; roster grant ines.halloran tide-board/editor -until 2027-07-26 -dry-run -reason x -output csv; roster timeline ines.halloran; roster access ines.halloran -as-of "+soon[:4]+"-01-15")
		cmd.Env = append(append(os.Environ(), x.r.Env()...), "TZ="+zone)
		out, err := cmd.CombinedOutput()
		if err != nil {
			t.Fatalf("%v\n%s", err, out)
		}
		said[string(out)] = true
		if !strings.Contains(string(out), "2027-07-26T23:00:00Z") || !strings.Contains(string(out), "until the end of 26 Jul 2027") {
			t.Errorf("in %s: %.600s", zone, out)
		}
	}
	if len(said) != 1 {
		t.Errorf("%d zones, %d answers", 3, len(said))
	}
}
