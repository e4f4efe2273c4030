package main

import (
	"encoding/json"

	"go.yaml.in/yaml/v3"
)

func mappingsList(c *call) error {
	if err := c.parse(); err != nil {
		return err
	}
	all, err := c.client.Mappings(c.ctx)
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
		rows = append(rows, []string{m.Key, m.Label, whose, m.ChangedAt.In(c.zone()).Format("2 Jan 2006")})
	}
	c.table(all, []string{"mapping", "label", "whose", "changed"}, rows)
	if len(rows) == 0 {
		c.say("No mapping is saved. roster mappings save does.")
	}
	return nil
}

func mappingsSave(c *call) error {
	label := c.flags.String("label", "", "what people call it; the key by default")
	shared := c.flags.Bool("shared", false, "for everybody")
	if err := c.parse("KEY", "FILE"); err != nil {
		return err
	}
	content, err := readFile(c, c.args[1])
	if err != nil {
		return err
	}
	var mapping map[string]any
	if err := yaml.Unmarshal(content, &mapping); err != nil {
		return &usageError{c.args[1] + " is neither YAML nor JSON: " + err.Error()}
	}
	raw, err := json.Marshal(mapping)
	if err != nil {
		return &usageError{c.args[1] + ": " + err.Error()}
	}
	if *label == "" {
		*label = c.args[0]
	}
	if err := c.client.PutMapping(c.ctx, c.args[0], *label, *shared, raw); err != nil {
		return err
	}
	c.done("Saved. roster users import -mapping %s FILE uses it.", c.args[0])
	return nil
}

func mappingsShow(c *call) error {
	if err := c.parse("KEY"); err != nil {
		return err
	}
	all, err := c.client.Mappings(c.ctx)
	if err != nil {
		return err
	}
	for _, m := range all.Mappings {
		if m.Key != c.args[0] {
			continue
		}
		if c.output == "json" {
			c.json(m)
			return nil
		} else if c.output == "csv" {
			return &usageError{"writes YAML or JSON, and no CSV"}
		}
		var mapping any
		if err := json.Unmarshal(m.Mapping, &mapping); err != nil {
			return err
		}
		out, err := yaml.Marshal(mapping)
		if err != nil {
			return err
		}
		_, err = c.out.Write(out)
		return err
	}
	return notThere("there is no mapping “%s”; roster mappings list has those you can use", c.args[0])
}

func mappingsRemove(c *call) error {
	if err := c.parse("KEY"); err != nil {
		return err
	}
	if err := c.client.DeleteMapping(c.ctx, c.args[0]); err != nil {
		return err
	}
	c.done("The mapping %s is gone.", c.args[0])
	return nil
}
