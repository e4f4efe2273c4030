package command

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

func init() {
	Add("profiles list", "", "the sign-ins that are kept here, by name", ProfilesList)
}

// Saved is what sign-in keeps for later commands.
type Saved struct {
	Service string `json:"service"`
	Token   string `json:"token"`
	ID      int64  `json:"token_id"`
	User    string `json:"user"`
}

// profiles are the sign-ins that are kept, by name.
type profiles map[string]Saved

// defaultProfile is the name of the one that is meant where none is named.
const defaultProfile = "default"

// ProfileName is under which name one is signed in.
func (c *Call) ProfileName() string { return cmp.Or(c.profile, defaultProfile) }

func profilesPath() (string, error) {
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "able-roster", "sign-ins.json"), err
}

// ReadProfiles reads them; there are none where there is no file.
func ReadProfiles() (profiles, error) {
	all := profiles{}
	path, err := profilesPath()
	if err != nil {
		return nil, err
	}
	raw, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return all, nil
	}
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(raw, &all); err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w; remove it, and sign in again", path, err)
	}
	return all, nil
}

// Write keeps them in a file that its owner alone can read, whole or not at all.
func (all profiles) Write() error {
	path, err := profilesPath()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	raw, err := json.MarshalIndent(all, "", "  ")
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(path), ".sign-ins-*") // for its owner alone
	if err != nil {
		return err
	}
	_, err = f.Write(append(raw, '\n'))
	if err = errors.Join(err, f.Close()); err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err != nil {
		_ = os.Remove(f.Name())
	}
	return err
}

// find finds the service and the token of a command.
func (c *Call) find() error {
	all, err := ReadProfiles()
	if err != nil {
		return err
	}
	s, ok := all[c.ProfileName()]
	if !ok && c.profile != "" && c.Command.Words != "sign-in" && c.Command.Words != "sign-out" {
		return WrongUse(fmt.Sprintf("there is no sign-in under the name “%s”: roster profiles list has them", c.profile))
	}
	c.Client.Base = strings.TrimRight(First(c.service, os.Getenv("ROSTER_SERVICE"), s.Service, defaultService), "/")
	c.Client.Token = os.Getenv("ROSTER_TOKEN")
	// A token goes only to the service that gave it.
	if c.Client.Token == "" && c.Client.Base == s.Service {
		c.Client.Token = s.Token
	}
	return nil
}

const defaultService = "http://127.0.0.1:7420"

// ProfilesList lists the sign-ins that are kept.
func ProfilesList(c *Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	all, err := ReadProfiles()
	if err != nil {
		return err
	}
	type profile struct {
		Name    string `json:"profile"`
		User    string `json:"user"`
		Service string `json:"service"`
	}
	out, rows := []profile{}, [][]string{}
	for _, name := range slices.Sorted(maps.Keys(all)) {
		s := all[name]
		out = append(out, profile{name, s.User, s.Service})
		rows = append(rows, []string{name, s.User, s.Service})
	}
	if len(rows) == 0 && c.People() {
		c.Say("Nobody is signed in. roster sign-in -profile NAME keeps one under a name.")
		return nil
	}
	c.Table(out, []string{"profile", "user", "service"}, rows)
	return nil
}
