package scim

import (
	"strings"
	"unicode"

	"ableroster/internal/fact"
	"ableroster/internal/seeing"
)

// thereGroup says whether a group is there for a client: no built-in one, that it may read.
func thereGroup(v *seeing.View, g *fact.Group) bool {
	return g != nil && g.ID != fact.PublicGroup && g.ID != fact.AllUsersGroup && v.ReadsGroup(g.ID)
}

// group is a group as a resource, with those of its members that the client may read.
func (c *Client) group(v *seeing.View, g *fact.Group, external string) Resource {
	out := Resource{"schemas": []any{GroupSchema}, "id": g.ID.String(), "displayName": g.Label}
	if g.Label == "" {
		out["displayName"] = g.Key
	}
	if external != "" {
		out["externalId"] = external
	}
	var members []any
	for _, m := range v.Uncut().Members(g.ID) {
		if m.Rule != 0 || m.Position || m.Window.Over(v.At) {
			continue
		}
		if m.Member.User != 0 {
			if u := v.Uncut().User(m.Member.User); there(v, u) {
				members = append(members, Resource{"value": u.ID.String(), "$ref": c.at(Users, u.ID.String()), "type": "User", "display": seeing.Label(u)})
			}
		} else if inner := v.Uncut().Group(m.Member.Group); thereGroup(v, inner) {
			members = append(members, Resource{"value": inner.ID.String(), "$ref": c.at(Groups, inner.ID.String()), "type": "Group", "display": inner.Label})
		}
	}
	if members != nil {
		out["members"] = members
	}
	return c.finish(out, Groups)
}

// membersOf are the ids of the members that a resource lists.
func membersOf(r Resource) (out []string, err error) {
	all, _ := r["members"].([]any)
	for _, x := range all {
		m, _ := x.(Resource)
		id := textOf(m, "value")
		if id == "" {
			return nil, bad(invalidValue, "a member has no value")
		}
		out = append(out, id)
	}
	return out, nil
}

func memberOp(verb, group, id string) (operation, error) {
	op := operation{"op": verb, "group": group}
	switch {
	case strings.HasPrefix(id, "user-"):
		op["user"] = id
	case strings.HasPrefix(id, "group-"):
		op["member_group"] = id
	default:
		return nil, bad(invalidValue, "there is no user or group %q", id)
	}
	return op, nil
}

// keyOf makes the key of a group of what people call it.
func keyOf(label string) string {
	words := strings.FieldsFunc(strings.ToLower(label), func(r rune) bool { return r > unicode.MaxASCII || !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	key := strings.Join(words, "-")
	if key == "" || !unicode.IsLetter(rune(key[0])) {
		key = strings.TrimSuffix("group-of-"+key, "-")
	}
	return strings.Trim(key[:min(len(key), 60)], "-")
}

func (c *Client) creatingGroup(v *seeing.View, want Resource, row uint32) ([]operation, error) {
	members, err := membersOf(want)
	if err != nil {
		return nil, err
	}
	label := textOf(want, "displayName")
	ref := keyOf(label)
	ops := []operation{{"op": "add_group", "key": ref, "label": label}}
	if row != 0 {
		ref = fact.GroupID(row).String()
		ops = []operation{{"op": "update_group", "group": ref, "label": label}}
	}
	for _, id := range members {
		op, err := memberOp("add_member", ref, id)
		if err != nil {
			return nil, err
		}
		ops = append(ops, op)
	}
	return ops, nil
}

func (c *Client) alteringGroup(v *seeing.View, id string, have, want Resource) ([]operation, error) {
	var ops []operation
	label := textOf(want, "displayName")
	if label == "" {
		return nil, bad(invalidValue, "displayName is missing")
	}
	if label != textOf(have, "displayName") {
		ops = append(ops, operation{"op": "update_group", "group": id, "label": label})
	}
	is, err := membersOf(have)
	if err != nil {
		return nil, err
	}
	to, err := membersOf(want)
	if err != nil {
		return nil, err
	}
	in := func(all []string) map[string]bool {
		out := map[string]bool{}
		for _, x := range all {
			out[x] = true
		}
		return out
	}
	had, has := in(is), in(to)
	for _, x := range is {
		if !has[x] {
			op, err := memberOp("remove_member", id, x)
			if err != nil {
				return nil, err
			}
			ops = append(ops, op)
		}
	}
	for _, x := range to {
		if !had[x] {
			had[x] = true
			op, err := memberOp("add_member", id, x)
			if err != nil {
				return nil, err
			}
			ops = append(ops, op)
		}
	}
	return ops, nil
}
