package e2e

import (
	"encoding/csv"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"ableroster/demo"
	"ableroster/testkit"
)

// asked is how each command is asked something that it can do in the demo
// organisation; FILE is filled in with a file of its own, OUT with one to write.
var asked = map[string]string{
	"users list": "-unit marine", "users show": demo.Pilot, "users add": "zoe.marrick", "users change": demo.Pilot + " -title Harbour\u00a0pilot", "users import": "FILE", "users export": "",
	"users compare": demo.Pilot + " b.osei", "users depart": "b.osei", "users erase": "amatus.bjorklund", "users hold": demo.Pilot + " -until 2031-12-31", "users end-hold": held, "users set-roles": "b.osei berth-planning/reader", "memberships import": "FILE", "memberships export": "",
	"ledger undo": "900", "imports list": "", "imports folder": "FOLDER", "imports cancel": "nothing-like-it", "groups export": "", "groups import": "FILE", "assignments import": "FILE", "assignments export": "", "groups list": "", "groups show": "pilots", "groups members": "pilots",
	"applications list": "", "applications show": "berth-planning", "applications change": "berth-planning -owner marta.quill", "applications coverage": "berth-planning", "applications covered": "berth-planning board",
	"applications compare": "berth-planning FILE", "applications going-live": "incident-log", "applications rehearsal": "incident-log", "roles list": "", "roles show": "staff", "roles change": "staff -risk low", "roles retire": "tariff-ledger/clerk -acknowledge wide_loss",
	"roles copy": "staff staff-too", "roles compare": "staff duty-officer", "grant": "b.osei berth-planning/reader", "revoke": "all-users staff -to-group -acknowledge wide_loss -acknowledge expectation_warned", "change": "FILE",
	"defaults list": "", "defaults preview": "-unit terminal/cranes", "defaults add": "quay -everybody -role incident-log/reader -acknowledge gain_for_everybody", "defaults change": "crane-crew -role crane-control/observer", "defaults end": "crane-crew",
	"attributes list": "", "attributes declare": "berth_card", "attributes change": "boat_licence -label Licence", "attributes retire": "boat_licence", "views list": "", "views save": "mine -where title\u00a0pr", "views remove": "mine",
	"delegations list": "", "my-access": "", "settings sign-in": "all-users", "settings second-person": "", "settings move-reviews": "on", "catalogue translate": "works-orders/raiser pt -words pedir", "pending list": "", "pending make": "pending-change-1", "pending refuse": "pending-change-1 -why no", "pending withdraw": "pending-change-1", "refusals list": "", "lists save": "users OUT.csv",
	"mappings list": "", "mappings save": "office FILE", "mappings show": "office", "mappings remove": "office", "sod-rules list": "", "sod-rules add": "quay -role tide-board/editor -role crane-control/operator", "sod-rules end": "credit-two-hands", "report user": "ines.halloran", "report role": "berth-planning/scheduler", "report revision": "900", "roles retirement": "berth-planning/scheduler", "applications retirement": "tide-board", "freezes list": "", "shares list": "", "shares end": "berth-planning berths", "calendar": "-unit marine", "users leaving": demo.Manager, "machine-accounts list": "", "connections list": "", "machine-accounts rotate": "barrier-control", "machine-accounts source": demo.BerthBoard + " -attribute title", "machine-accounts set": "barrier-control -purpose x -accountable tomas.brandt,marta.quill", "second-factor show": "", "second-factor add": "-code 123456", "second-factor remove": "123456", "second-factor recovery-codes": "123456", "users remove-second-factor": demo.Pilot, "sessions list": "", "sessions end": "99", "users invite": "alma.reyes -email alma.reyes@larkhaven.example", "invitations list": "", "invitations resend": demo.Pilot, "invitations withdraw": "alma.reyes", "mail list": "", "password reset": demo.Pilot, "employment-types list": "", "employment-types set": "trainee -label Trainee", "employment-types end": "apprentice", "shared-accounts list": "", "shared-accounts set": "barrier-control -custodian marta.quill -group pilots", "shared-accounts end": "barrier-control", "shared-accounts check-out": "barrier-control -hours 1", "shared-accounts return": "barrier-control", "shared-accounts rotated": "barrier-control", "shared-accounts tested": "barrier-control", "team-rules list": "", "team-rules set": "harbour-projects -where within\u00a0eq\u00a0\"office\"", "team-rules end": "project-teams", "teams list": "", "teams show": "chart-project", "teams open": "deep-berth -rule project-teams -owner odhran.inglewood", "teams add": "chart-project ines.halloran", "teams remove": "chart-project emeric.inglewood", "teams invite": "chart-project ola.finch -name x -email ola@x.example", "teams close": "chart-project", "sign-up-rules list": "", "sign-up-rules set": "pilots.example -unit marine", "sign-up-rules end": "estuary-dredging.example", "sponsored list": "", "sponsored extend": demo.Vendor + " " + time.Now().AddDate(0, 9, 0).Format(time.DateOnly), "sponsored open": demo.Vendor + " TCK-1 -hours 2", "sponsored close": demo.Vendor, "users merge": absent + " " + demo.Pilot, "positions add": demo.Pilot + " finance -start 2027-01-04 -end 2027-03-31", "positions end": standsIn + " 1", "absences add": demo.Pilot + " -start 2027-01-04", "absences end": absent + " 1", "substitutes add": "tomas.brandt b.osei -start 2027-01-04 -end 2099-01-31", "substitutes end": substituted + " 1", "units list": "", "units add": "docks", "units change": "marine -label Sea", "units move": "security/patrol security/watch", "units merge": "safety office", "units end": "office/archive", "units adopt": "", "freezes set": "year-end -why x -until 2099-01-31 -unit finance", "freezes end": "quarter-close", "settings references": "-pattern TCK-[0-9]+",
	"expectations list": "", "expectations set": "quay may-not tide-board update tides -user b.osei", "expectations end": "credits-by-leads", "findings list": "", "findings mend": "role_unheld:role-66",
	"findings set-aside": "role_unheld:role-66 -until 2027-01-31", "findings show-again": "role_unheld:role-66", "file load": "FILE", "file export": "", "file schema": "", "today": "", "catalogue list": "", "catalogue remove": "berth-planning/scheduler", "request": "gate-passes/issuer -until " + soon[:10] + " -reason x",
	"requests": "", "requests show": "request-38", "decide": "request-38 refuse -reason x", "withdraw": "request-38 -reason x", "routes list": "", "routes set": "quay manager owner", "catalogue add": "incident-log/reader manager Read\u00a0of\u00a0incidents",
	"review list": "", "review open": "quay -application tide-board -reviewers owner", "review show": "marine-winter", "review items": "marine-winter", "review keep": "marine-winter tomas.brandt berth-planning/reader",
	"review revoke": "marine-winter tomas.brandt berth-planning/reader", "review sign-off": "marine-winter", "check": "ines.halloran berth-planning read board", "access": demo.Pilot, "view-as": demo.Pilot, "grid": "tide-board",
	"holders": "berth-planning read board", "gained-and-lost": "2026-10-01", "timeline": "ines.halloran berth-planning read board", "over-time": "berth-planning", "history": "", "ledger verify": "", "ledger head": "", "ledger erase-reason": "3", "whoami": "",
	"profiles list": "", "completion": "bash", "manual": "", "version": "", "sign-in": "", "sign-out": "", "users sign-in-link": demo.Pilot, "security-log list": "",
}

