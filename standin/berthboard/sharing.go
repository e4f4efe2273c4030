package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"net/url"
	"time"
)

// shareable is the role that the board shares within one berth.
const shareable = "berth-planning/north-scheduler"

// share is with whom a berth is shared.
type share struct {
	Path string
	User struct{ Key, Label string }
}

// shared asks Able Roster what is shared that whoever is signed in has to do with.
func (d *decisions) shared(ctx context.Context, user string) ([]share, error) {
	var out struct{ Shares []share }
	err := d.actingFor(ctx, user, "GET", "/api/v1/shares?"+url.Values{"application": {application}, "path": {"berths"}}.Encode(), nil, &out)
	return out.Shares, err
}

// change makes one change for whoever is signed in.
func (d *decisions) change(ctx context.Context, user, reason string, operation map[string]any) error {
	return d.actingFor(ctx, user, "POST", "/api/v1/changes", map[string]any{"operations": []any{operation}, "reason": reason}, nil)
}

// actingFor makes a call of Able Roster as the board's account, for somebody. What was refused
// comes back in its words.
func (d *decisions) actingFor(ctx context.Context, user, method, address string, in, out any) error {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	var body io.Reader
	if in != nil {
		raw, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(raw)
	}
	r, err := http.NewRequestWithContext(ctx, method, d.Base+address, body)
	if err != nil {
		return err
	}
	r.Header.Set("Authorization", "Bearer "+d.Token)
	r.Header.Set("Roster-Acting-For", user)
	if in != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	answer, err := d.http.Do(r)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	if answer.StatusCode != http.StatusOK {
		var told struct {
			Detail string
			Faults []struct{ Message string }
		}
		if err := json.NewDecoder(io.LimitReader(answer.Body, 1<<20)).Decode(&told); err != nil {
			return errors.New(answer.Status)
		}
		if len(told.Faults) > 0 {
			return errors.New(told.Faults[0].Message)
		}
		return errors.New(told.Detail)
	}
	if out == nil {
		return nil
	}
	return json.NewDecoder(io.LimitReader(answer.Body, 1<<20)).Decode(out)
}

// share shares a berth with a colleague, or ends that.
func (b *board) share(w http.ResponseWriter, r *http.Request) {
	path, with := r.FormValue("berth"), r.FormValue("with")
	operation := map[string]any{"op": "share_role", "role": shareable, "user": with, "path": path}
	reason, told := "Shared on the berth board", "Shared "+path+" with "+with+"."
	if r.FormValue("end") != "" {
		operation = map[string]any{"op": "end_shares", "application": application, "path": path, "user": with}
		reason, told = "Ended on the berth board", with+" has "+path+" no longer."
	}
	if err := b.roster.change(r.Context(), user(r), reason, operation); err != nil {
		http.Redirect(w, r, "/moorings?denied="+url.QueryEscape("Nothing was changed: "+err.Error()), http.StatusSeeOther)
		return
	}
	http.Redirect(w, r, "/moorings?told="+url.QueryEscape(told), http.StatusSeeOther)
}
