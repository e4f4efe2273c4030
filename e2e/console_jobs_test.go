package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"
)

// job is something that is done with the console, from its page to its end.
type job struct {
	name string
	user string
	page string
	do   func(b *testkit.Tab)
}

// commits gives a reason and commits.
func commits(b *testkit.Tab, reason string) {
	b.Type("Reason", reason)
	b.Press("Commit")
	b.Sees("Committed as revision")
}

var nextMonth = time.Now().AddDate(0, 1, 0).Format(time.DateOnly)

var jobs = []job{
	{"Add somebody new, with a group and a role", demo.Administrator, "/users/add", func(b *testkit.Tab) {
		b.Type("User name", "zoe.marrick")
		b.Type("Name", "Zoë Marrick")
		b.Type("Unit", "terminal/cranes")
		b.Pick("Group to add to", "crane", "Crane operators")
		b.Pick("Role to grant", "tide", "Tide editor")
		b.Press("Add to change sheet")
		commits(b, "New on the cranes")
	}},
	{"Grant a role until a day", demo.Administrator, "/users/" + demo.Pilot + "?tab=given", func(b *testkit.Tab) {
		b.Pick("Role to grant", "Week pl", "Week planner")
		b.Set("last day", nextMonth)
		b.Press("Add to change sheet")
		commits(b, "The regatta")
	}},
	{"Grant a role to twelve people until a day", demo.Administrator, "/users?unit=marine%2Ftugs&status=active", func(b *testkit.Tab) {
		b.Shows(`input[aria-label^="Pick "]`)
		for i := range 12 {
			b.PressAt(`input[aria-label^="Pick "]:not([aria-label*="all"])`, i)
		}
		b.Sees("12 users picked")
		b.Pick("Grant a role", "tide", "Tide editor")
		b.Set("Last day of the role", nextMonth)
		b.PressNth("Grant", 1)
		commits(b, "The regatta")
	}},
	{"Revoke a role, by keyboard", demo.Administrator, "/users/" + demo.Pilot + "?tab=given", func(b *testkit.Tab) {
		b.Sees("Tariff reader")
		b.Eval(`[...document.querySelectorAll("main button")].find((x) => x.textContent === "Revoke").focus()`, nil)
		b.Key(testkit.EnterKey)
		b.Sees("Commit 1 change")
		b.Hotkey("s")
		b.Until("the reason has the keyboard", `document.activeElement?.id === "reason"`)
		b.Insert("Not used any more")
		b.Press("Commit")
		b.Sees("Committed as revision")
	}},
	{"Move somebody to another unit", demo.Administrator, "/users/" + demo.Pilot + "?tab=attributes", func(b *testkit.Tab) {
		b.Press("Change")
		b.Set("Unit", "marine/tugs")
		b.Press("Add to change sheet")
		commits(b, "Transfer")
	}},
	{"Have somebody depart on a day to come", demo.Administrator, "/users/" + demo.Pilot + "?tab=attributes", func(b *testkit.Tab) {
		b.Press("Depart")
		b.Sees("ends at once")
		b.Set("Last day none", nextMonth)
		b.Press("Add to change sheet")
		commits(b, "Retires")
	}},
	{"Decide on a request", demo.Manager, "/today", func(b *testkit.Tab) {
		b.Press("Week planner for Inês Halloran")
		b.Type("Reason", "For the regatta")
		b.Press("Approve")
		b.Sees("approved")
	}},
	{"Decide on sixty items of a review, by keyboard", demo.Manager, "/reviews/marine-winter", func(b *testkit.Tab) {
		b.Shows("[data-line]")
		b.Eval(`document.querySelector("[data-line]").focus()`, nil)
		for i := range 60 {
			b.Hotkey(map[bool]string{true: "r", false: "k"}[i%20 == 7])
		}
		b.Sees("60 decisions")
		b.Type("Reason", "Looked at each")
		b.Press("Save")
		b.SeesNot("60 decisions")
	}},
	{"Request access for oneself", demo.Pilot, "/catalogue", func(b *testkit.Tab) {
		b.Type("What do you want to do?", "works order")
		b.Press("Raise a works order")
		b.Type("Why it is needed", "The pilot boats need a yard")
		b.Press("Request access")
		b.Sees("Requested the role Order raiser")
	}},
	{"Find out why somebody may not do something, and cure it", demo.Administrator, "/users/" + demo.Pilot + "?tab=check", func(b *testkit.Tab) {
		b.Choose("Application", "works-orders")
		b.Set("Action", "approve")
		b.Set("Resource", "orders")
		b.Press("Grant Order approver")
		commits(b, "Approves the small ones")
	}},
	{"Give somebody what a colleague has", demo.Administrator, "/users/" + demo.Pilot + "?tab=compare", func(b *testkit.Tab) {
		b.Pick("Colleague to compare with", "brandt", "Tomas Brandt")
		b.Sees("to change sheet")
		b.Press("Add")
		b.Sees("Commit")
	}},
	{"Undo what was just committed", demo.Administrator, "/users/" + demo.Pilot + "?tab=given", func(b *testkit.Tab) {
		b.Pick("Role to grant", "Week pl", "Week planner")
		b.Press("Add to change sheet")
		commits(b, "The regatta")
		b.Count() // what follows is the job
		b.Press("Undo")
		b.Sees("Commit 1 change")
		b.Press("Commit")
		b.Sees("Committed as revision")
	}},
	{"Write an SoD rule, seeing who violates it", demo.Administrator, "/sod-rules", func(b *testkit.Tab) {
		b.Press("Add an SoD rule")
		b.Type("Name of the SoD rule", "Limits take two")
		b.Pick("Role of the SoD rule", "Limit", "Limit setter")
		b.Pick("Role of the SoD rule", "raise", "Order raiser")
		b.Press("Add to change sheet")
		b.Sees("it already")
		commits(b, "The auditor asked")
	}},
	{"Retire a role with a replacement", demo.Administrator, "/roles/berth-planning%2Ffuel-warden?tab=retire", func(b *testkit.Tab) {
		b.Pick("Replacement, for its holders", "Berth r", "Berth reader")
		b.Sees("holds it")
		b.Press("Put all of it on the change sheet")
		b.Sees("Retire the role")
		commits(b, "One reader is enough")
	}},
	{"Make a change at a date", demo.Administrator, "/users/" + demo.Pilot + "?tab=given", func(b *testkit.Tab) {
		b.Pick("Role to grant", "Week pl", "Week planner")
		b.Press("Add to change sheet")
		b.Type("Reason", "From next month on")
		b.Press("At a date, or keep it for later")
		b.Set("Day", nextMonth)
		b.Press("Make it at this date")
		b.Sees("To be made at its date")
	}},
	{"Find what was done for a ticket", demo.Administrator, "/ledger", func(b *testkit.Tab) {
		b.Press("Choose")
		b.Type("Reference", "TCK-4711")
		b.Key(testkit.EnterKey)
		b.Sees("Choose: 1 filter")
		b.Sees("for TCK-4711")
	}},
}

