package authzen

import (
	"bytes"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
)

// pieces are what bodies are made of at random: what is usual, and what is wrong with some.
var pieces = []string{`{`, `}`, `[`, `]`, `,`, `:`, `"`, ` `, "\n", `null`, `true`, `1`, `-0.5e3`, `01`, `1.`, `.5`, `+1`, `NaN`, `nan`, `inf`, `-inf`, `1e999`, "\u00a0", "\x00", `'`, `//x`, `""`, `"subject"`, `"action"`, `"resource"`, `"type"`, `"id"`, `"name"`, `"properties"`,
	`"context"`, `"evaluations"`, `"options"`, `"evaluations_semantic"`, `"Type"`, `"user"`, `"ä"`, "\"\xff\"", "\"\x01\"", `"\u0061"`, `"\ud800"`, `"probe":true`, `"at":"2026-11-30T12:00:00Z"`,
	`{"owner":"a"}`, `{"a":1,"a":2}`, `{"a":{"b":[{"c":1,"c":1}]}}`, "\ufeff", `"extra":[1,{"x":null}]`}

const usualBody = `{"subject":{"type":"user","id":"marta.quill"},"action":{"name":"read","properties":{"a":[1, {"b":null}]}},"context":{"probe":true,"more":{"x":1}},` +
	`"evaluations":[{"resource":{"type":"berths","id":"quay/3"}},{"resource":{"type":"berths","id":"quay/ä","properties":{"owner":"x"}},"subject":{"type":"nobody","id":"-"}},{}],` +
	`"options":{"evaluations_semantic":"deny_on_first_deny"},"extra":{"y":[true,-1.5e3]}}`

// What is read the short way is what the library reads, and nothing else is read that way.
func TestTheShortWayReadsTheSame(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(17, 50))
	short, left := 0, 0
	hold := func(raw []byte) {
		t.Helper()
		var quick, whole Evaluations
		if !readUsual(raw, &quick) {
			left++
			if !reflect.DeepEqual(quick, Evaluations{}) {
				t.Fatalf("%q: something of it is kept that was not read", raw)
			}
			return
		}
		short++
		if err := read(raw, &whole); err != nil {
			t.Fatalf("%q is read, and is: %v", raw, err)
		}
		for _, e := range append(whole.Evaluations, whole.Evaluation) { // blanks between tokens are not kept
			for _, x := range []*Entity{e.Subject, e.Resource} {
				if x != nil {
					_ = x.Properties.Compact()
				}
			}
			if e.Action != nil {
				_ = e.Action.Properties.Compact()
			}
		}
		if !reflect.DeepEqual(quick, whole) {
			t.Fatalf("%q is read as\n%+v\nand not as\n%+v", raw, quick, whole)
		}
	}
	hold([]byte(usualBody))
	if short != 1 {
		t.Fatal("the usual body is not read the short way")
	}
	many := []byte(`{"evaluations":[{}` + strings.Repeat(`,{}`, MostEvaluations) + `]}`)
	if readUsual(many, new(Evaluations)) {
		t.Error("more evaluations than are answered are read the short way")
	}
	for range 20_000 {
		raw := []byte(usualBody)
		for range 1 + r.IntN(3) {
			at, piece := r.IntN(len(raw)+1), pieces[r.IntN(len(pieces))]
			end := min(len(raw), at+r.IntN(3)*r.IntN(12))
			switch r.IntN(4) {
			case 0:
				piece = "" // something is missing
			case 1: // something is there twice
				from := r.IntN(len(raw))
				piece = string(raw[from:min(len(raw), from+r.IntN(40))])
				end = at
			}
			raw = bytes.Join([][]byte{raw[:at], []byte(piece), raw[end:]}, nil)
		}
		hold(raw)
	}
	if short < 1_000 || left < 1_000 {
		t.Errorf("%d bodies were read the short way, %d were left", short, left)
	}
}
