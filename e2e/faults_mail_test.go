package e2e

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
)

// Hundreds of people are invited in one change, while two services are killed in turn: each
// mail arrives, and one that arrives twice has the same message id and a line in a log that
// says why.
func TestEachMailArrivesThoughServicesAreKilled(t *testing.T) {
	const people = 300
	box := mailboxOf(t, "-slow", "5ms")
	database := testkit.DemoDatabase(t)
	services := []*testkit.Service{testkit.Serve(t, database, box.with...), testkit.Serve(t, database, box.with...)}
	marta := services[0].SignIn(t, demo.Administrator)
	var file strings.Builder
	file.WriteString("user_name,display_name,email,unit,status\n")
	for i := range people {
		fmt.Fprintf(&file, "hand.%d,Hand %d,hand.%d@larkhaven.example,terminal/tally,invited\n", i, i, i)
	}
	if _, err := marta.ImportUsers(ctx, []byte(file.String()), client.Query{"reason": "The season begins"}); err != nil {
		t.Fatal(err)
	}
	arrived := func() map[string][]string {
		out := map[string][]string{}
		for _, l := range box.all(t) {
			if !strings.HasPrefix(l.To[0], "hand.") { // others are reminded of what ends
				continue
			}
			out[l.To[0]] = append(out[l.To[0]], l.MessageID)
		}
		return out
	}
	logs, kills := "", 0
	for i := 0; len(arrived()) < people && kills < 12; i++ {
		time.Sleep(time.Duration(50+rand.IntN(250)) * time.Millisecond) // the moment of the kill is what is drawn
		victim := i % 2
		services[victim].Kill()
		logs += services[victim].Said()
		kills++
		services[victim] = testkit.Serve(t, database, box.with...)
	}
	testkit.Until(t, "all mails", func() bool { return len(arrived()) == people })
	testkit.Until(t, "no mail that waits", func() bool {
		list, err := services[0].SignIn(t, demo.Administrator).Mails(ctx)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range list.Mails {
			if m.State == "waiting" {
				return false
			}
		}
		return true
	})
	twice := 0
	for address, ids := range arrived() {
		for _, id := range ids[1:] {
			if twice++; id != ids[0] {
				t.Errorf("%s has two mails of different ids: %v", address, ids)
			}
		}
	}
	for _, s := range services {
		logs += s.Said()
	}
	told := strings.Count(logs, "a mail is tried again that may have been sent")
	if twice > told {
		t.Errorf("%d mails came twice, and %d times the log says why", twice, told)
	}
	t.Logf("%d people, %d kills: %d mails came twice, told %d times", people, kills, twice, told)
}

// The mail server is away for a while: what was to be sent is sent once it is back, and nobody
// waits for it meanwhile.
func TestTheMailServerIsAway(t *testing.T) {
	box := mailboxOf(t)
	box.Kill()
	s := testkit.Serve(t, testkit.DemoDatabase(t), box.with...)
	x := at(t, s, demo.Administrator)
	x.says(0, "Added", "users", "invite", "alma.reyes", "-email", "alma.reyes@larkhaven.example", "-unit", "office", "-reason", "Begins on Monday")
	testkit.Until(t, "a try that failed", func() bool {
		list := x.says(0, "", "invitations", "list")
		return strings.Contains(list, "waiting") && strings.Contains(list, "refused")
	})
	back := mailboxOf(t, "-smtp", strings.TrimSuffix(strings.TrimPrefix(box.with[1], "smtp://"), "?tls=none"))
	testkit.Until(t, "the mail", func() bool { return len(back.mails(t, "alma.reyes@larkhaven.example")) == 1 })
}
