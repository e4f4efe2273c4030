package client_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"log"
	"os"
	"strings"
	"testing"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// An application asks before it does something. It keeps no answer: each is of the revision it
// names, and of now.
func ExampleClient_Check() {
	c := &client.Client{Base: os.Getenv("ROSTER_SERVICE"), Token: os.Getenv("ROSTER_TOKEN"), Agent: "berths"}
	out, err := c.Check(context.Background(), wire.CheckRequest{User: "ines.halloran", Application: "berth-planning", Action: "read", Path: "board"})
	if err != nil {
		log.Print("deny: ", err) // where nobody can say it is allowed, it is not
		return
	}
	fmt.Println(out.Allowed)
	// true
}

// A page asks for all that it shows at once: the answers are of one revision.
func ExampleClient_Checks() {
	c := &client.Client{Base: os.Getenv("ROSTER_SERVICE"), Token: os.Getenv("ROSTER_TOKEN")}
	var ask []wire.CheckRequest
	for _, path := range []string{"tides", "weather"} {
		ask = append(ask, wire.CheckRequest{User: "ines.halloran", Application: "tide-board", Action: "update", Path: path})
	}
	out, err := c.Checks(context.Background(), ask)
	if err != nil {
		log.Print("deny: ", err)
		return
	}
	for i, a := range out.Answers {
		fmt.Println(ask[i].Path, a.Allowed)
	}
	// tides false
	// weather false
}

// A menu shows what somebody may do in the application, and no more.
func ExampleClient_Menu() {
	c := &client.Client{Base: os.Getenv("ROSTER_SERVICE"), Token: os.Getenv("ROSTER_TOKEN")}
	menu, err := c.Menu(context.Background(), client.Query{"user": "ines.halloran", "application": "berth-planning"})
	if err != nil {
		log.Print(err)
		return
	}
	for _, action := range []string{"read", "update", "release"} {
		fmt.Println(action, client.May(menu, action, "board"))
	}
	// read true
	// update false
	// release false
}

// Whoever keeps something of the ledger asks for what came after the last revision they have.
func ExampleClient_Revisions() {
	c := &client.Client{Base: os.Getenv("ROSTER_SERVICE"), Token: os.Getenv("ROSTER_TOKEN")}
	const last = 1020
	q := client.Query{"limit": "50"}
	for {
		page, err := c.Revisions(context.Background(), q)
		if err != nil {
			log.Print(err)
			return
		}
		for _, r := range page.Revisions { // the newest first
			if r.Revision <= last {
				return
			}
			fmt.Println(r.Revision, r.Via)
		}
		if page.Next == "" {
			return
		}
		q["cursor"] = page.Next
	}
	// 1023 account
	// 1022 console
	// 1021 console
}

// The examples print what stands below them.
func TestTheExamplesPrintWhatTheySay(t *testing.T) {
	if testing.Short() {
		t.Skip("a service is started")
	}
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	t.Setenv("ROSTER_SERVICE", s.Base)
	t.Setenv("ROSTER_TOKEN", s.SignIn(t, demo.Administrator).Token)
	source, err := os.ReadFile("example_test.go")
	if err != nil {
		t.Fatal(err)
	}
	for name, example := range map[string]func(){"Check": ExampleClient_Check, "Checks": ExampleClient_Checks, "Menu": ExampleClient_Menu, "Revisions": ExampleClient_Revisions} {
		_, body, _ := strings.Cut(string(source), "func ExampleClient_"+name+"() {\n")
		body, _, _ = strings.Cut(body, "\n}\n")
		var want bytes.Buffer
		for line := range strings.SplitSeq(body, "\n") {
			if said, ok := strings.CutPrefix(line, "\t// "); ok {
				want.WriteString(said + "\n")
			}
		}
		if got := printed(t, example); got != want.String() || got == "" {
			t.Errorf("%s prints\n%sand says that it prints\n%s", name, got, want.String())
		}
	}
}

// printed is what a function prints.
func printed(t *testing.T, f func()) string {
	t.Helper()
	r, w, err := os.Pipe()
	if err != nil {
		t.Fatal(err)
	}
	was := os.Stdout
	os.Stdout = w
	f()
	os.Stdout = was
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	out, err := io.ReadAll(r)
	if err != nil {
		t.Fatal(err)
	}
	return string(out)
}

func TestMain(m *testing.M) { os.Exit(testkit.Main(m)) }
