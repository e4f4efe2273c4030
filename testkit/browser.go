package testkit

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// chromium is Debian's; the wrapper script would add what tests do not want.
const chromium = "/usr/lib/chromium/chromium"

// patience is how long a test waits for a page.
var patience = func() time.Duration {
	if d, err := time.ParseDuration(os.Getenv("ROSTER_TEST_PATIENCE")); err == nil {
		return d
	}
	return 60 * time.Second
}()

// Tab is a tab of its own, 1280×800, with its own cookies.
type Tab struct {
	t    testing.TB
	ctx  context.Context
	base string

	// ByKeys has all that is pressed be pressed by the keyboard.
	ByKeys bool

	presses, typed int
}

// Count is how often something was pressed, picked or chosen, keys too, and into how many
// fields something was typed, since it was last asked.
func (b *Tab) Count() (presses, typed int) {
	presses, typed = b.presses, b.typed
	b.presses, b.typed = 0, 0
	return presses, typed
}

// NewTab opens a browser with one tab and a profile of its own, so that no
// test finds another's cookies.
func NewTab(t testing.TB, base string) *Tab {
	t.Helper()
	return newTab(t, base)
}

// NewTabOfText is NewTab for a reader who has set the text of all pages to so many pixels; 16 is what
// browsers come with.
func NewTabOfText(t testing.TB, base string, pixels int) *Tab {
	t.Helper()
	return newTab(t, base, chromedp.Flag("blink-settings", fmt.Sprintf("defaultFontSize=%d", pixels)))
}

func newTab(t testing.TB, base string, more ...chromedp.ExecAllocatorOption) *Tab {
	t.Helper()
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(chromium), chromedp.NoSandbox,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true))
	options = append(options, more...)
	allocator, cancel1 := chromedp.NewExecAllocator(context.Background(), options...)
	ctx, cancel2 := chromedp.NewContext(allocator)
	t.Cleanup(func() { cancel2(); cancel1() })
	// The first run starts the browser, whose life must not hang on a time-out.
	if err := chromedp.Run(ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		t.Fatalf("Chromium did not start: %v", err)
	}
	return &Tab{t: t, ctx: ctx, base: base}
}

// Beside opens another tab of the same browser: they share cookies, and what is kept in the
// browser.
func (b *Tab) Beside() *Tab {
	b.t.Helper()
	ctx, cancel := chromedp.NewContext(b.ctx)
	b.t.Cleanup(cancel)
	if err := chromedp.Run(ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		b.t.Fatal(err)
	}
	return &Tab{t: b.t, ctx: ctx, base: b.base}
}

// InZone has the browser stand in a time zone.
func (b *Tab) InZone(name string) {
	b.t.Helper()
	b.do("moving to "+name, emulation.SetTimezoneOverride(name))
}

// Size gives the page so much room, in pixels.
func (b *Tab) Size(width, height int64) {
	b.t.Helper()
	b.do("sizing", chromedp.EmulateViewport(width, height))
}

// Media has the page be shown as on a medium ("print", blank for a screen), to somebody who
// prefers so: pairs of a feature and its value, such as "forced-colors", "active".
func (b *Tab) Media(medium string, preferred ...string) {
	b.t.Helper()
	all := emulation.SetEmulatedMedia().WithMedia(medium)
	for i := 0; i+1 < len(preferred); i += 2 {
		all.Features = append(all.Features, &emulation.MediaFeature{Name: preferred[i], Value: preferred[i+1]})
	}
	b.do("showing as "+medium+" "+strings.Join(preferred, " "), all)
}

// Slow has the line to the service be slow: so many kilobits a second, each call so many
// milliseconds.
func (b *Tab) Slow(kilobits, milliseconds float64) {
	b.t.Helper()
	bytes := kilobits * 1000 / 8
	b.do("slowing the line", network.Enable(), chromedp.ActionFunc(func(ctx context.Context) error {
		_, err := network.EmulateNetworkConditionsByRule([]*network.Conditions{{Latency: milliseconds, DownloadThroughput: bytes, UploadThroughput: bytes}}).Do(ctx)
		return err
	}))
}

// Forget has the browser forget its cookies: nobody is signed in any more.
func (b *Tab) Forget() {
	b.t.Helper()
	b.do("forgetting cookies", network.ClearBrowserCookies())
}

