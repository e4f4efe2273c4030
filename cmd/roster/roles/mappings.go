package roles

import (
	"encoding/json"

	"ableroster/cmd/roster/command"

	"go.yaml.in/yaml/v3"
)

func init() {
	command.Add("mappings list", "", "saved mappings: how the columns of files become attributes of users", MappingsList)
	command.Add("mappings save", "KEY FILE [-shared]", "save a mapping written as YAML or JSON", MappingsSave)
	command.Add("mappings show", "KEY", "a saved mapping, to be changed and saved again", MappingsShow)
	command.Add("mappings remove", "KEY", "remove a saved mapping", MappingsRemove)
}

func MappingsList(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	all, err := c.Client.Mappings(c.Ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, m := range all.Mappings {
		whose := "own"
		switch {
		case !m.Mine:
			whose = "shared by " + m.Owner.Label
		case m.Shared:
			whose = "own, shared"
		}
		rows = append(rows, []string{m.Key, m.Label, whose, m.ChangedAt.In(c.Zone()).Format("2 Jan 2006")})
	}
	c.Table(all, []string{"mapping", "label", "whose", "changed"}, rows)
	if len(rows) == 0 {
		c.Say("No mapping is saved. roster mappings save does.")
	}
	return nil
}

func MappingsSave(c *command.Call) error {
	label := c.Flags.String("label", "", "what people call it; the key by default")
	shared := c.Flags.Bool("shared", false, "for everybody")
	if err := c.Parse("KEY", "FILE"); err != nil {
		return err
	}
	content, err := command.ReadFile(c, c.Args[1])
	if err != nil {
		return err
	}
	var mapping map[string]any
	if err := yaml.Unmarshal(content, &mapping); err != nil {
		return command.WrongUse(c.Args[1] + " is neither YAML nor JSON: " + err.Error())
	}
	raw, err := json.Marshal(mapping)
	if err != nil {
		return command.WrongUse(c.Args[1] + ": " + err.Error())
	}
	if *label == "" {
		*label = c.Args[0]
	}
	if err := c.Client.PutMapping(c.Ctx, c.Args[0], *label, *shared, raw); err != nil {
		return err
	}
	c.Done("Saved. roster users import -mapping %s FILE uses it.", c.Args[0])
	return nil
}

func MappingsShow(c *command.Call) error {
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	all, err := c.Client.Mappings(c.Ctx)
	if err != nil {
		return err
	}
	for _, m := range all.Mappings {
		if m.Key != c.Args[0] {
			continue
		}
		if c.Output == "json" {
			c.JSON(m)
			return nil
		} else if c.Output == "csv" {
			return command.WrongUse("writes YAML or JSON, and no CSV")
		}
		var mapping any
		if err := json.Unmarshal(m.Mapping, &mapping); err != nil {
			return err
		}
		out, err := yaml.Marshal(mapping)
		if err != nil {
			return err
		}
		_, err = c.Out.Write(out)
		return err
	}
	return command.NotThere("there is no mapping “%s”; roster mappings list has those you can use", c.Args[0])
}

func MappingsRemove(c *command.Call) error {
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	if err := c.Client.DeleteMapping(c.Ctx, c.Args[0]); err != nil {
		return err
	}
	c.Done("The mapping %s is gone.", c.Args[0])
	return nil
}
