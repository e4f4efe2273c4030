package roles

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("imports folder", "DIR", "bring in the files that another system puts into a folder, once or again and again", ImportsFolder)
}

// dropFolder is a folder into which another system puts files.
type dropFolder struct {
	c       *command.Call
	dir     string
	root    *os.Root // of dir: no name in it leads out of it, whoever else writes there
	holds   string
	reason  string
	query   client.Query
	settled time.Duration
}

// The folders in it into which its files go.
const (
	doneFolder    = "done"
	refusedFolder = "refused"
)

// taken is what became of a file.
type taken struct {
	File     string `json:"file"`
	State    string `json:"state"` // done, unchanged or refused
	Revision int64  `json:"revision,omitempty"`
	Faults   int    `json:"faults,omitempty"`
	Moved    string `json:"moved"` // where it is now, below the folder
}

// ImportsFolder brings in the files that another system puts into a folder, in the order of their
// names, each as one change. What was brought in moves to the folder done in it, what was refused to
// refused, with its faults as CSV beside it; where the service does not answer, the files stay.
func ImportsFolder(c *command.Call) error {
	holds := c.Flags.String("holds", "users", "what the files hold: users, memberships, groups or assignments")
	mapping := c.Flags.String("mapping", "", "of users: a saved mapping of the files' columns to ours")
	link := c.Flags.Bool("link", false, "of users: a row that names nobody who is there, and looks like exactly one user who is, is that user's")
	units := c.Flags.Bool("new-units", false, "of users: units and employment types that are not there are new ones: add them")
	encoding := c.Flags.String("encoding", "", "of CSV: utf-8 by default, unless the mapping says another")
	separator := c.Flags.String("separator", "", "what stands between columns of CSV; seen from the header when not given")
	reason := c.Flags.String("reason", "", "why; the name of the file by default")
	reference := c.Flags.String("reference", "", "where the work was asked for, such as the number of a ticket")
	acknowledge := c.Flags.String("acknowledge", "", "guard rails to pass, by their codes, with a comma between them")
	every := c.Flags.Duration("every", 0, "look again after this time, such as 5m, until the command is stopped; once by default")
	settled := c.Flags.Duration("settled", 10*time.Second, "leave a file that was written to in this time: it may not be whole yet")
	if err := c.Parse("DIR"); err != nil {
		return err
	}
	f := &dropFolder{c: c, dir: c.Args[0], holds: *holds, reason: *reason, settled: *settled, query: client.Query{
		"mapping": *mapping, "encoding": *encoding, "separator": *separator, "reference": *reference, "acknowledge": *acknowledge}}
	switch {
	case !slices.Contains([]string{"users", "memberships", "groups", "assignments"}, f.holds):
		return command.WrongUse("-holds is users, memberships, groups or assignments, and not " + f.holds)
	case f.holds != "users" && (*mapping != "" || *units || *link):
		return command.WrongUse("-mapping, -new-units and -link go with -holds users")
	case *every < 0 || *every > 0 && *every < time.Second:
		return command.WrongUse("-every is a second at least")
	case *every > 0 && !c.People():
		return command.WrongUse("-every tells people what it does: -output does not go with it")
	}
	if *units {
		f.query["new_units"] = "true"
	}
	if *link {
		f.query["link"] = "true"
	}
	for {
		err := f.look()
		if *every == 0 || errors.Is(err, command.ErrInterrupted) || isWrong(err) {
			return err
		}
		if err != nil {
			fmt.Fprintf(c.Err, "roster imports folder: %v\n", err)
		}
		select {
		case <-c.Ctx.Done():
			return command.ErrInterrupted
		case <-time.After(*every):
		}
	}
}

// isWrong says whether looking again would not help: the folder is not there, or nobody is signed in.
func isWrong(err error) bool {
	var p *wire.Problem
	return errors.Is(err, fs.ErrNotExist) || errors.As(err, &p) && (p.Status == 401 || p.Status == 403)
}

// look takes the files that lie there now.
func (f *dropFolder) look() error {
	root, err := os.OpenRoot(f.dir)
	if err != nil {
		return err
	}
	defer root.Close()
	f.root = root
	entries, err := fs.ReadDir(root.FS(), ".") // by name
	if err != nil {
		return err
	}
	if _, err := f.c.Client.Me(f.c.Ctx); err != nil { // before a file is touched
		return err
	}
	all, refused := []taken{}, 0
	for _, e := range entries {
		info, err := e.Info()
		if err != nil || !info.Mode().IsRegular() || strings.HasPrefix(e.Name(), ".") || strings.HasSuffix(e.Name(), ".part") || strings.HasSuffix(e.Name(), ".tmp") {
			continue
		}
		if time.Since(info.ModTime()) < f.settled {
			f.c.Say("%s may be written still: left for the next time.", e.Name())
			continue
		}
		t, err := f.take(info)
		if err != nil {
			f.tell(all)
			return err
		}
		all = append(all, t)
		if t.State == "refused" {
			refused++
		}
	}
	f.tell(all)
	if refused > 0 {
		return fmt.Errorf("%s refused: what is wrong lies in %s", command.Count(refused, "file"), filepath.Join(f.dir, refusedFolder))
	}
	return nil
}