// Before has a script run in every page before its own.
func (b *Tab) Before(script string) {
	b.t.Helper()
	b.do("scripts", chromedp.ActionFunc(func(ctx context.Context) error {
		_, err := page.AddScriptToEvaluateOnNewDocument(script).Do(ctx)
		return err
	}))
}

// drawnAnew is what the browser says of an element that was found, and drawn anew before anything was
// done to it.
const drawnAnew = "Could not find node with given id"

// do does something in the tab, once more where what it is done to was drawn anew meanwhile.
func (b *Tab) do(what string, actions ...chromedp.Action) {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	err := chromedp.Run(ctx, actions...)
	for len(actions) == 1 && err != nil && strings.Contains(err.Error(), drawnAnew) && ctx.Err() == nil {
		err = chromedp.Run(ctx, actions...)
	}
	if err != nil {
		var text string
		_ = chromedp.Run(b.ctx, chromedp.Evaluate(`location.href + "\n" + document.body.innerText`, &text))
		if dir := os.Getenv("ROSTER_TEST_PICTURES"); dir != "" {
			b.Picture(filepath.Join(dir, "failed.png"))
		}
		b.t.Fatalf("%s: %v\nthe page says:\n%s", what, err, text)
	}
}

// Go opens an address of the service.
func (b *Tab) Go(path string) {
	b.t.Helper()
	b.do("going to "+path, chromedp.Navigate(b.base+path))
}

// quoted is an XPath text.
func quoted(s string) string {
	if !strings.Contains(s, `"`) {
		return `"` + s + `"`
	}
	return `'` + s + `'`
}

// Press presses what bears a name: a button, a link, a tab, an option or the
// summary of details, by its text or its label for screen readers.
func (b *Tab) Press(name string) {
	b.t.Helper()
	b.presses++
	n := quoted(name)
	if b.ByKeys { // what cannot have the keyboard fails here
		sel := fmt.Sprintf(`//*[self::button or self::a or self::summary or @role="tab"][normalize-space()=%s or @aria-label=%s or starts-with(normalize-space(), %s)]`, n, n, n)
		b.do("pressing "+name, chromedp.Focus(sel, chromedp.BySearch, chromedp.NodeVisible, chromedp.NodeEnabled), enter())
		return
	}
	b.do("pressing "+name, chromedp.Click(fmt.Sprintf(
		`//*[self::button or self::a or self::summary or self::label or @role="option" or @role="tab"][normalize-space()=%s or @aria-label=%s or starts-with(normalize-space(), %s)]`, n, n, n), chromedp.BySearch, chromedp.NodeVisible))
	b.settles()
}

// settles waits until the page has drawn what was pressed: a box gives the keyboard
// back to its field in the frame after an option was pressed, and opens again if
// something else has it by then. No person is that quick.
func (b *Tab) settles() {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	// A page that is being left answers no more, and needs not.
	_ = chromedp.Run(ctx, chromedp.Evaluate(`new Promise(done => requestAnimationFrame(() => requestAnimationFrame(() => done(0))))`, nil, awaiting))
}

// Tick turns a box on or off by the keyboard.
func (b *Tab) Tick(label string) {
	b.t.Helper()
	b.presses++
	n := quoted(label)
	sel := fmt.Sprintf(`//input[@type="checkbox" or @type="radio"][@aria-label=%[1]s or ancestor::label[starts-with(normalize-space(), %[1]s)]]`, n)
	b.do("ticking "+label, chromedp.Focus(sel, chromedp.BySearch, chromedp.NodeVisible), chromedp.KeyEvent(" "))
}

// Upload gives the field for files that bears a label a file.
func (b *Tab) Upload(label, file string) {
	b.t.Helper()
	b.do("uploading "+file, chromedp.SetUploadFiles(fmt.Sprintf(`//input[@type="file"][ancestor::label[starts-with(normalize-space(), %s)]]`, quoted(label)), []string{file}, chromedp.BySearch))
}

// Pick picks from a box one types into: by part of a name, then the first that is
// offered, by the keyboard.
func (b *Tab) Pick(label, part, offered string) {
	b.t.Helper()
	b.presses++
	b.Type(label, part)
	b.waits(offered+" is offered", fmt.Sprintf(`[...document.querySelectorAll('[role="option"]')].some(o => o.innerText.includes(%s))`, js(offered)))
	b.do("picking "+offered, chromedp.ActionFunc(func(ctx context.Context) error {
		for range 20 {
			var on bool
			if err := chromedp.Evaluate(fmt.Sprintf(`document.querySelector('[role="option"][data-focus]')?.innerText.includes(%s) ?? false`, js(offered)), &on).Do(ctx); err != nil {
				return err
			}
			if on {
				return enter().Do(ctx)
			}
			if err := chromedp.KeyEvent(kb.ArrowDown).Do(ctx); err != nil {
				return err
			}
		}
		return fmt.Errorf("no key leads to it")
	}))
}