// The jobs of a day are done with the presses that the guide counts, and no more.
func TestTheJobsOfADayTakeFewPresses(t *testing.T) {
	raw, err := os.ReadFile(filepath.Join(testkit.Root(), "docs", "guide", "console.md"))
	if err != nil {
		t.Fatal(err)
	}
	told := map[string][2]int{}
	for _, m := range regexp.MustCompile(`(?m)^\| ([^|]+) \| (\d+) \| (\d+) \|$`).FindAllStringSubmatch(string(raw), -1) {
		presses, _ := strconv.Atoi(m[2])
		typed, _ := strconv.Atoi(m[3])
		told[m[1]] = [2]int{presses, typed}
	}
	var lines []string
	for _, j := range jobs {
		t.Run(j.name, func(t *testing.T) {
			s := testkit.Serve(t, testkit.DemoDatabase(t))
			b := signedIn(t, s, j.user)
			b.Go(j.page)
			b.Count()
			j.do(b)
			presses, typed := b.Count()
			lines = append(lines, fmt.Sprintf("| %s | %d | %d |", j.name, presses, typed))
			if told[j.name] != [2]int{presses, typed} {
				t.Errorf("it takes %d presses and %d fields, not %v as the guide has it", presses, typed, told[j.name])
			}
		})
	}
	if t.Failed() {
		t.Log("\n" + strings.Join(lines, "\n"))
	}
}
