// Package format1 is frozen: it reads the operations that ledgers of the first format
// keep, and writes them as the second format has them. The stored bytes stay as they
// are, and so do the hashes over them; only what is read from them is translated. It
// knows none of our other packages, so that nothing that changes there changes what old
// ledgers say.
package format1

import (
	"encoding/json"
	"fmt"
	"regexp"
	"strings"
)

// verbs are the names of operations that differ.
var verbs = map[string]string{
	"offer_role":      "make_requestable",
	"end_offer":       "end_requestable",
	"ask_role":        "request_role",
	"review_lines":    "decide_items",
	"settle_proposal": "settle_pending_removal",
	"add_conflict":    "add_sod_rule",
	"update_conflict": "update_sod_rule",
	"end_conflict":    "end_sod_rule",
}

// fields are the names of fields that differ, by the operation's name in this format.
var fields = map[string]map[string]string{
	"add_role":        {"longest": "max_days"},
	"update_role":     {"longest": "max_days"},
	"offer_role":      {"longest": "max_days"},
	"decide_request":  {"verdict": "decision"},
	"review_lines":    {"lines": "items"},
	"settle_proposal": {"proposal": "removal"},
	"add_conflict":    {"conflict": "sod_rule"},
	"update_conflict": {"conflict": "sod_rule"},
	"end_conflict":    {"conflict": "sod_rule"},
}

// Operation is a stored operation in the second format: a JSON object. It fails on what
// is no object with an "op". It may be called by several goroutines.
func Operation(raw []byte) ([]byte, error) {
	var o map[string]json.RawMessage
	if err := json.Unmarshal(raw, &o); err != nil {
		return nil, err
	}
	var verb string
	if err := json.Unmarshal(o["op"], &verb); err != nil {
		return nil, fmt.Errorf("an operation without a name: %w", err)
	}
	changed := false
	for from, to := range fields[verb] {
		if v, ok := o[from]; ok {
			o[to] = v
			delete(o, from)
			changed = true
		}
	}
	for name, v := range o {
		if after := references(v); after != nil && name != "op" && refers[name] {
			o[name], changed = after, true
		}
	}
	if evaluates(verb, o) {
		changed = true
	}
	if to := verbs[verb]; to != "" {
		o["op"], changed = json.RawMessage(`"`+to+`"`), true
	}
	if !changed {
		return raw, nil
	}
	return json.Marshal(o)
}

// refers are the fields, by their name in the second format, that hold ids whose kind is
// named otherwise.
var refers = map[string]bool{"sod_rule": true, "removal": true, "proposed": true, "things": true}

var ids = regexp.MustCompile(`"(conflict|proposal|offer|verdict)-([0-9]+)"`)

// kinds are the names of kinds of facts that differ.
var kinds = map[string]string{"conflict": "sod-rule", "proposal": "pending-removal", "offer": "requestable", "verdict": "review-decision"}

// references are ids as the second format has them, nil where none differs.
func references(v json.RawMessage) json.RawMessage {
	if !ids.Match(v) {
		return nil
	}
	return ids.ReplaceAllFunc(v, func(id []byte) []byte {
		m := ids.FindSubmatch(id)
		return []byte(`"` + kinds[string(m[1])] + "-" + string(m[2]) + `"`)
	})
}

// evaluates renames the right to ask for decisions where an operation speaks of the
// application able-roster, and says whether it did.
func evaluates(verb string, o map[string]json.RawMessage) bool {
	var application string
	if json.Unmarshal(o["application"], &application) != nil || application != "able-roster" && application != "application-1" {
		return false
	}
	switch verb {
	case "add_permission":
		var actions []string
		if json.Unmarshal(o["actions"], &actions) != nil {
			return false
		}
		renamed := false
		for i, a := range actions {
			if a == "decide" {
				actions[i], renamed = "evaluate", true
			}
		}
		if renamed {
			o["actions"], _ = json.Marshal(actions)
		}
		return renamed
	case "set_expectation":
		if strings.TrimSpace(string(o["action"])) == `"decide"` {
			o["action"] = json.RawMessage(`"evaluate"`)
			return true
		}
	}
	return false
}
