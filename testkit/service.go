package testkit

import (
	"bytes"
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
)

// Root is the top folder of the project.
func Root() string {
	_, file, _, _ := runtime.Caller(0)
	return filepath.Dir(filepath.Dir(file))
}

var (
	buildMu sync.Mutex
	built   = map[string]string{}
	binDir  string
)

// Program says where one of the programs is: in the folder that ROSTER_TEST_PROGRAMS names,
// where make has just built them, or else it builds it, once for the run.
func Program(t testing.TB, name string) string {
	t.Helper()
	if dir := os.Getenv("ROSTER_TEST_PROGRAMS"); dir != "" {
		return filepath.Join(dir, name)
	}
	buildMu.Lock()
	defer buildMu.Unlock()
	if p := built[name]; p != "" {
		return p
	}
	if binDir == "" {
		dir, err := os.MkdirTemp("", "ableroster-test-")
		if err != nil {
			t.Fatal(err)
		}
		binDir = dir
	}
	path := filepath.Join(binDir, name)
	room := "./cmd/" + name
	if name == "berthboard" || name == "mailbox" || name == "personnel" || name == "harbourid" {
		room = "./standin/" + name
	}
	cmd := exec.Command("go", "build", "-o", path, room)
	cmd.Dir = Root()
	if out, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("building %s: %v\n%s", name, err, out)
	}
	built[name] = path
	return path
}

// Run runs one of the programs, which must end well, and gives what it said.
func Run(t testing.TB, stdin, name string, args ...string) string {
	t.Helper()
	cmd := exec.Command(Program(t, name), args...)
	cmd.Stdin = strings.NewReader(stdin)
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%s %s: %v\n%s", name, strings.Join(args, " "), err, out)
	}
	return string(out)
}

// Try runs one of the programs and gives what it said and its exit code.
func Try(t testing.TB, name string, args ...string) (string, int) {
	t.Helper()
	cmd := exec.Command(Program(t, name), args...)
	cmd.Env = append(os.Environ(), "DATABASE_URL=")
	out, err := cmd.CombinedOutput()
	if exit, ok := err.(*exec.ExitError); ok {
		return string(out), exit.ExitCode()
	}
	if err != nil {
		t.Fatal(err)
	}
	return string(out), 0
}

// Main runs the tests of a package and clears away what they share.
func Main(m *testing.M) int {
	code := m.Run()
	dropTemplates()
	if binDir != "" {
		os.RemoveAll(binDir)
	}
	return code
}

// Service is a running rosterd.
type Service struct {
	Base string
	cmd  *exec.Cmd
	out  *lines
	done chan error
}

// lines gathers what a program prints, for several goroutines.
type lines struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (l *lines) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.Write(p)
}

func (l *lines) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.String()
}

var readyLine = regexp.MustCompile(`msg=ready address=(http://\S+)`)

// Serve starts rosterd on a free port and waits until it is ready.
func Serve(t testing.TB, database string, args ...string) *Service {
	t.Helper()
	s := Begin(t, database, args...)
	s.Ready(t)
	return s
}

// Begin starts rosterd on a free port: see Ready.
func Begin(t testing.TB, database string, args ...string) *Service {
	t.Helper()
	return start(t, exec.Command(Program(t, "rosterd"), append([]string{"serve", "-listen", "127.0.0.1:0", "-second-factor", "offered", "-database-url", database}, args...)...))
}

// Ready waits until rosterd serves.
func (s *Service) Ready(t testing.TB) {
	t.Helper()
	s.serves(t, readyLine)
}

// Serving starts a program that serves, and waits until it has printed where.
func Serving(t testing.TB, cmd *exec.Cmd, where *regexp.Regexp) *Service {
	t.Helper()
	s := start(t, cmd)
	s.serves(t, where)
	return s
}

func (s *Service) serves(t testing.TB, where *regexp.Regexp) {
	t.Helper()
	Until(t, "the program to be ready", func() bool {
		if m := where.FindStringSubmatch(s.out.String()); m != nil {
			s.Base = m[1]
			return true
		}
		select {
		case err := <-s.done:
			t.Fatalf("%s ended: %v\n%s", s.cmd.Path, err, s.out)
		default:
		}
		return false
	})
}

func start(t testing.TB, cmd *exec.Cmd) *Service {
	t.Helper()
	s := &Service{cmd: cmd, out: &lines{}, done: make(chan error, 1)}
	cmd.Stdout, cmd.Stderr = s.out, s.out
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	go func() { s.done <- cmd.Wait() }()
	t.Cleanup(func() {
		s.Kill()
		if t.Failed() {
			t.Logf("it said:\n%s", tail(beside(s.out.String()), 4000))
		}
	})
	return s
}