// PressNth presses the n-th of several buttons that bear one name, counted from 1.
func (b *Tab) PressNth(name string, n int) {
	b.t.Helper()
	b.presses++
	b.do("pressing "+name, chromedp.Click(fmt.Sprintf(`(//button[normalize-space()=%s])[%d]`, quoted(name), n), chromedp.BySearch))
}

// PressAt presses the n-th of what a selector finds, counted from 0.
func (b *Tab) PressAt(selector string, n int) {
	b.t.Helper()
	b.presses++
	b.Eval(fmt.Sprintf(`document.querySelectorAll(%s)[%d].click()`, js(selector), n), nil)
}

// Insert types where the keyboard is.
func (b *Tab) Insert(text string) {
	b.t.Helper()
	b.typed++
	b.do("typing", input.InsertText(text))
}

// Choose chooses in a list that drops down, and waits until the page has it so.
func (b *Tab) Choose(label, option string) {
	b.t.Helper()
	b.presses++
	n := quoted(label)
	list := fmt.Sprintf(`document.evaluate(%s, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE, null).singleNodeValue`,
		js(fmt.Sprintf(`//select[@aria-label=%[1]s or ancestor::label[starts-with(normalize-space(), %[1]s)]]`, n)))
	b.waits(label+" offers "+option, fmt.Sprintf(`[...(%s?.options ?? [])].some(o => o.value === %s)`, list, js(option)))
	b.Eval(fmt.Sprintf(`(list => {
		list.focus()
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(list, %s)
		list.dispatchEvent(new Event("change", { bubbles: true }))
	})(%s)`, js(option), list), nil)
	b.waits(label+" is "+option, fmt.Sprintf(`%s?.value === %s`, list, js(option)))
}

// Type types into the field that bears a label.
func (b *Tab) Type(label, text string) {
	b.t.Helper()
	b.typed++
	n := quoted(label)
	sel := fmt.Sprintf(`//*[self::input or self::textarea][@aria-label=%s or @id=//label[normalize-space()=%s]/@for or ancestor::label[starts-with(normalize-space(), %s)]]`, n, n, n)
	b.do("typing into "+label, chromedp.SendKeys(sel, text, chromedp.BySearch))
}

// Set gives the field that bears a label another value, as a day or a time is picked.
func (b *Tab) Set(label, value string) {
	b.t.Helper()
	b.typed++
	n := quoted(label)
	sel := fmt.Sprintf(`//*[self::input or self::textarea][@aria-label=%s or @id=//label[normalize-space()=%s]/@for or ancestor::label[starts-with(normalize-space(), %s)]]`, n, n, n)
	b.Eval(fmt.Sprintf(`(() => {
		const field = document.evaluate(%s, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE, null).singleNodeValue
		field.focus()
		Object.getOwnPropertyDescriptor(Object.getPrototypeOf(field), "value").set.call(field, %s)
		field.dispatchEvent(new Event("input", { bubbles: true }))
	})()`, js(sel), js(value)), nil)
}

// Key presses keys, as "\r" or kb.Tab.
func (b *Tab) Key(keys string) {
	b.t.Helper()
	b.presses++
	b.do("keys", chromedp.KeyEvent(keys))
}

// Hotkey presses one key as a keyboard does: what the page makes of it decides
// whether its letter is typed.
func (b *Tab) Hotkey(key string) {
	b.t.Helper()
	b.presses++
	b.do("pressing the key "+key, input.DispatchKeyEvent(input.KeyDown).WithKey(key).WithText(key), input.DispatchKeyEvent(input.KeyUp).WithKey(key))
}

// enter presses Enter as a keyboard does: where the page takes the key for itself,
// no form is sent.
func enter() chromedp.Action {
	return chromedp.Tasks{input.DispatchKeyEvent(input.KeyDown).WithKey("Enter").WithCode("Enter").WithWindowsVirtualKeyCode(13).WithText("\r"),
		input.DispatchKeyEvent(input.KeyUp).WithKey("Enter").WithCode("Enter").WithWindowsVirtualKeyCode(13)}
}

