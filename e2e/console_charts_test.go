package e2e

import (
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// Pictures have an axis, today and what stands behind a mark; what they show is told beside
// them in words, for who cannot see it.
func TestPicturesAreToldInWordsToo(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := signedIn(t, s, demo.Administrator)
	count := func(expression string) (n int) {
		t.Helper()
		b.Eval(expression, &n)
		return n
	}
	b.Go("/users/" + demo.Pilot + "?tab=timeline")
	b.Sees("Press a bar to read what began it")
	b.Until("it is drawn", `document.querySelectorAll("main svg rect").length > 3`)
	if n := count(`[...document.querySelectorAll("main svg text")].filter((x) => /^(20\d\d|[A-Z][a-z]{2}|today)$/.test(x.textContent.trim())).length`); n < 5 {
		t.Errorf("%d marks on its axis", n)
	}
	b.Eval(`document.querySelector("main svg rect").dispatchEvent(new MouseEvent("click", { bubbles: true }))`, nil)
	b.Sees("given directly")
	if lines, bars := count(`document.querySelectorAll("main details li").length`), count(`document.querySelectorAll("main svg rect").length`); lines != bars {
		t.Errorf("%d bars are told in %d lines", bars, lines)
	}
	b.Accessible()
	b.Go("/applications/berth-planning?tab=time")
	b.Until("it is drawn", `document.querySelectorAll("main svg path").length > 2`)
	b.Press("As a table")
	b.Sees("given directly")
	b.Accessible()
	b.Go("/users/" + demo.Pilot + "?tab=check&application=berth-planning&action=read&path=board")
	b.Until("it is drawn", `document.querySelectorAll("main svg path").length > 4`)
	if n := count(`[...document.querySelectorAll("main svg title")].filter((x) => x.textContent === "Pilots").length`); n != 1 {
		t.Errorf("a group stands in it %d times", n)
	}
	b.Accessible()
	b.Go("/units")
	b.Sees("in it itself")
	b.Pick("Role to count", "Berth r", "Berth reader")
	b.Sees("of Berth reader")
	b.Accessible()
	b.Press("Pilotage")
	b.Sees("Marine / Pilotage")
}
