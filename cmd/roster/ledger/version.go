package ledger

import (
	"runtime"
	"runtime/debug"

	"ableroster/cmd/roster/command"
)

func init() {
	command.Add("version", "", "which program this is", Version)
}

// Version says which program this is.
func Version(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	v := struct {
		Version  string `json:"version"`
		Revision string `json:"revision,omitempty"`
		Made     string `json:"made,omitempty"`
		Go       string `json:"go"`
		Platform string `json:"platform"`
	}{Version: "development", Go: runtime.Version(), Platform: runtime.GOOS + "/" + runtime.GOARCH}
	if info, ok := debug.ReadBuildInfo(); ok {
		if info.Main.Version != "" && info.Main.Version != "(devel)" {
			v.Version = info.Main.Version
		}
		for _, s := range info.Settings {
			switch s.Key {
			case "vcs.revision":
				v.Revision = s.Value
			case "vcs.time":
				v.Made = s.Value
			}
		}
	}
	c.Answer(v, func() {
		c.Say("roster %s, %s, %s", v.Version, v.Go, v.Platform)
		if v.Revision != "" {
			c.Say("Made from %.12s of %s.", v.Revision, v.Made)
		}
	}, []string{"version", "revision", "made", "go", "platform"}, []string{v.Version, v.Revision, v.Made, v.Go, v.Platform})
	return nil
}