// files are what the commands read that read files.
var files = map[string]string{
	"users import": "user_name,title\nines.halloran,Pilot\n", "memberships import": "group,user\npilots,b.osei\n", "groups import": "group,label\npilots,Pilots\n", "assignments import": "role,user\nberth-planning/reader,b.osei\n",
	"applications compare": "board\nboard/arrivals\n", "change": `{"operations":[{"op":"add_group","key":"quay"}]}`, "mappings save": "columns:\n  - column: user_name\n    from: [Uid]\n", "file load": "roster_file: 1\ngroups:\n  pilots:\n    label: Pilots\n",
}

// tolerates are the exit codes with which a command may well end here besides 0
// and 1: what it is asked for is not there, or not so.
var tolerates = map[string]int{
	"pending make": 3, "pending refuse": 3, "pending withdraw": 3, "views remove": 3, "mappings show": 3, "mappings remove": 3, "findings mend": 3, "findings show-again": 3, "withdraw": 3, "review sign-off": 3,
	"users erase": 3, "settings sign-in": 3, "applications rehearsal": 3, "users depart": 3, "expectations end": 3, "imports cancel": 3, "second-factor add": 3, "second-factor remove": 3, "second-factor recovery-codes": 3, "users remove-second-factor": 3, "sessions end": 3, "invitations resend": 3, "password reset": 3, "invitations withdraw": 3, "shared-accounts set": 3, "shared-accounts end": 3, "shared-accounts check-out": 3, "shared-accounts return": 3, "shared-accounts rotated": 3, "shared-accounts tested": 3,
}

