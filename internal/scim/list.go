package scim

import (
	"context"
	"errors"
	"slices"
	"strings"

	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/internal/saved"
	"ableroster/internal/seeing"
)

// Query is what a list is asked for (sections 3.4.2 and 3.4.3). Counts from 1.
type Query struct {
	Schemas    []string `json:"schemas"`
	Attributes []string `json:"attributes"`
	Excluded   []string `json:"excludedAttributes"`
	Filter     string   `json:"filter"`
	SortBy     string   `json:"sortBy"`
	SortOrder  string   `json:"sortOrder"`
	Start      *int     `json:"startIndex"`
	Count      *int     `json:"count"`
}

// ListSchema and SearchSchema are what lists and searches say they are.
const (
	ListSchema   = "urn:ietf:params:scim:api:messages:2.0:ListResponse"
	SearchSchema = "urn:ietf:params:scim:api:messages:2.0:SearchRequest"
)

// MostResults is how many resources one answer has at most.
const MostResults = 500

// List is section 3.4.2.
type List struct {
	Schemas   []string   `json:"schemas"`
	Total     int        `json:"totalResults"`
	Start     int        `json:"startIndex"`
	PerPage   int        `json:"itemsPerPage"`
	Resources []Resource `json:"Resources"`
}

// Light says whether a list is looked up rather than searched for: by one equality of what
// identifies a resource.
func Light(q Query) bool {
	e, err := filter.Parse(q.Filter)
	if err != nil {
		return q.Filter != ""
	}
	c, ok := e.(*filter.Compare)
	return ok && c.Operator == filter.Equal && (strings.EqualFold(c.Attribute, "id") || strings.EqualFold(c.Attribute, "userName") || strings.EqualFold(c.Attribute, "externalId"))
}

// Find lists resources of a type.
func (c *Client) Find(ctx context.Context, kind string, q Query) (List, error) {
	v := c.Service.Now(ctx, c.Caller)
	schemas := schemasOf(v, kind)
	keep, err := projection(schemas, q)
	if err != nil {
		return List{}, err
	}
	var e filter.Expression
	fs := filterSchema(schemas)
	if q.Filter != "" {
		if e, err = filter.Parse(q.Filter); err != nil {
			return List{}, bad(invalidFilter, "%s", err)
		}
		if wrong := filter.Check(e, q.Filter, fs); len(wrong) > 0 {
			return List{}, bad(invalidFilter, "%s", wrong[0].Error())
		}
	}
	all, external, err := c.matching(ctx, v, kind, e, fs)
	if err != nil {
		return List{}, err
	}
	if err := c.order(v, kind, schemas, q, all, external); err != nil {
		return List{}, err
	}
	out := List{Schemas: []string{ListSchema}, Total: len(all), Start: 1, Resources: []Resource{}}
	if q.Start != nil && *q.Start > 1 { // section 3.4.2.4: less is 1
		out.Start = *q.Start
	}
	count := 100
	if q.Count != nil {
		count = min(max(0, *q.Count), MostResults)
	}
	if from := out.Start - 1; from < len(all) {
		page := all[from:min(len(all), from+count)]
		if external == nil {
			if external, err = c.Service.Saved.Externals(ctx, c.Caller.User, factKind(kind), page); err != nil {
				return List{}, err
			}
		}
		for _, row := range page {
			out.Resources = append(out.Resources, keep(c.resource(v, kind, row, external[row].ID, wantsAll(q))))
		}
	}
	out.PerPage = len(out.Resources)
	return out, nil
}

func wantsAll(q Query) bool {
	return slices.ContainsFunc(q.Attributes, func(a string) bool {
		return strings.Contains(strings.ToLower(a), "entitlements")
	})
}

func (c *Client) resource(v *seeing.View, kind string, row uint32, external string, all bool) Resource {
	if kind == Groups {
		return c.group(v, v.Uncut().Group(fact.GroupID(row)), external)
	}
	return c.user(v, v.Uncut().User(fact.UserID(row)), external, all)
}