func (f *dropFolder) tell(all []taken) {
	var rows [][]string
	for _, t := range all {
		revision, faults := "", ""
		if t.Revision > 0 {
			revision = strconv.FormatInt(t.Revision, 10)
		}
		if t.Faults > 0 {
			faults = strconv.Itoa(t.Faults)
		}
		rows = append(rows, []string{t.File, t.State, revision, faults, t.Moved})
	}
	if len(rows) == 0 && f.c.People() {
		f.c.Say("No file to bring in.")
		return
	}
	f.c.Table(all, []string{"file", "state", "revision", "faults", "now at"}, rows)
}

// take brings one file in, and moves it. An error says that it stays, and why.
func (f *dropFolder) take(info fs.FileInfo) (taken, error) {
	t := taken{File: info.Name()}
	content, err := f.read(info)
	if err != nil {
		return t, err
	}
	q := client.Query{"file": t.File, "reason": f.reason}
	if f.reason == "" {
		q["reason"] = "The file " + t.File
	}
	for k, v := range f.query {
		q[k] = v
	}
	if f.holds == "users" && strings.HasSuffix(strings.ToLower(t.File), ".ldif") {
		q["format"] = "ldif"
	}
	// The same file, written at the same time, is brought in once, though this program was stopped
	// before it had moved it.
	sum := sha256.Sum256(fmt.Appendf(nil, "%s\n%s\n%v\n%d\n%s", f.holds, t.File, q, info.ModTime().UnixNano(), content))
	out, err := command.Watched(f.c, q, func(ctx context.Context) (wire.ChangeResult, error) {
		return f.c.Client.ImportOnce(ctx, fmt.Sprintf("folder %x", sum[:20]), f.holds, content, q)
	})
	var p *wire.Problem
	switch {
	case err == nil:
		t.State, t.Revision = "done", out.Revision
		if out.Unchanged {
			t.State, t.Revision = "unchanged", 0
		}
		t.Moved, err = f.move(t.File, doneFolder, info.ModTime())
		return t, err
	case errors.As(err, &p) && (p.Status == 422 || p.Status == 409 && p.Title != "Cancelled" || p.Status == 413):
		t.State, t.Faults = "refused", len(p.Faults)
		if t.Moved, err = f.move(t.File, refusedFolder, info.ModTime()); err != nil {
			return t, err
		}
		faults := p.Faults
		if len(faults) == 0 {
			faults = []wire.Fault{{Message: p.Detail}}
		}
		return t, f.tells(t.Moved+".faults.csv", faults)
	}
	return t, err
}

// tells writes faults into a file that is not there yet.
func (f *dropFolder) tells(name string, faults []wire.Fault) error {
	file, err := f.root.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	_, err = file.Write(faultsAsCSV(faults))
	return errors.Join(err, file.Close())
}

// read reads a file, if it is the one that was looked at, and not another that a name leads to.
func (f *dropFolder) read(info fs.FileInfo) ([]byte, error) {
	file, err := f.root.Open(info.Name())
	if err != nil {
		return nil, err
	}
	defer file.Close()
	now, err := file.Stat()
	if err != nil {
		return nil, err
	}
	if !os.SameFile(info, now) || !now.ModTime().Equal(info.ModTime()) {
		return nil, fmt.Errorf("%s was replaced meanwhile: left for the next time", info.Name())
	}
	return io.ReadAll(file)
}

// move moves a file into a folder below; a name comes again each night, so when it was written stands
// before it.
func (f *dropFolder) move(name, to string, written time.Time) (moved string, err error) {
	if err := f.root.Mkdir(to, 0o700); err != nil && !errors.Is(err, fs.ErrExist) {
		return "", err
	}
	moved = filepath.Join(to, written.UTC().Format("20060102T150405Z")+"-"+name)
	for n := 2; ; n++ {
		_, err := f.root.Lstat(moved)
		if errors.Is(err, fs.ErrNotExist) {
			break
		}
		if err != nil { // it leads out of the folder
			return "", err
		}
		moved = filepath.Join(to, fmt.Sprintf("%s-%d-%s", written.UTC().Format("20060102T150405Z"), n, name))
	}
	return moved, f.root.Rename(name, moved)
}
