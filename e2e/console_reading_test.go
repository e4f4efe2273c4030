package e2e

import (
	"testing"

	"ableroster/demo"
	"ableroster/testkit"
)

// wideText is what goes beyond the window on a page, blank for nothing: tables may scroll within
// themselves.
const wideText = `(() => { const m = document.getElementById("main"); const out = []
	const most = document.documentElement.clientWidth
	if (document.documentElement.scrollWidth > most + 1) out.push("the page is " + document.documentElement.scrollWidth + " in " + most)
	if (m.scrollWidth > m.clientWidth + 1) { out.push("it is " + m.scrollWidth + " in " + m.clientWidth)
		const edge = m.getBoundingClientRect().right
		for (const e of m.querySelectorAll("*")) { const r = e.getBoundingClientRect(); if (r.right > edge + 1 && !e.closest("table.register, pre, [class*=overflow]:not(main)")) { out.push(e.outerHTML.slice(0, 140)); break } } }
	return out.join("; ") })()`

// Whoever has the browser show text twice as large still reads every page without scrolling
// sideways, and finds its presses.
func TestPagesFitTextTwiceAsLarge(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTabOfText(t, s.Base, 32)
	b.SignIn(demo.Administrator, demo.Password)
	var size string
	if b.Eval("getComputedStyle(document.documentElement).fontSize", &size); size != "29px" {
		t.Fatalf("text is %s large, and not twice as large", size)
	}
	for _, path := range narrow {
		b.Go(path)
		b.Until("the page is drawn", `document.querySelector("main h1") !== null && !document.body.innerText.includes("Reading ")`)
		var wide string
		if b.Eval(wideText, &wide); wide != "" {
			t.Errorf("%s: %s", path, wide)
		}
	}
	b.Go("/users/ines.halloran?tab=attributes")
	b.Press("Suspend")
	b.Sees("Change sheet, 1 change")
}

// On paper there is the page alone: no navigation, no presses, nothing cut off.
func TestPagesOnPaper(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	for _, path := range []string{"/my-access", "/users/ines.halloran", "/roles/duty-officer", "/ledger/900", "/reviews/marine-winter", "/users"} {
		b.Media("")
		b.Go(path)
		b.Until("the page is drawn", `document.querySelector("main h1") !== null && !document.body.innerText.includes("Reading ")`)
		b.Media("print")
		var odd string
		b.Eval(`(() => { const out = []
			const shown = e => e.getClientRects().length > 0
			for (const e of document.querySelectorAll("nav, header, aside")) if (shown(e)) out.push("there is " + e.outerHTML.slice(0, 100))
			for (const e of document.querySelectorAll("main button, main input, main select, main [role=tablist]")) if (shown(e) && (!e.closest("td, th, dd") || /^(Keep|Revoke)/.test(e.innerText))) { out.push("to be pressed: " + (e.getAttribute("aria-label") || e.innerText || e.outerHTML.slice(0, 100))); }
			if (!shown(document.querySelector("main h1"))) out.push("its name is gone")
			if (document.querySelector("main").getBoundingClientRect().height < document.querySelector("main").scrollHeight - 1) out.push("it is cut off")
			return out.slice(0, 6).join("; ") })()`, &odd)
		if odd != "" {
			t.Errorf("%s: %s", path, odd)
		}
	}
}

// Where the reader's own colours are forced on the page, what is pressed and what is chosen can
// still be told: presses have an edge, and what is chosen differs from what is not.
func TestPagesInForcedColours(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Administrator, demo.Password)
	b.Media("", "forced-colors", "active")
	for _, path := range []string{"/today", "/users", "/users/ines.halloran", "/reviews/marine-winter", "/grid", "/catalogue"} {
		b.Go(path)
		b.Until("the page is drawn", `document.querySelector("main h1") !== null && !document.body.innerText.includes("Reading ")`)
		var odd string
		b.Eval(`(() => { const out = []
			if (!matchMedia("(forced-colors: active)").matches) out.push("the colours are not forced")
			for (const e of document.querySelectorAll("main button.button, main a.button")) {
				const s = getComputedStyle(e)
				if (e.getClientRects().length > 0 && parseFloat(s.borderTopWidth) === 0 && s.outlineStyle === "none") out.push("no edge: " + (e.innerText || e.getAttribute("aria-label")))
			}
			const look = e => { const s = getComputedStyle(e); return [s.borderBottomWidth, s.borderBottomStyle, s.borderBottomColor, s.borderLeftWidth, s.borderLeftColor, s.fontWeight, s.textDecorationLine, s.backgroundColor, s.color, s.outlineStyle].join() }
			for (const chosen of document.querySelectorAll("[role=tab][aria-selected=true], nav [aria-current=page]")) {
				const beside = [...chosen.closest("[role=tablist], nav").querySelectorAll("[role=tab], a")].find(e => e !== chosen && e.getAttribute("aria-selected") !== "true" && !e.hasAttribute("aria-current"))
				if (beside && look(chosen) === look(beside)) out.push("chosen, and looks as the others: " + chosen.innerText)
			}
			return out.slice(0, 6).join("; ") })()`, &odd)
		if odd != "" {
			t.Errorf("%s: %s", path, odd)
		}
	}
}