// matching are the rows that a filter chooses, in order of ids. What the client calls them is
// looked up for all only where the filter may ask for it.
func (c *Client) matching(ctx context.Context, v *seeing.View, kind string, e filter.Expression, fs filter.Schema) (rows []uint32, external map[uint32]saved.External, err error) {
	if row, direct, err := c.direct(ctx, v, kind, e); direct || err != nil {
		if row != 0 {
			rows = append(rows, row)
		}
		return rows, nil, err
	}
	gone := kind == Groups // a group that the client deleted is not there for it
	if gone || e != nil && slices.ContainsFunc(filter.Attributes(e), func(a string) bool { return strings.EqualFold(a, "externalId") }) {
		if external, err = c.Service.Saved.Externals(ctx, c.Caller.User, factKind(kind), nil); err != nil {
			return nil, nil, err
		}
	}
	if kind == Groups {
		for g := range v.Uncut().Groups() {
			if thereGroup(v, g) && !external[uint32(g.ID)].Gone && (e == nil || filter.Match(e, fs, object(c.group(v, g, external[uint32(g.ID)].ID)))) {
				rows = append(rows, uint32(g.ID))
			}
		}
		return rows, external, nil
	}
	ids := map[uint32]string{}
	for row, x := range external {
		ids[row] = x.ID
	}
	fits := func(filter.Source) bool { return true }
	if e != nil {
		fits = filter.Compile(e, fs)
	}
	reads := v.ReadsUser
	if v.Rights().ReadsAllUsers() {
		reads = func(fact.UserID) bool { return true }
	}
	i, one := 0, person{c: c, v: v, external: ids}
	for u := range v.Uncut().Users() {
		if i++; i%1024 == 0 && ctx.Err() != nil {
			return nil, nil, ctx.Err()
		}
		if one.u = u; isThere(u) && reads(u.ID) && fits(&one) {
			rows = append(rows, uint32(u.ID))
		}
	}
	return rows, external, nil
}

// direct looks one resource up by what identifies it.
func (c *Client) direct(ctx context.Context, v *seeing.View, kind string, e filter.Expression) (row uint32, direct bool, err error) {
	x, ok := e.(*filter.Compare)
	if !ok || x.Operator != filter.Equal {
		return 0, false, nil
	}
	value, ok := x.Value.(string)
	if !ok {
		return 0, false, nil
	}
	switch {
	case strings.EqualFold(x.Attribute, "id"):
		row, _ = fact.ParseID(string(factKind(kind)), value)
	case strings.EqualFold(x.Attribute, "externalId"):
		if row, _, err = c.Service.Saved.FindExternal(ctx, c.Caller.User, factKind(kind), value); err != nil {
			return 0, true, err
		}
	case strings.EqualFold(x.Attribute, "userName") && kind == Users:
		if fact.LooksLikeID(strings.ToLower(value)) {
			return 0, true, nil
		}
		id, _ := v.Uncut().FindUser(value)
		row = uint32(id)
	default:
		return 0, false, nil
	}
	if row == 0 {
		return 0, true, nil
	}
	_, err = c.Get(ctx, kind, idOf(kind, row), false)
	var missing *Error
	if errors.As(err, &missing) {
		return 0, true, nil
	}
	return row, true, err
}

// order puts rows in order (section 3.4.2.3): those without a value last, and first the other way
// round.
func (c *Client) order(v *seeing.View, kind string, schemas []Schema, q Query, rows []uint32, external map[uint32]saved.External) error {
	if q.SortBy == "" {
		return nil
	}
	p, err := parsePath(schemas, q.SortBy)
	if err != nil || p.attr == nil || p.where != nil || p.attr.Type == "complex" && p.sub == nil && among(p.attr.Sub, "value") == nil {
		return bad(invalidValue, "sortBy: %q is nothing that can be sorted by", q.SortBy)
	}
	down := false
	switch strings.ToLower(q.SortOrder) {
	case "", "ascending":
	case "descending":
		down = true
	default:
		return bad(invalidValue, "sortOrder is ascending or descending")
	}
	key := func(row uint32) string {
		var of filter.Source
		if kind == Users {
			of = &person{c, v, v.Uncut().User(fact.UserID(row)), map[uint32]string{row: external[row].ID}}
		} else {
			of = object(c.resource(v, kind, row, external[row].ID, false))
		}
		values := of.Values(p.attr.Name)
		name := "value"
		if p.sub != nil {
			name = p.sub.Name
		}
		for _, x := range values {
			if in, ok := x.(filter.Source); ok {
				if inner := in.Values(name); len(inner) > 0 {
					x = inner[0]
				} else {
					continue
				}
			}
			switch x := x.(type) {
			case string:
				if p.attr.CaseExact {
					return "1" + x
				}
				return "1" + strings.ToLower(x)
			case bool:
				if x {
					return "11"
				}
				return "10"
			}
		}
		return "2"
	}
	keys := make(map[uint32]string, len(rows))
	for _, row := range rows {
		keys[row] = key(row)
	}
	slices.SortStableFunc(rows, func(a, b uint32) int {
		n := strings.Compare(keys[a], keys[b])
		if down {
			return -n
		}
		return n
	})
	return nil
}

