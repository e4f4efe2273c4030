package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"
)

// decisions asks a policy decision point, as the OpenID AuthZEN Authorization API 1.0 has it.
// It knows nothing of Able Roster but this.
type decisions struct {
	Base, Token string
	http        http.Client
}

type entity struct {
	Type string `json:"type"`
	ID   string `json:"id"`
}

type action struct {
	Name string `json:"name"`
}

// question is one evaluation.
type question struct {
	Subject  entity         `json:"subject"`
	Action   action         `json:"action"`
	Resource entity         `json:"resource"`
	Context  map[string]any `json:"context,omitempty"`
}

// decision is what is answered.
type decision struct {
	Decision bool `json:"decision"`
	Context  struct {
		Reason      string            `json:"reason"`
		ReasonUser  map[string]string `json:"reason_user"`
		ReasonAdmin map[string]string `json:"reason_admin"`
		Requestable []struct{ Label, Request string }
		Error       *struct{ Message string }
	} `json:"context"`
}

// ask asks many questions in one call.
func (d *decisions) ask(ctx context.Context, questions []question) ([]decision, error) {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	raw, err := json.Marshal(map[string]any{"evaluations": questions})
	if err != nil {
		return nil, err
	}
	r, err := http.NewRequestWithContext(ctx, "POST", d.Base+"/access/v1/evaluations", bytes.NewReader(raw))
	if err != nil {
		return nil, err
	}
	r.Header.Set("Authorization", "Bearer "+d.Token)
	r.Header.Set("Content-Type", "application/json")
	answer, err := d.http.Do(r)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(io.LimitReader(answer.Body, 1<<20))
	if err != nil {
		return nil, err
	}
	if answer.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("%s: %s", answer.Status, strings.TrimSpace(string(text)))
	}
	var out struct{ Evaluations []decision }
	if err := json.Unmarshal(text, &out); err != nil {
		return nil, err
	}
	if len(out.Evaluations) != len(questions) {
		return nil, fmt.Errorf("%d questions were asked and %d answered", len(questions), len(out.Evaluations))
	}
	return out.Evaluations, nil
}
