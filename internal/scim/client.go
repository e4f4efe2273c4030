package scim

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"maps"
	"net/http"
	"slices"
	"strings"

	"ableroster/internal/changing"
	"ableroster/internal/fact"
	"ableroster/internal/filter"
	"ableroster/internal/saved"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// Client is whoever calls, and where they reach the service. It is for one call.
type Client struct {
	Service *seeing.Service
	Caller  seeing.Caller
	Base    string // the address below which SCIM is served
	IfMatch string // the tag that a resource must still have, or blank

	based int64 // the revision on which it had that tag
}

// at is the address of a resource.
func (c *Client) at(kind, id string) string { return c.Base + "/" + kind + "/" + id }

func factKind(kind string) fact.FactKind {
	if kind == Groups {
		return fact.FactGroup
	}
	return fact.FactUser
}

// finish gives a resource its meta data: its version is a digest of what it tells this client,
// under whichever address the service is reached.
func (c *Client) finish(r Resource, kind string) Resource {
	raw, err := json.Marshal(r)
	if err != nil {
		panic(err) // texts, truth values, lists and objects alone
	}
	sum := sha256.Sum256(bytes.ReplaceAll(raw, []byte(c.Base), nil))
	id, _ := r["id"].(string)
	r["meta"] = Resource{"resourceType": strings.TrimSuffix(kind, "s"), "location": c.at(kind, id), "version": `W/"` + base64.RawURLEncoding.EncodeToString(sum[:15]) + `"`}
	return r
}

// Version is the entity tag of a resource (section 3.14).
func Version(r Resource) string {
	meta, _ := r["meta"].(Resource)
	version, _ := meta["version"].(string)
	return version
}

// Location is the address of a resource.
func Location(r Resource) string {
	meta, _ := r["meta"].(Resource)
	at, _ := meta["location"].(string)
	return at
}

// Get is a resource (section 3.4.1).
func (c *Client) Get(ctx context.Context, kind, id string, all bool) (Resource, error) {
	v := c.Service.Now(ctx, c.Caller)
	n, ok := fact.ParseID(string(factKind(kind)), id)
	if !ok {
		return nil, notFound(id)
	}
	external, err := c.Service.Saved.Externals(ctx, c.Caller.User, factKind(kind), []uint32{n})
	if err != nil {
		return nil, err
	}
	x := external[n]
	if kind == Groups {
		g := v.Uncut().Group(fact.GroupID(n))
		if !thereGroup(v, g) || x.Gone {
			return nil, notFound(id)
		}
		return c.group(v, g, x.ID), nil
	}
	u := v.Uncut().User(fact.UserID(n))
	if !there(v, u) {
		return nil, notFound(id)
	}
	return c.user(v, u, x.ID, all), nil
}

var errAltered = &Error{http.StatusPreconditionFailed, "", "the resource was altered since: read it again"}

// held is a resource that is about to be altered, as long as it is what the client saw.
func (c *Client) held(ctx context.Context, kind, id string) (Resource, error) {
	on := c.Service.Now(ctx, c.Caller).Basis().Revision
	r, err := c.Get(ctx, kind, id, false)
	if err != nil {
		return nil, err
	}
	if c.IfMatch != "" && c.IfMatch != "*" && !slices.ContainsFunc(strings.Split(c.IfMatch, ","), func(tag string) bool { return strings.TrimSpace(tag) == Version(r) }) {
		return nil, errAltered
	}
	if c.IfMatch != "" {
		c.based = on
	}
	return r, nil
}

// Create makes a resource (section 3.3), or brings back what the client deleted.
func (c *Client) Create(ctx context.Context, kind string, in Resource) (Resource, error) {
	v := c.Service.Now(ctx, c.Caller)
	want, err := c.wanted(v, kind, in)
	if err != nil {
		return nil, err
	}
	external := textOf(want, "externalId")
	if err := checkExternal(external); err != nil {
		return nil, err
	}
	row, gone, err := c.Service.Saved.FindExternal(ctx, c.Caller.User, factKind(kind), external)
	if err != nil {
		return nil, err
	}
	if row != 0 {
		if kind == Users {
			u := v.Uncut().User(fact.UserID(row))
			gone = u != nil && u.Status == fact.Departed && strings.EqualFold(u.UserName, textOf(want, "userName"))
		}
		if !gone {
			return nil, &Error{http.StatusConflict, uniqueness, "the externalId is that of another resource of this client"}
		}
	}
	ops, err := c.creating(v, kind, want, row)
	if err != nil {
		return nil, err
	}
	if row == 0 {
		row, err = c.make(ctx, kind, external, ops)
	} else if _, err = c.change(ctx, "created", kind, ops); err == nil {
		err = c.Service.Saved.SetExternal(ctx, c.Caller.User, factKind(kind), row, saved.External{ID: external})
	}
	if err != nil {
		return nil, taken(err)
	}
	if kind == Users {
		if err := c.Service.Saved.StaysHere(ctx, c.Caller.User, fact.UserID(row)); err != nil {
			return nil, err
		}
		if err := c.sends(ctx, fact.UserID(row), nil, want, true); err != nil {
			return nil, err
		}
	}
	return c.Get(ctx, kind, idOf(kind, row), false)
}

