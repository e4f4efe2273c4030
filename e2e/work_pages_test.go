package e2e

import (
	"encoding/csv"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"ableroster/client"
	"ableroster/demo"
	"ableroster/testkit"
	"ableroster/wire"
)

// A preview of what touches many is read page by page: every class first, then
// the rest of the names, and the counts are exact on each page.
func TestAPreviewIsReadPageByPage(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	req := changeOf("", `{"op":"grant","role":"tariff-ledger/clerk","group":"all-users"}`)
	named, classes, pages := map[string]bool{}, 0, 0
	var first *wire.Preview
	for cursor := ""; ; {
		out, err := marta.Preview(ctx, req, client.Query{"cursor": cursor, "limit": "2"})
		if err != nil || len(out.Preview.Effects) == 0 || len(out.Preview.Effects) > 2 {
			t.Fatalf("page %d: %+v (%v)", pages, out.Preview, err)
		}
		p := out.Preview
		if first == nil {
			first = p
		}
		if p.UsersGaining != first.UsersGaining || p.Gained != first.Gained || p.EffectCount != first.EffectCount {
			t.Errorf("page %d counts %d users, %d things, %d classes", pages, p.UsersGaining, p.Gained, p.EffectCount)
		}
		for _, e := range p.Effects {
			if len(e.Users) > 50 || len(e.Gained) == 0 {
				t.Errorf("page %d: %d users gain %d things", pages, len(e.Users), len(e.Gained))
			}
			for _, u := range e.Users {
				if named[u.ID] {
					t.Errorf("%s is named twice", u.Label)
				}
				named[u.ID] = true
			}
			if classes < p.EffectCount {
				classes++
			}
		}
		pages++
		if cursor = p.Next; cursor == "" {
			break
		}
	}
	if len(named) != first.UsersGaining || first.UsersGaining < 200 || classes != first.EffectCount {
		t.Errorf("%d users named on %d pages, %d gain; %d of %d classes", len(named), pages, first.UsersGaining, classes, first.EffectCount)
	}
	_, err := marta.Preview(ctx, req, client.Query{"cursor": "nonsense"})
	problem(t, err, 422, "invalid")
	x := at(t, s, demo.Administrator)
	file := writeFile(t, `{"operations":[{"op":"grant","role":"tariff-ledger/clerk","group":"all-users"}]}`)
	x.says(3, "would gain", "change", file, "-dry-run")
	x.says(0, "would gain", "change", file, "-dry-run", "-acknowledge", "gain_for_everybody")
	x.says(2, "-cursor goes with -dry-run", "change", file, "-cursor", "x", "-reason", "x")
}

// Who came to hold a role between two days, and who ceased to, with what it gives.
func TestBetweenTellsWhoCameToHoldARole(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	_, err := marta.Change(ctx, changeOf("Twice over", grantTo("b.osei", "tariff-ledger/reader"), `{"op":"grant","user":"b.osei","role":"tariff-ledger/clerk"}`), false)
	if err != nil {
		t.Fatal(err)
	}
	yesterday := time.Now().Add(-30 * time.Minute).Format(time.RFC3339Nano)
	q := client.Query{"from": yesterday, "role": "tariff-ledger/clerk"}
	b, err := marta.GainedAndLost(ctx, q)
	if err != nil || b.Total != 1 || b.Users[0].User.Key != "b.osei" || b.Users[0].Role != "gained" || len(b.Users[0].Gained) == 0 {
		t.Fatalf("%+v (%v)", b, err)
	}
	for _, e := range b.Users[0].Gained {
		if e.Application.Key != "tariff-ledger" {
			t.Errorf("the role gives %+v", e)
		}
	}
	q["user"] = "b.osei"
	if one, err := marta.GainedAndLost(ctx, q); err != nil || one.Total != 1 || len(one.Users[0].Gained) != len(b.Users[0].Gained) {
		t.Errorf("of the user alone: %+v (%v)", one, err)
	}
	if _, err := marta.Change(ctx, changeOf("No more", `{"op":"revoke","user":"b.osei","role":"tariff-ledger/clerk"}`), false); err != nil {
		t.Fatal(err)
	}
	if none, err := marta.GainedAndLost(ctx, client.Query{"from": yesterday, "role": "tariff-ledger/clerk"}); err != nil || none.Total != 0 {
		t.Errorf("given and taken: %+v (%v)", none, err)
	}
	_, err = marta.GainedAndLost(ctx, client.Query{"from": yesterday, "role": "tariff-ledger/none"})
	problem(t, err, 404, "not-found")
	// The manager does not learn that the role exists.
	_, err = s.SignIn(t, demo.Manager).GainedAndLost(ctx, client.Query{"from": yesterday, "role": "tariff-ledger/clerk"})
	problem(t, err, 404, "not-found")
	x := at(t, s, demo.Administrator)
	x.says(0, "came to hold tariff-ledger/reader or ceased to", "gained-and-lost", time.Now().AddDate(0, 0, -200).Format(time.DateOnly), "-role", "tariff-ledger/reader")
}

