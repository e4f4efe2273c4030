package e2e

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"ableroster/wire"
)

// m is an object of JSON.
type m = map[string]any

func asText(x any) string {
	raw, err := json.Marshal(x)
	if err != nil {
		panic(err)
	}
	return string(raw)
}

// asFaults are the faults of a call that was refused.
func asFaults(err error) string {
	var p *wire.Problem
	if !errors.As(err, &p) {
		return ""
	}
	return fmt.Sprint(p.Faults)
}

// send sends a body of a kind, as whoever has a token, with more headers by name and value.
func send(t *testing.T, method, url, token, kind, body string, headers ...string) (status int, answer []byte, h http.Header) {
	t.Helper()
	r, err := http.NewRequestWithContext(ctx, method, url, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", kind)
	r.Header.Set("Authorization", "Bearer "+token)
	for i := 0; i < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	got, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer got.Body.Close()
	answer, err = io.ReadAll(got.Body)
	if err != nil {
		t.Fatal(err)
	}
	return got.StatusCode, answer, got.Header
}
