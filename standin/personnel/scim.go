package main

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"time"
)

// scim is a client of SCIM 2.0.
type scim struct {
	Base, Token string
	http        http.Client
}

// call sends a body, if there is one.
func (s *scim) call(ctx context.Context, method, path string, body map[string]any) (status int, answer map[string]any, err error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	var in io.Reader
	if body != nil {
		raw, err := json.Marshal(body)
		if err != nil {
			return 0, nil, err
		}
		in = bytes.NewReader(raw)
	}
	r, err := http.NewRequestWithContext(ctx, method, s.Base+path, in)
	if err != nil {
		return 0, nil, err
	}
	r.Header.Set("Authorization", "Bearer "+s.Token)
	r.Header.Set("Content-Type", "application/scim+json")
	out, err := s.http.Do(r)
	if err != nil {
		return 0, nil, err
	}
	defer out.Body.Close()
	raw, err := io.ReadAll(io.LimitReader(out.Body, 16<<20))
	if err == nil && len(raw) > 0 {
		err = json.Unmarshal(raw, &answer)
	}
	return out.StatusCode, answer, err
}