// make makes a resource that is new, and keeps what the client calls it: reserved before, so that
// nothing is made that cannot be called so, and made under a key of that, so that it is made once
// though it is sent again, and is found though the service that made it was broken off.
func (c *Client) make(ctx context.Context, kind, external string, ops []operation) (row uint32, err error) {
	var reserved int32
	var key string
	if external != "" {
		if reserved, err = c.Service.Saved.Reserve(ctx, c.Caller.User, factKind(kind), external); err != nil {
			return 0, err
		}
		key = saved.ReservedKey(factKind(kind), reserved)
	}
	made, err := c.changeOnce(ctx, "created", kind, ops, key)
	if err != nil {
		return 0, err
	}
	for _, m := range made.Made {
		if n, ok := fact.ParseID(string(factKind(kind)), m.ID); ok {
			row = n
			break
		}
	}
	if external == "" {
		return row, nil
	}
	return row, c.Service.Saved.Release(context.WithoutCancel(ctx), c.Caller.User, factKind(kind), reserved, row, external)
}

// mostExternal bounds what a client calls something, in bytes.
const mostExternal = 500

func checkExternal(id string) error {
	if len(id) > mostExternal || strings.ContainsRune(id, 0) {
		return bad(invalidValue, "externalId is longer than %d bytes, or no text", mostExternal)
	}
	return nil
}

func taken(err error) error {
	if errors.Is(err, saved.ErrExternalTaken) {
		return &Error{http.StatusConflict, uniqueness, err.Error()}
	}
	return err
}

// Replace is section 3.5.1: what is not given is cleared, what is only read is passed over.
func (c *Client) Replace(ctx context.Context, kind, id string, in Resource) (Resource, error) {
	have, err := c.held(ctx, kind, id)
	if err != nil {
		return nil, err
	}
	want, err := c.wanted(c.Service.Now(ctx, c.Caller), kind, in)
	if err != nil {
		return nil, err
	}
	return c.alter(ctx, kind, id, have, want, "replaced")
}

// Patch is section 3.5.2.
func (c *Client) Patch(ctx context.Context, kind, id string, body PatchBody) (Resource, error) {
	have, err := c.held(ctx, kind, id)
	if err != nil {
		return nil, err
	}
	schemas := schemasOf(c.Service.Now(ctx, c.Caller), kind)
	want := deepClone(have).(Resource)
	if err := patch(ctx, schemas, want, body); err != nil {
		return nil, err
	}
	return c.alter(ctx, kind, id, have, want, "altered")
}

// alter brings a resource from what it is to what is wanted.
func (c *Client) alter(ctx context.Context, kind, id string, have, want Resource, what string) (Resource, error) {
	external, n := textOf(want, "externalId"), uint32(0)
	if err := checkExternal(external); err != nil {
		return nil, err
	}
	n, _ = fact.ParseID(string(factKind(kind)), id)
	if other, _, err := c.Service.Saved.FindExternal(ctx, c.Caller.User, factKind(kind), external); err != nil || other != 0 && other != n {
		return nil, taken(cmp.Or(err, saved.ErrExternalTaken))
	}
	v := c.Service.Now(ctx, c.Caller)
	ops, err := c.altering(ctx, v, kind, id, have, want)
	if err != nil {
		return nil, err
	}
	if len(ops) > 0 {
		make := func() error { _, err := c.change(ctx, what, kind, ops); return err }
		if kind == Users && ops[0]["status"] == fact.Suspended {
			err = c.departing(ctx, v, fact.UserID(n), make)
		} else if err = make(); err == nil && kind == Users && ops[0]["status"] == fact.Active {
			err = c.Service.Saved.StaysHere(ctx, c.Caller.User, fact.UserID(n))
		}
		if err != nil {
			return nil, err
		}
	}
	if kind == Users {
		if err := c.sends(ctx, fact.UserID(n), have, want, what == "replaced"); err != nil {
			return nil, err
		}
	}
	if external != textOf(have, "externalId") {
		if err := c.Service.Saved.SetExternal(ctx, c.Caller.User, factKind(kind), n, saved.External{ID: external}); err != nil {
			return nil, taken(err)
		}
	}
	return c.Get(ctx, kind, id, false)
}