// beside is what a program printed beside its lines on requests, of which the last twenty stay.
func beside(s string) string {
	var out []string
	all := strings.Split(s, "\n")
	for i, line := range all {
		if i >= len(all)-20 || !strings.Contains(line, " msg=request ") {
			out = append(out, line)
		}
	}
	return strings.Join(out, "\n")
}

func tail(s string, n int) string {
	if len(s) > n {
		return "…" + s[len(s)-n:]
	}
	return s
}

// Output is what the service has printed so far.
func (s *Service) Output() string { return s.out.String() }

// Kill ends the service at once, as a power cut would.
func (s *Service) Kill() {
	if s.cmd.ProcessState == nil {
		_ = s.cmd.Process.Signal(syscall.SIGKILL)
		s.done <- <-s.done
	}
}

// Stop asks the service to end and waits until it has.
func (s *Service) Stop(t testing.TB) {
	t.Helper()
	_ = s.cmd.Process.Signal(syscall.SIGTERM)
	err := <-s.done
	s.done <- err
	if err != nil {
		t.Fatalf("rosterd did not end well: %v\n%s", err, s.out)
	}
}

// SignIn gets a client for one of the people of the demo.
func (s *Service) SignIn(t testing.TB, user string) *client.Client {
	t.Helper()
	c := &client.Client{Base: s.Base}
	token, err := c.SignIn(context.Background(), user, demo.Password, "test")
	if err != nil {
		t.Fatalf("signing in as %s: %v", user, err)
	}
	c.Token = token.Secret
	return c
}

// LetIn has a user set the demo's password by a sign-in link that an administrator
// makes.
func LetIn(t testing.TB, by *client.Client, user, password string) {
	t.Helper()
	link, err := by.MakeSignInLink(context.Background(), user)
	if err != nil {
		t.Fatalf("a sign-in link for %s: %v", user, err)
	}
	_, code, _ := strings.Cut(link.Path, "#")
	if err := (&client.Client{Base: by.Base}).UseSignInLink(context.Background(), code, password); err != nil {
		t.Fatalf("the sign-in link of %s: %v", user, err)
	}
}

// Until waits for something to become so, and fails when it takes far longer
// than anything here should.
func Until(t testing.TB, what string, so func() bool) {
	t.Helper()
	for end := time.Now().Add(120 * time.Second); time.Now().Before(end); time.Sleep(10 * time.Millisecond) {
		if so() {
			return
		}
	}
	t.Fatalf("waited in vain for %s", what)
}

// Roster runs the command-line client as somebody would, with its own home.
type Roster struct {
	program, home, base string
}

// CommandLine is a command-line client that keeps its sign-in in a folder of
// its own.
func (s *Service) CommandLine(t testing.TB) *Roster {
	t.Helper()
	return &Roster{Program(t, "roster"), t.TempDir(), s.Base}
}

// Env is what a shell needs to run the same client on its own.
func (r *Roster) Env() []string {
	return []string{"PATH=" + filepath.Dir(r.program) + ":" + os.Getenv("PATH"), "XDG_CONFIG_HOME=" + r.home, "HOME=" + r.home, "ROSTER_SERVICE=" + r.base, "TZ=UTC"}
}

// Run runs a command and gives what it printed and its exit code.
func (r *Roster) Run(t testing.TB, stdin string, args ...string) (out, errOut string, code int) {
	t.Helper()
	cmd := exec.Command(r.program, args...)
	cmd.Env = append(os.Environ(), r.Env()...)
	cmd.Stdin = strings.NewReader(stdin)
	var o, e bytes.Buffer
	cmd.Stdout, cmd.Stderr = &o, &e
	err := cmd.Run()
	if exit, ok := err.(*exec.ExitError); ok {
		return o.String(), e.String(), exit.ExitCode()
	}
	if err != nil {
		t.Fatal(err)
	}
	return o.String(), e.String(), 0
}

// Must runs a command that has to end with exit code 0.
func (r *Roster) Must(t testing.TB, stdin string, args ...string) string {
	t.Helper()
	out, errOut, code := r.Run(t, stdin, args...)
	if code != 0 {
		t.Fatalf("roster %s: exit %d\n%s%s", strings.Join(args, " "), code, out, errOut)
	}
	return out
}

// Pause stops the program for a while, as when its machine is moved or swaps.
func (s *Service) Pause(d time.Duration) {
	_ = s.cmd.Process.Signal(syscall.SIGSTOP)
	time.Sleep(d)
	_ = s.cmd.Process.Signal(syscall.SIGCONT)
}

// Said is what the program has printed so far.
func (s *Service) Said() string { return s.out.String() }

// Client calls the service with a token, or as nobody without one.
func (s *Service) Client(token string) *client.Client {
	return &client.Client{Base: s.Base, Token: token}
}
