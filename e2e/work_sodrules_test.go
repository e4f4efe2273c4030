package e2e

import (
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// What would bring a prevented SoD rule about is refused, by whatever way; what
// would bring a warned one about is passed with an acknowledgement.
func TestSoDRulesStandInTheWay(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	marta := s.SignIn(t, demo.Administrator)
	all, err := marta.SoDRules(ctx, nil)
	if err != nil || len(all.SoDRules) != 2 || len(all.SoDRules[0].Violations) == 0 || len(all.SoDRules[0].Violations[0].Paths) != 2 {
		t.Fatalf("%+v %v", all, err)
	}
	_, err = s.SignIn(t, demo.Manager).SoDRules(ctx, nil)
	problem(t, err, 403, "refused")

	x.says(0, "Done, as revision", "grant", demo.Pilot, "tariff-ledger/credit-raiser", "-reason", "Helps out")
	x.says(3, "Inês Halloran would violate the SoD rule Credits take two", "grant", demo.Pilot, "tariff-ledger/credit-releaser", "-reason", "Helps out more")
	x.says(3, "would violate the SoD rule Credits take two", "grant", demo.Pilot, "finance-lead", "-reason", "By inclusion")
	x.says(3, "would violate the SoD rule Credits take two", "grant", demo.Pilot, "tariff-ledger/credit-releaser", "-acknowledge", "violation_prevented", "-reason", "It cannot be passed")
	x.says(3, "who asks for a gate pass does not issue it", "grant", demo.Pilot, "gate-passes/issuer", "-reason", "Stands in")
	x.says(0, "Done, as revision", "grant", demo.Pilot, "gate-passes/issuer", "-reason", "Stands in", "-acknowledge", "violation_warned", "-acknowledge", "direct_assignment")
	// One after the other is no SoD rule.
	x.says(0, "Done, as revision", "revoke", demo.Pilot, "tariff-ledger/credit-raiser", "-reason", "Helped out")
	x.says(0, "Done, as revision", "grant", demo.Pilot, "tariff-ledger/credit-raiser", "-until", "2030-01-01", "-reason", "Again")
	x.says(0, "Done, as revision", "grant", demo.Pilot, "tariff-ledger/credit-releaser", "-from", "2030-01-02", "-reason", "After that", "-acknowledge", "expectation_warned")
	x.says(3, "fewer than two roles", "sod-rules", "add", "one-hand", "-role", "staff", "-reason", "x")
	x.says(3, "which includes", "sod-rules", "add", "same-hand", "-role", "staff", "-role", "gate-passes/requester", "-reason", "x")
	x.says(0, "Ended the SoD rule Passes take two", "sod-rules", "end", "pass-two-hands", "-reason", "The gate is automatic now")
	x.says(0, "ended", "sod-rules", "list")
}

// Two changes that together would break an SoD rule, made at the same moment:
// one of them commits, whichever it is.
func TestOfTwoThatWouldViolateARuleOneCommits(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	// What is raced is the SoD rule alone.
	if _, err := marta.Change(ctx, changeOf("x", `{"op":"end_expectation","expectation":"credits-by-leads"}`), false); err != nil {
		t.Fatal(err)
	}
	const pairs = 1000
	var ops []string
	for i := range pairs {
		ops = append(ops, fmt.Sprintf(`{"op":"add_user","user_name":"racer.%d"}`, i))
	}
	if _, err := marta.Change(ctx, changeOf("To race", ops...), false); err != nil {
		t.Fatal(err)
	}
	var wait sync.WaitGroup
	work := make(chan int)
	for range 8 {
		wait.Go(func() {
			for i := range work {
				var pair sync.WaitGroup
				errs := make([]error, 2)
				for k, role := range []string{"tariff-ledger/credit-raiser", "tariff-ledger/credit-releaser"} {
					pair.Go(func() {
						c := &client.Client{Base: marta.Base, Token: marta.Token}
						_, errs[k] = c.Change(ctx, changeOf("Race", grantTo(fmt.Sprintf("racer.%d", i), role)), false)
					})
				}
				pair.Wait()
				won := 0
				for _, err := range errs {
					var p *wire.Problem
					switch {
					case err == nil:
						won++
					case errors.As(err, &p) && p.Type == "guard-rail" && strings.Contains(p.Detail, "Credits take two"):
					default:
						t.Errorf("racer.%d: %v", i, err)
					}
				}
				if won != 1 {
					t.Errorf("racer.%d: %d of the two were committed", i, won)
				}
			}
		})
	}
	for i := range pairs {
		work <- i
	}
	close(work)
	wait.Wait()
}

// Before an SoD rule is made it is told who violates it today, of those the author may read.
func TestWhoViolatesARuleIsToldBeforeItIsMade(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	for _, user := range []string{"ines.halloran", "b.osei"} {
		if _, err := marta.Change(ctx, changeOf("x", grantTo(user, "crane-control/limit-setter"), grantTo(user, "works-orders/raiser")), false); err != nil {
			t.Fatal(err)
		}
	}
	note := func(c *client.Client, op string) string {
		t.Helper()
		r, err := c.Change(ctx, changeOf("x", op), true)
		if err != nil {
			t.Fatal(err)
		}
		for _, n := range r.Notes {
			if strings.HasPrefix(n.Code, "violated") && n.Operation == 0 {
				return n.Message
			}
		}
		t.Fatalf("%+v", r.Notes)
		return ""
	}
	rule := `{"op":"add_sod_rule","key":"own-limits","label":"Limits take two","roles":["crane-control/limit-setter","works-orders/raiser"],"prevent":true}`
	if got := note(marta, rule); !strings.Contains(got, "Bettina Osei") || !strings.Contains(got, "violate it already") || !strings.Contains(got, "refused") {
		t.Error(got)
	}
	if got := note(marta, `{"op":"add_sod_rule","key":"none","roles":["tide-board/editor","crane-control/limit-setter"]}`); got != "Nobody violates it today." {
		t.Error(got)
	}
	if got := note(marta, `{"op":"update_sod_rule","sod_rule":"credit-two-hands","prevent":false}`); !strings.Contains(got, "violate") {
		t.Error(got)
	}
	x := at(t, s, demo.Administrator)
	x.says(0, "Bettina Osei", "sod-rules", "add", "own-limits", "-role", "crane-control/limit-setter", "-role", "works-orders/raiser", "-dry-run")
	b := signedIn(t, s, demo.Administrator)
	b.Go("/sod-rules")
	b.Press("Add an SoD rule")
	b.Type("Name of the SoD rule", "Limits take two")
	b.Pick("Role of the SoD rule", "Limit", "Limit setter")
	b.Pick("Role of the SoD rule", "raise", "Order raiser")
	b.Press("Add to change sheet")
	b.Sees("violate it already")
}