// projection is what of a resource goes out (section 3.9): what is asked for, or all but what is
// left out; what is always returned in any case.
func projection(schemas []Schema, q Query) (func(Resource) Resource, error) {
	if len(q.Attributes) > 0 && len(q.Excluded) > 0 {
		return nil, bad(invalidSyntax, "attributes and excludedAttributes exclude each other")
	}
	type part struct{ uri, attr, sub string }
	parts := func(names []string) (out []part) {
		for _, n := range names {
			n = strings.TrimSpace(n)
			if uri := uriOf(schemas, n); uri != "" {
				out = append(out, part{uri: uri})
				continue
			}
			if p, err := parsePath(schemas, n); err == nil && p.attr != nil {
				x := part{uri: p.uri, attr: p.attr.Name}
				if p.sub != nil {
					x.sub = p.sub.Name
				}
				out = append(out, x)
			}
		}
		return out
	}
	in, left := parts(q.Attributes), parts(q.Excluded)
	return func(r Resource) Resource {
		out := Resource{}
		each := func(uri string, from, to Resource) {
			for name, value := range from {
				if a, _ := find(schemas, uri, name); a == nil || a.Returned == "always" {
					if a != nil {
						to[name] = value
					}
					continue
				}
				if len(q.Attributes) > 0 {
					for _, p := range in {
						if p.uri != uri || p.attr != "" && p.attr != name {
							continue
						}
						if p.sub == "" {
							to[name] = value
							break
						}
						to[name] = only1(value, p.sub, to[name])
					}
					continue
				}
				drop := slices.ContainsFunc(left, func(p part) bool { return p.uri == uri && (p.attr == "" || p.attr == name) && p.sub == "" })
				if drop {
					continue
				}
				for _, p := range left {
					if p.uri == uri && p.attr == name && p.sub != "" {
						value = without1(value, p.sub)
					}
				}
				to[name] = value
			}
		}
		each(schemas[0].ID, r, out)
		for _, s := range schemas[1:] {
			if inner, ok := r[s.ID].(Resource); ok {
				kept := Resource{}
				if each(s.ID, inner, kept); len(kept) > 0 {
					out[s.ID] = kept
				}
			}
		}
		return out
	}, nil
}

// only1 is a value with one of its parts, beside those there are already.
func only1(value any, sub string, have any) any {
	switch x := value.(type) {
	case Resource:
		out, _ := have.(Resource)
		if out == nil {
			out = Resource{}
		}
		if v, ok := x[sub]; ok {
			out[sub] = v
		}
		return out
	case []any:
		before, _ := have.([]any)
		out := make([]any, len(x))
		for i := range x {
			var h any
			if i < len(before) {
				h = before[i]
			}
			out[i] = only1(x[i], sub, h)
		}
		return out
	}
	return value
}

func without1(value any, sub string) any {
	switch x := value.(type) {
	case Resource:
		out := Resource{}
		for k, v := range x {
			if k != sub {
				out[k] = v
			}
		}
		return out
	case []any:
		out := make([]any, len(x))
		for i := range x {
			out[i] = without1(x[i], sub)
		}
		return out
	}
	return value
}

// Project is what of one resource goes out.
func (c *Client) Project(ctx context.Context, kind string, r Resource, q Query) (Resource, error) {
	keep, err := projection(schemasOf(c.Service.Now(ctx, c.Caller), kind), q)
	if err != nil {
		return nil, err
	}
	return keep(r), nil
}

// WantsAll says whether what somebody can do is asked for.
func WantsAll(q Query) bool { return wantsAll(q) }