// Delete is section 3.6: a user departs, a group is emptied.
func (c *Client) Delete(ctx context.Context, kind, id string) error {
	have, err := c.held(ctx, kind, id)
	if err != nil {
		return err
	}
	v := c.Service.Now(ctx, c.Caller)
	if kind == Users {
		n, _ := fact.ParseID("user", id)
		return c.departing(ctx, v, fact.UserID(n), func() error {
			_, err := c.change(ctx, "deleted", kind, []operation{{"op": "update_user", "user": id, "status": fact.Departed}})
			return err
		})
	}
	want := maps.Clone(have)
	delete(want, "members")
	ops, err := c.altering(ctx, v, kind, id, have, want)
	if err != nil {
		return err
	}
	if len(ops) > 0 {
		if _, err := c.change(ctx, "deleted", kind, ops); err != nil {
			return err
		}
	}
	n, _ := fact.ParseID(string(factKind(kind)), id)
	return c.Service.Saved.SetExternal(ctx, c.Caller.User, factKind(kind), n, saved.External{ID: textOf(have, "externalId"), Gone: true})
}

// operation is one of a change, as the API takes it.
type operation = map[string]any

// change makes operations in one revision, under a sentence that says who sent what.
func (c *Client) change(ctx context.Context, what, kind string, ops []operation) (wire.ChangeResult, error) {
	return c.changeOnce(ctx, what, kind, ops, "")
}

// changeOnce is change, under an idempotency key; blank is none.
func (c *Client) changeOnce(ctx context.Context, what, kind string, ops []operation, key string) (wire.ChangeResult, error) {
	req := wire.ChangeRequest{BasedOn: c.based, Reason: "By SCIM: a " + strings.ToLower(strings.TrimSuffix(kind, "s")) + " was " + what}
	for _, op := range ops {
		raw, err := json.Marshal(op)
		if err != nil {
			return wire.ChangeResult{}, err
		}
		req.Operations = append(req.Operations, raw)
	}
	out, err := changing.Change(ctx, c.Service, c.Caller, req, changing.How{Key: key})
	var p *wire.Problem
	if errors.As(err, &p) {
		return out, refusal(p)
	}
	return out, err
}

// refusal is a refused change as an error of the protocol.
func refusal(p *wire.Problem) error {
	if p.Type == seeing.KindMoved {
		return errAltered
	}
	if p.Type == seeing.KindKeyReused { // of what a client calls by one externalId, another was made
		return &Error{http.StatusConflict, uniqueness, "the externalId is that of another resource of this client"}
	}
	e := &Error{Status: p.Status, Detail: p.Title}
	if p.Detail != "" {
		e.Detail = p.Detail
	}
	for _, f := range p.Faults {
		place := f.Place[strings.LastIndexByte(f.Place, '/')+1:]
		e.Detail += "; " + place + " " + f.Message
		if strings.Contains(f.Message, "is taken") {
			e.Status, e.Type = http.StatusConflict, uniqueness
		}
	}
	for _, g := range p.Rails {
		e.Detail += "; " + g.Message
	}
	if e.Status == http.StatusUnprocessableEntity {
		e.Status, e.Type = http.StatusBadRequest, invalidValue
	}
	return e
}

func textOf(r Resource, name string) string {
	s, _ := r[name].(string)
	return s
}

func deepClone(x any) any {
	switch x := x.(type) {
	case Resource:
		out := Resource{}
		for k, v := range x {
			out[k] = deepClone(v)
		}
		return out
	case []any:
		out := make([]any, len(x))
		for i, v := range x {
			out[i] = deepClone(v)
		}
		return out
	}
	return x
}

// object gives the attributes of a resource, or of a value in it, to filters.
type object Resource

// Values implements filter.Source.
func (o object) Values(name string) []any { return asValues(Resource(o), name) }

func asValues(r Resource, name string) []any {
	x, ok := r[name]
	if !ok {
		for _, inner := range r { // of an extension
			if in, is := inner.(Resource); is && in[name] != nil {
				x, ok = in[name], true
			}
		}
	}
	if !ok {
		return nil
	}
	all, many := x.([]any)
	if !many {
		all = []any{x}
	}
	out := make([]any, 0, len(all))
	for _, v := range all {
		if in, is := v.(Resource); is {
			out = append(out, object(in))
		} else {
			out = append(out, v)
		}
	}
	return out
}

var _ filter.Source = object{}

func idOf(kind string, row uint32) string {
	if kind == Groups {
		return fact.GroupID(row).String()
	}
	return fact.UserID(row).String()
}