// Every command that there is says how it is used, refuses what it does not know
// as a wrong use, tells whoever is not signed in and whoever does not reach the
// service so, and answers on the demo organisation: as a table, and in the forms
// that scripts read. The commands are those that the help lists.
func TestEveryCommandKeepsToTheRules(t *testing.T) {
	s := testkit.Serve(t, testkit.DemoDatabase(t))
	x := at(t, s, demo.Administrator)
	stranger := &terminal{t, s.CommandLine(t)}
	dir := t.TempDir()
	listed := regexp.MustCompile(`(?m)^  roster ([a-z]+(?:-[a-z]+)*(?: [a-z]+(?:-[a-z]+)*)?)(?: (.*))?$`).FindAllStringSubmatch(x.says(0, "", "help"), -1)
	if len(listed) < 100 {
		t.Fatalf("the help lists %d commands", len(listed))
	}
	for _, m := range listed {
		words, takes := strings.Fields(m[1]), m[2]
		sample, known := asked[m[1]]
		if !known {
			t.Errorf("nothing is asked of roster %s: give it something to do here", m[1])
			continue
		}
		if text, ok := files[m[1]]; ok {
			file := filepath.Join(dir, strings.Join(words, "-"))
			if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
			sample = strings.Replace(sample, "FILE", file, 1)
		}
		sample = strings.Replace(sample, "FOLDER", t.TempDir(), 1)
		sample = strings.Replace(sample, "OUT", filepath.Join(dir, "out"), 1)
		args := slices.Clone(words)
		for _, a := range strings.FieldsFunc(sample, func(r rune) bool { return r == ' ' }) {
			args = append(args, strings.ReplaceAll(a, "\u00a0", " "))
		}
		help := x.says(0, "roster "+m[1], append(words, "-help")...)
		if strings.Contains(help, "\n\n\n") || !strings.HasSuffix(help, "\n") {
			t.Errorf("roster %s -help prints:\n%s", m[1], help)
		}
		x.says(2, "-colour", append(slices.Clone(args), "-colour", "blue")...)
		if !strings.Contains(regexp.MustCompile(`\[?\(?-.*`).ReplaceAllString(takes, ""), "…") {
			x.says(2, "", append(slices.Clone(args), "surplus", "surplus", "surplus", "surplus", "surplus")...)
		}
		if slices.Contains([]string{"sign-in", "sign-out", "profiles list", "completion", "manual", "version", "password reset"}, m[1]) { // no service is asked
			continue
		}
		changes := strings.Contains(help, "-dry-run")
		if changes {
			args = append(args, "-dry-run")
		}
		if out, errOut, code := stranger.r.Run(t, "", args...); code != 3 || !strings.Contains(errOut+out, "ign in") {
			t.Errorf("roster %s by nobody: exit %d\n%s%s", m[1], code, out, errOut)
		}
		if out, errOut, code := x.r.Run(t, "", append(slices.Clone(args), "-service", "http://127.0.0.1:1")...); code != 4 {
			t.Errorf("roster %s of no service: exit %d\n%s%s", m[1], code, out, errOut)
		}
		before := revisionNow(t, x)
		fine := func(code int) bool { return code == 0 || code == 1 || code == tolerates[m[1]] }
		out, errOut, code := x.r.Run(t, "", args...)
		if !fine(code) || strings.TrimSpace(out+errOut) == "" || code == 3 && !strings.HasPrefix(errOut, "roster "+m[1]+": ") {
			t.Errorf("roster %s: exit %d\n%s%s", strings.Join(args, " "), code, out, errOut)
		}
		if code > 1 {
			continue
		}
		for form, valid := range map[string]func(string) error{"json": isJSON, "csv": isCSV} {
			out, errOut, code := x.r.Run(t, "", append(slices.Clone(args), "-output", form)...)
			if code == 2 && strings.Contains(errOut, "writes ") { // a file of one form
				continue
			}
			if err := valid(out); !fine(code) || code < 2 && err != nil {
				t.Errorf("roster %s as %s: exit %d, %v\n%.300s%s", m[1], form, code, err, out, errOut)
			}
		}
		if after := revisionNow(t, x); after != before && changes {
			t.Errorf("roster %s -dry-run took the ledger from %s to %s", m[1], before, after)
		}
		if strings.Contains(help, "-as-of") {
			out, errOut, code := x.r.Run(t, "", append(slices.Clone(args), "-as-of", "2026-10-01")...)
			if code > 1 && code != 3 || code == 3 && !strings.HasPrefix(errOut, "roster "+m[1]+": ") {
				t.Errorf("roster %s -as-of 2026-10-01: exit %d\n%.300s%s", m[1], code, out, errOut)
			}
		}
	}
}

func isJSON(text string) error { return json.Unmarshal([]byte(text), new(any)) }

func isCSV(text string) error {
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err == nil && len(rows) == 0 {
		return io.ErrUnexpectedEOF
	}
	return err
}

func revisionNow(t *testing.T, x *terminal) string {
	t.Helper()
	out, _, _ := x.r.Run(t, "", "history", "-limit", "1", "-output", "csv")
	return out
}
