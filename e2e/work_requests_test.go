package e2e

import (
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// Asked for, approved for less, given; refused, withdrawn; each by who may, and by
// nobody else.
func TestRequestsByCommandLine(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	ines, tomas, marta := at(t, s, demo.Pilot), at(t, s, demo.Manager), at(t, s, demo.Administrator)
	soon, later := time.Now().AddDate(0, 0, 20).Format(time.DateOnly), time.Now().AddDate(0, 0, 60).Format(time.DateOnly)

	ines.says(0, "make soundings and enter them", "catalogue", "list", "soundings")
	ines.says(0, "No requestable role matches", "catalogue", "list", "zeppelin")
	ines.says(1, "requestable: roster request works-orders/raiser", "check", demo.Pilot, "works-orders", "create", "orders")
	ines.says(3, "this role is given for 180 days at most", "request", "sounding-surveys/surveyor", "-reason", "Helps the launch")
	ines.says(3, "is too late", "request", "sounding-surveys/surveyor", "-until", "2099-01-01", "-reason", "Helps the launch")
	ines.says(3, "there is no role “auditor”", "request", "auditor", "-reason", "x")
	ines.says(3, "there is no user “marta.quill”", "request", "works-orders/raiser", "-for", demo.Administrator, "-reason", "x")
	text := ines.says(0, "waits for the manager: Tomas Brandt.", "request", "sounding-surveys/surveyor", "-until", later, "-reason", "Helps the launch")
	ines.says(3, "is requested already", "request", "sounding-surveys/surveyor", "-until", later, "-reason", "again")
	id := requestIn.FindString(text)
	ines.says(3, "nobody decides on their own request", "decide", id, "approve", "-reason", "myself")
	marta.says(3, "you are not an approver of this step", "decide", id, "approve", "-reason", "as administrator")
	tomas.says(0, "would give create surveys in Sounding surveys", "requests", "show", id)
	tomas.says(2, "neither approve nor refuse", "decide", id, "perhaps", "-reason", "x")
	tomas.says(3, "leaves no time", "decide", id, "approve", "-until", "2020-01-01", "-reason", "x")
	tomas.says(0, "others are asked next", "decide", id, "approve", "-until", soon, "-reason", "For the season")
	tomas.says(3, "you are not an approver of this step", "decide", id, "approve", "-reason", "again")
	ines.says(0, "Tomas Brandt approved for less", "requests", "show", id)

	// The owner of the surveys has no sign-in: Marta becomes it, and decides.
	file := writeFile(t, `{"operations":[{"op":"update_application","application":"sounding-surveys","owner":"marta.quill"}]}`)
	marta.says(0, "Done, as revision", "change", file, "-reason", "The owner is on leave")
	marta.says(0, "Approved and gave the role Surveyor for Inês Halloran", "decide", id, "approve", "-reason", "Glad of it")
	marta.says(3, "is approved already", "decide", id, "refuse", "-reason", "late")
	ines.says(3, "is approved already", "withdraw", id, "-reason", "late")
	marta.says(0, "by the role Surveyor", "check", demo.Pilot, "sounding-surveys", "create", "surveys")

	tomas.says(0, "Refused the role Credit releaser for", "decide", "request-36", "refuse", "-reason", "Not from this unit")
	ines.says(0, "Withdrew the request of the role Week planner", "withdraw", "request-35", "-reason", "The regatta is off")
	tomas.says(3, "is withdrawn already", "decide", "request-35", "approve", "-reason", "late")
	ines.says(3, "there is no request “request-36”", "requests", "show", "request-36")
	marta.says(0, "the manager current nobody", "requests", "show", "request-37", "-as-of", time.Now().Format(time.DateOnly))
	marta.says(0, "waits for nobody", "today")
	marta.says(0, "The ledger verifies", "ledger", "verify")
	marta.says(0, "the manager, then the owner of the role", "routes", "list")
	marta.says(2, "is no step", "routes", "set", "odd", "anybody", "-reason", "x")
	marta.says(0, "Wrote the route Night: the manager, then one of Pass office", "routes", "set", "night", "manager", "group:pass-office", "-label", "Night", "-reason", "Nights differ")
	marta.says(0, "approved by the manager, then one of Pass office", "catalogue", "add", "gate-passes/night-gate", "night", "open the barriers at night", "-max-days", "14", "-reason", "Asked for often")
	tomas.says(3, "you may not make the role", "catalogue", "add", "berth-planning/fuel-warden", "manager", "clear vessels for the jetty", "-reason", "x")
}

// Whoever asks, decides and is asked for, by the network interface: what is done
// twice, at once, or after things have changed.
func TestRequestsUnderWhatChanges(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas, ines := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager), s.SignIn(t, demo.Pilot)
	decide := func(c *client.Client, id, choice string) error {
		_, err := c.Change(ctx, changeOf("Decided", fmt.Sprintf(`{"op":"decide_request","request":%q,"decision":%q}`, id, choice)), false)
		return err
	}
	ask := func(c *client.Client, op string) string {
		t.Helper()
		out, err := c.Change(ctx, changeOf("Needed", op), false)
		if err != nil {
			t.Fatal(err)
		}
		return requestIn.FindString(out.Notes[0].Message)
	}
	// From two windows at once: one decision counts.
	id := ask(ines, `{"op":"request_role","role":"works-orders/raiser"}`)
	var wait sync.WaitGroup
	errs := make([]error, 8)
	for i := range errs {
		wait.Go(func() { errs[i] = decide(tomas, id, []string{"approve", "refuse"}[i%2]) })
	}
	wait.Wait()
	won := 0
	for _, err := range errs {
		if err == nil {
			won++
		} else {
			problem(t, err, 422, "invalid")
		}
	}
	if won != 1 {
		t.Errorf("%d of eight decisions at once counted", won)
	}
	// A manager asks for one of theirs, and does not decide on it.
	id = ask(tomas, `{"op":"request_role","role":"incident-log/reader","user":"`+oneOf(t, tomas)+`"}`)
	problem(t, decide(tomas, id, "approve"), 422, "invalid")
	r, err := tomas.Request(ctx, id, nil)
	if err != nil || !r.Stuck || !r.MayWithdraw || r.MayDecide {
		t.Errorf("%+v %v", r, err)
	}
	today, err := marta.Today(ctx)
	if err != nil || len(today.Stuck) != 2 || len(today.ToDecide) != 1 {
		t.Errorf("%d wait for nobody, %d to decide (%v)", len(today.Stuck), len(today.ToDecide), err)
	}
	// The role is retired, the beneficiary departs, while a request waits.
	id = ask(ines, `{"op":"request_role","role":"berth-planning/scheduler","until":"`+time.Now().AddDate(0, 0, 30).UTC().Format(time.RFC3339)+`"}`)
	if _, err := marta.Change(ctx, changeOf("Retired", `{"op":"retire_role","role":"berth-planning/scheduler"}`), false); err != nil {
		t.Fatal(err)
	}
	if p := problem(t, decide(tomas, id, "approve"), 422, "invalid"); !strings.Contains(fmt.Sprint(p.Faults), "was retired since") {
		t.Errorf("%v", p.Faults)
	}
	if err := decide(tomas, id, "refuse"); err != nil {
		t.Error(err)
	}
	waiting, err := tomas.Requests(ctx, client.Query{"decide": "true"})
	if err != nil || len(waiting.Requests) == 0 {
		t.Fatal(err)
	}
	gone := waiting.Requests[0]
	if _, err := marta.Change(ctx, changeOf("Left", fmt.Sprintf(`{"op":"update_user","user":%q,"status":"departed"}`, demo.Manager)), false); err != nil {
		t.Fatal(err)
	}
	problem(t, decide(tomas, gone.ID, "approve"), 401, "not-signed-in")
	left, err := marta.Request(ctx, gone.ID, nil)
	if err != nil || !left.Stuck {
		t.Errorf("the approver departed, and it waits for %+v (%v)", left.Steps, err)
	}
	past, err := marta.Request(ctx, "request-31", client.Query{}.AsOf(time.Now().AddDate(0, 0, -3)))
	if err == nil {
		t.Errorf("before it was asked it is %+v", past)
	}
}