// Keys that have no letter.
const (
	TabKey   = kb.Tab
	EnterKey = kb.Enter
	DownKey  = kb.ArrowDown
	RightKey = kb.ArrowRight
)

// Sees waits until the page says something.
func (b *Tab) Sees(text string) {
	b.t.Helper()
	b.waits("sees "+text, fmt.Sprintf(`document.body.innerText.replace(/\s+/g, " ").includes(%s)`, js(text)))
}

// SeesNot waits until the page no longer says something.
func (b *Tab) SeesNot(text string) {
	b.t.Helper()
	b.waits("no longer sees "+text, fmt.Sprintf(`!document.body.innerText.replace(/\s+/g, " ").includes(%s)`, js(text)))
}

func js(s string) string {
	raw, _ := json.Marshal(s)
	return string(raw)
}

func (b *Tab) waits(what, condition string) {
	b.t.Helper()
	b.do(what, chromedp.ActionFunc(func(ctx context.Context) error {
		for {
			var so bool
			// A page that is being left cannot be asked: ask the next one.
			if err := chromedp.Evaluate(condition, &so).Do(ctx); err == nil && so {
				return nil
			}
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(50 * time.Millisecond):
			}
		}
	}))
}

// Eval evaluates an expression in the page.
func (b *Tab) Eval(expression string, out any) {
	b.t.Helper()
	b.do("evaluating", chromedp.Evaluate(expression, out))
}

// Shows waits until the page has an element.
func (b *Tab) Shows(selector string) {
	b.t.Helper()
	b.waits("shows "+selector, "document.querySelector("+js(selector)+") !== null")
}

// Until waits until a condition of the page holds.
func (b *Tab) Until(what, condition string) {
	b.t.Helper()
	b.waits(what, condition)
}

// Status is what a call of the page's own is answered with, with headers by name and value.
func (b *Tab) Status(method, path string, headers ...string) (status int) {
	b.t.Helper()
	all := map[string]string{}
	for i := 0; i+1 < len(headers); i += 2 {
		all[headers[i]] = headers[i+1]
	}
	raw, _ := json.Marshal(all)
	b.do(method+" "+path, chromedp.Evaluate(fmt.Sprintf(`fetch(%s, {method: %s, headers: %s}).then(r => r.status)`, js(path), js(method), raw), &status, awaiting))
	return status
}

// Picture takes a picture of what is in view.
func (b *Tab) Picture(file string) {
	b.t.Helper()
	var png []byte
	// Fonts and what is on its way first, so that no picture is half drawn.
	b.waits("the page to be quiet", `document.fonts.status === "loaded" && !document.body.innerText.includes("Reading ")`)
	if err := chromedp.Run(b.ctx, chromedp.CaptureScreenshot(&png)); err != nil {
		b.t.Fatal(err)
	}
	if err := os.WriteFile(file, png, 0o644); err != nil {
		b.t.Fatal(err)
	}
}

// SignIn signs in at the console.
func (b *Tab) SignIn(user, password string) {
	b.t.Helper()
	b.Go("/")
	b.Sees("User name")
	b.Type("User name", user)
	b.Type("Password", password)
	b.Press("Sign in")
	b.waits("signed in", `document.querySelector('nav[aria-label="Pages"]') !== null`)
}

// Accessible runs axe-core over the page and fails on every violation.
func (b *Tab) Accessible() {
	b.t.Helper()
	axe, err := os.ReadFile(filepath.Join(Root(), "console/node_modules/axe-core/axe.min.js"))
	if err != nil {
		b.t.Fatal(err)
	}
	b.waits("the page to be drawn", `document.querySelector("h1") !== null && !document.body.innerText.includes("Reading ")`)
	var found string
	b.do("axe-core", chromedp.Evaluate(string(axe)+"\n;0", nil),
		chromedp.Evaluate(`axe.run({runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]}).then(r =>
			r.violations.map(v => v.id + ": " + v.help + "\n" + v.nodes.slice(0, 3).map(n => "    " + n.html.slice(0, 200) + " " + n.failureSummary).join("\n")).join("\n"))`,
			&found, chromedp.EvalAsValue, awaiting))
	if found != "" {
		var at string
		b.Eval("location.pathname", &at)
		b.t.Errorf("%s is not accessible:\n%s", at, found)
	}
}