func TestTheWholeGridAsAFile(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	marta := s.SignIn(t, demo.Administrator)
	if _, err := marta.Change(ctx, changeOf("A name to beware of", `{"op":"add_user","user_name":"formula","display_name":"=HYPERLINK(1)"}`), false); err != nil {
		t.Fatal(err)
	}
	get := func(token, query string) (*http.Response, string) {
		t.Helper()
		req, _ := http.NewRequest("GET", s.Base+"/api/v1/grid.csv?"+query, nil)
		req.Header.Set("Authorization", "Bearer "+token)
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer resp.Body.Close()
		raw, _ := io.ReadAll(resp.Body)
		return resp, string(raw)
	}
	resp, text := get(marta.Token, "application=berth-planning")
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil || resp.StatusCode != 200 || resp.Header.Get("Content-Type") != "text/csv; charset=utf-8" || !strings.Contains(resp.Header.Get("Content-Disposition"), "grid-berth-planning-") {
		t.Fatalf("%d %v %v", resp.StatusCode, resp.Header, err)
	}
	g, err := marta.Grid(ctx, client.Query{"application": "berth-planning", "limit": "500"})
	if err != nil || len(rows) != len(g.Rows)+1 || len(rows[0]) != len(g.Columns)+2 {
		t.Fatalf("%d × %d, the grid %d × %d (%v)", len(rows), len(rows[0]), len(g.Rows), len(g.Columns), err)
	}
	for i, r := range g.Rows {
		for j, c := range r.Cells {
			if cell := rows[i+1][j+2]; c.Mark != "" && !strings.HasPrefix(cell, c.Mark) || c.Mark == "" && !c.Fenced && cell != "" {
				t.Errorf("%s: %q for %+v", r.User.Label, cell, c)
			}
		}
	}
	if !strings.Contains(text, "'=HYPERLINK(1)") || strings.Contains(text, ",=") {
		t.Error("a name is left as a formula")
	}
	if _, part := get(s.SignIn(t, demo.Manager).Token, "application=berth-planning"); strings.Count(part, "\n") >= len(rows) || strings.Contains(part, "HYPERLINK") {
		t.Error("the manager reads everybody")
	}
	for query, want := range map[string]int{"application=none": 404, "": 422, "application=berth-planning&filter=" + url.QueryEscape(`x y z`): 422,
		"application=berth-planning&as_of=" + url.QueryEscape(time.Now().AddDate(-9, 0, 0).Format(time.RFC3339)): 422} {
		if resp, text := get(marta.Token, query); resp.StatusCode != want {
			t.Errorf("%s: %d %s", query, resp.StatusCode, fmt.Sprintf("%.200s", text))
		}
	}
}