func oneOf(t *testing.T, c *client.Client) string {
	t.Helper()
	all, err := c.Users(ctx, client.Query{"filter": `manager eq "` + demo.Manager + `" and status eq "active"`, "limit": "50"})
	if err != nil || len(all.Users) < 5 {
		t.Fatal(err)
	}
	return all.Users[4].UserName
}

// Of two requests that together would break an SoD rule, approved at the same
// instant, one is given.
func TestOfTwoRequestsThatWouldViolateARuleOneIsGiven(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, tomas := s.SignIn(t, demo.Administrator), s.SignIn(t, demo.Manager)
	const pairs = 1000
	ops := []string{`{"op":"set_route","key":"either","steps":[{"whose":"users","users":["marta.quill"]}]}`,
		`{"op":"make_requestable","role":"tariff-ledger/credit-raiser","route":"either","words":"raise credits"}`,
		`{"op":"make_requestable","role":"tariff-ledger/credit-releaser","route":"either","words":"release credits"}`}
	for i := range pairs {
		ops = append(ops, fmt.Sprintf(`{"op":"add_user","user_name":"racer.%d","unit":"marine","manager":%q}`, i, demo.Manager))
	}
	if _, err := marta.Change(ctx, changeOf("To race", ops...), false); err != nil {
		t.Fatal(err)
	}
	ids := make([]string, 0, 2*pairs)
	for from := 0; from < pairs; from += 250 {
		var ask []string
		for i := from; i < from+250; i++ {
			for _, role := range []string{"raiser", "releaser"} {
				ask = append(ask, fmt.Sprintf(`{"op":"request_role","role":"tariff-ledger/credit-%s","user":"racer.%d"}`, role, i))
			}
		}
		out, err := tomas.Change(ctx, changeOf("For the race", ask...), false)
		if err != nil {
			t.Fatal(err)
		}
		for _, n := range out.Notes {
			ids = append(ids, requestIn.FindString(n.Message))
		}
	}
	var wait sync.WaitGroup
	work := make(chan int)
	for range 8 {
		wait.Go(func() {
			for i := range work {
				errs := make([]error, 2)
				var pair sync.WaitGroup
				for k := range 2 {
					pair.Go(func() {
						_, errs[k] = marta.Change(ctx, changeOf("Both", fmt.Sprintf(`{"op":"decide_request","request":%q,"decision":"approve"}`, ids[2*i+k])), false)
					})
				}
				pair.Wait()
				won := 0
				for _, err := range errs {
					var p *wire.Problem
					switch {
					case err == nil:
						won++
					case errors.As(err, &p) && p.Type == "guard-rail":
					default:
						t.Errorf("%s: %v", ids[2*i], err)
					}
				}
				if won != 1 {
					t.Errorf("of %s and %s %d were given", ids[2*i], ids[2*i+1], won)
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

// From a denial to the request that would cure it, and to the one who decides.
func TestRequestsByConsole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	b := testkit.NewTab(t, s.Base)
	b.SignIn(demo.Pilot, demo.Password)
	b.Sees("Your requests")
	b.Go("/catalogue?q=works+order")
	b.Press("Raise a works order")
	b.Sees("It would give")
	b.Type("Why it is needed", "The pilot boat leaks")
	b.Press("Request access")
	b.Sees("Requested the role Order raiser for Inês Halloran")
	b.Press("See the request")
	b.Sees("current")
	b.Go("/today")
	b.Sees("Order raiser for Inês Halloran")

	b = testkit.NewTab(t, s.Base)
	b.SignIn(demo.Manager, demo.Password)
	b.Sees("3 requests to decide")
	b.Press("Order raiser for Inês Halloran")
	b.Sees("Your decision")
	b.Accessible()
	b.Type("Reason", "She reports what leaks")
	b.Press("Approve")
	b.Sees("Given. See")
	b.Go("/requests/request-36")
	b.Type("Reason", "Not from this unit")
	b.Press("Refuse")
	b.Sees("skipped")
	b.Go("/today")
	b.Sees("1 request to decide")
	b.Go("/catalogue")
	b.Sees("For whom?")
	b.Accessible()
}

// Whoever reads another language has the access catalogue and their requests in it, as far as it is
// said there, and finds a role by either.
func TestTheCatalogueSpeaksOnesLanguage(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta, ines, tomas := at(t, s, demo.Administrator), at(t, s, demo.Pilot), at(t, s, demo.Manager)
	file := writeFile(t, `{"operations":[{"op":"declare_attribute","key":"language","label":"Language"},{"op":"update_user","user":"ines.halloran","custom":{"language":"pt-PT"}}]}`)
	marta.says(0, "Done, as revision", "change", file, "-reason", "Who reads what")
	marta.says(3, "is no language such as pt", "catalogue", "translate", "works-orders/raiser", "Portuguese!", "-words", "x", "-reason", "x")
	tomas.says(3, "there is no role “works-orders/raiser”", "catalogue", "translate", "works-orders/raiser", "pt", "-words", "x", "-reason", "x")
	marta.says(0, "Described the role Order raiser in pt", "catalogue", "translate", "works-orders/raiser", "pt", "-label", "Requisitante", "-words", "pedir um trabalho à oficina", "-reason", "For those who read Portuguese")
	for _, by := range []string{"trabalho", "works order", "Requisitante"} {
		ines.says(0, "pedir um trabalho à oficina", "catalogue", "list", by)
		tomas.says(0, "raise a works order", "catalogue", "list", by)
	}
	id := requestIn.FindString(ines.says(0, "waits for the manager", "request", "works-orders/raiser", "-reason", "Para as boias"))
	ines.says(0, id+": Requisitante for Inês Halloran", "requests", "show", id)
	tomas.says(0, id+": Order raiser for Inês Halloran", "requests", "show", id)
	marta.says(0, "The role Order raiser is no longer described in pt", "catalogue", "translate", "works-orders/raiser", "pt", "-reason", "Not needed")
	ines.says(0, id+": Order raiser for Inês Halloran", "requests", "show", id)
}
