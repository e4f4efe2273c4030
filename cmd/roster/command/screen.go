package command

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/term"
)

// screen is where a command writes. It keeps what could not be written, and shows at a terminal
// what is waited for once that takes longer than a second; whatever is written takes its place.
// It may be used by several goroutines at once.
type screen struct {
	terminal io.Writer // on which waiting is shown; nil shows nothing
	width    int       // of the terminal that output goes to, in columns; 0 where it goes elsewhere

	mu     sync.Mutex
	text   string // what is waited for
	shown  bool
	quiet  bool // while somebody is asked
	failed error
	end    chan struct{}
}

// newScreen is one for two outputs, and what to write to in place of each.
func newScreen(out, errOut io.Writer) (s *screen, toOut, toErr io.Writer) {
	s = &screen{text: "Waiting for the service", end: make(chan struct{})}
	if f, ok := out.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		s.width, _, _ = term.GetSize(int(f.Fd()))
	}
	if f, ok := errOut.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		s.terminal = f
		go s.show(time.Now())
	}
	return s, screenWriter{s, out}, screenWriter{s, errOut}
}

func (s *screen) show(began time.Time) {
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		select {
		case <-s.end:
			return
		case <-tick.C:
		}
		s.mu.Lock()
		if !s.quiet {
			fmt.Fprintf(s.terminal, "\r%s … %d s\x1b[K", s.text, int(time.Since(began).Seconds()))
			s.shown = true
		}
		s.mu.Unlock()
	}
}

// clear removes what is shown. The caller holds the lock.
func (s *screen) clear() {
	if s.shown {
		fmt.Fprint(s.terminal, "\r\x1b[K")
		s.shown = false
	}
}

// WaitsFor says what is waited for.
func (s *screen) WaitsFor(text string) {
	s.mu.Lock()
	s.text = text
	s.mu.Unlock()
}

// hush shows nothing, while somebody is asked.
func (s *screen) hush(on bool) {
	s.mu.Lock()
	s.clear()
	s.quiet = on
	s.mu.Unlock()
}

// note keeps that something could not be written.
func (s *screen) note(err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.failed == nil {
		s.failed = err
	}
}

// close ends it, and is what could not be written.
func (s *screen) close() error {
	close(s.end)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.clear()
	return s.failed
}

// screenWriter is one output of a screen.
type screenWriter struct {
	s *screen
	w io.Writer
}

func (w screenWriter) Write(p []byte) (int, error) {
	w.s.mu.Lock()
	defer w.s.mu.Unlock()
	w.s.clear()
	n, err := w.w.Write(p)
	if err != nil && w.s.failed == nil {
		w.s.failed = err
	}
	return n, err
}

// ErrInterrupted ends a command that was broken off.
var ErrInterrupted = errors.New("interrupted")

// ErrNobody says that there is no terminal at which somebody could be asked.
var ErrNobody = errors.New("there is no terminal to ask at")

// Ask asks a person at a terminal, hidden without showing what is typed. It fails with
// errNobody where there is none, with errInterrupted when the command is broken off, and with
// io.EOF when the input ends; the terminal is as it was then.
func (c *Call) Ask(prompt string, hidden bool) (string, error) {
	f, isFile := c.In.(*os.File)
	if !isFile || !term.IsTerminal(int(f.Fd())) {
		return "", ErrNobody
	}
	c.Screen.hush(true)
	defer c.Screen.hush(false)
	fd := int(f.Fd())
	was, err := term.MakeRaw(fd) // before anything is typed
	if err != nil {
		return "", err
	}
	defer func() { _ = term.Restore(fd, was) }()
	keys := &keyboard{File: f}
	line := term.NewTerminal(keys, "")
	type answer struct {
		text string
		err  error
	}
	typed := make(chan answer, 1)
	go func() { // ends with the program, when it is broken off
		var a answer
		if hidden {
			a.text, a.err = line.ReadPassword(prompt)
		} else {
			line.SetPrompt(prompt)
			a.text, a.err = line.ReadLine()
		}
		typed <- a
	}()
	select {
	case a := <-typed:
		if a.err != nil {
			fmt.Fprint(f, "\r\n")
		}
		if keys.brokenOff.Load() {
			return "", ErrInterrupted
		}
		return a.text, a.err
	case <-c.Ctx.Done():
		fmt.Fprint(f, "\r\n")
		return "", ErrInterrupted
	}
}

// keyboard notices Ctrl-C, which in a raw terminal is a key like others.
type keyboard struct {
	*os.File
	brokenOff atomic.Bool
}

func (k *keyboard) Read(p []byte) (int, error) {
	n, err := k.File.Read(p)
	if bytes.IndexByte(p[:n], 3) >= 0 {
		k.brokenOff.Store(true)
	}
	return n, err
}
