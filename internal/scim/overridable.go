package scim

import (
	"context"

	"ableroster/internal/fact"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
)

// overridable are the attributes of a user that come from the client and may be changed here.
func (c *Client) overridable(v *seeing.View, u *fact.User) []string {
	m := record.MachineAccount(v.Uncut(), c.Caller.User)
	if m == nil || u == nil || !m.IsSourceOf(u) {
		return nil
	}
	return m.Overridable
}

// value is that of an attribute of users among fields, and whether they have it.
func (f *fields) value(key string) (string, bool) {
	if value, ok := f.texts[key]; ok {
		return value, true
	}
	value, ok := f.custom[key]
	return value, ok
}

// keepOverridden takes out of an operation what was changed here since the client last sent it: that
// stays, until the client sends just what stands here.
func (c *Client) keepOverridden(ctx context.Context, v *seeing.View, u *fact.User, is *fields, op operation) error {
	keys := c.overridable(v, u)
	if len(keys) == 0 {
		return nil
	}
	sent, err := c.Service.Saved.ClientValues(ctx, c.Caller.User, u.ID)
	if err != nil {
		return err
	}
	custom, _ := op["custom"].(map[string]string)
	for _, key := range keys {
		last, known := sent[key]
		if here, ok := is.value(key); !known || !ok || here == last {
			continue
		}
		delete(op, key)
		delete(custom, key)
	}
	if len(custom) == 0 {
		delete(op, "custom")
	}
	return nil
}

// sends keeps what the client sent of attributes that may be changed here: of a resource that is
// whole all of them, else those that it altered.
func (c *Client) sends(ctx context.Context, user fact.UserID, have, want Resource, whole bool) error {
	v := c.Service.Now(ctx, c.Caller)
	keys := c.overridable(v, v.Uncut().User(user))
	if len(keys) == 0 {
		return nil
	}
	to, err := readFields(v, want)
	if err != nil {
		return err
	}
	is := fields{}
	if have != nil {
		if is, err = readFields(v, have); err != nil {
			return err
		}
	}
	values := map[string]string{}
	for _, key := range keys {
		value, ok := to.value(key)
		if here, _ := is.value(key); ok && (whole || value != here) {
			values[key] = value
		}
	}
	return c.Service.Saved.PutClientValues(ctx, c.Caller.User, user, values)
}
