// Command roster is the command-line client of Able Roster.
package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"slices"
	"strconv"
	"strings"
	"syscall"

	"ableroster/client"
	"ableroster/wire"
)

// The exit codes, for scripts.
const (
	exitDone       = 0 // done, or allowed
	exitDenied     = 1 // denied, or a finding
	exitUsage      = 2
	exitRefused    = 3 // by the service
	exitNotReached = 4
)

// command is one thing the client can do.
type command struct {
	words string // "users list"
	args  string // what follows
	about string
	run   func(*call) error
}

var commands []command

func init() {
	commands = []command{
		{"sign-in", "[-service URL] [-user NAME]", "sign in; the password is asked for, or read from standard input", signIn},
		{"sign-out", "", "end the token that sign-in got", signOut},
		{"users list", "[-q TEXT] [-unit UNIT] [-status STATUS] [-group GROUP] [-where FILTER]", "list users", usersList},
		{"users show", "USER", "one user: attributes, groups and roles", usersShow},
		{"users add", "USER_NAME [-name …] [-unit …] [-role ROLE]… [-group GROUP]…", "add a user, with roles and groups in the same change", usersAdd},
		{"users change", "USER [-unit …] [-title …] [-manager …] [-status …]", "change a user: move, suspend, mark as departed", usersChange},
		{"users import", "FILE.csv", "import users from a personnel export", importer("users")},
		{"users export", "", "users as CSV, in the columns that importing reads", exporter("users")},
		{"users compare", "USER COLLEAGUE [-copy]", "what each user has that the other lacks; -copy gives USER the same", usersCompare},
		{"users depart", "USER [-hand-over-to USER]", "end all access of somebody who leaves; their history stays", usersDepart},
		{"users erase", "USER", "erase the names and the address of somebody who has departed", usersErase},
		{"users sign-in-link", "USER", "make a one-time link by which a user sets their own password", usersSignInLink},
		{"users set-roles", "USER ROLE…", "set the roles that a user holds directly; only the differences are made", usersSetRoles},
		{"memberships import", "FILE.csv", "add users and groups to groups; columns group, user or member_group, from, until (days or instants)", importer("memberships")},
		{"groups export", "", "groups as CSV, in the columns that importing reads", exporter("groups")},
		{"groups import", "FILE.csv", "make and change groups; columns group, label, description, unit, filter, owner, held_within", importer("groups")},
		{"memberships export", "", "listed members of groups, as CSV", exporter("memberships")},
		{"assignments import", "FILE.csv", "grant roles to users and groups; columns role, user or group, from, until, scopes, schedule", importer("assignments")},
		{"assignments export", "", "assignments of roles, as CSV", exporter("assignments")},
		{"imports list", "", "your imports: those under way, and those of the last day", importsList},
		{"imports cancel", "IMPORT", "cancel an import of yours that is not being published yet", importsCancel},
		{"groups list", "", "list groups", groupsList},
		{"groups show", "GROUP", "one group: its members and what it gives", groupsShow},
		{"applications list", "", "list applications", applicationsList},
		{"applications show", "APPLICATION", "one application: its actions and resources", applicationsShow},
		{"applications change", "APPLICATION [-state …] [-owner …] [-direct-assignments …]", "change an application: go live, name its owner", applicationsChange},
		{"applications coverage", "APPLICATION [-unreached]", "coverage: which roles cover what, what no role covers, what everybody reaches", applicationsCoverage},
		{"applications covered", "APPLICATION PATTERN", "what a pattern covers today, and what it will", applicationsCovered},
		{"applications compare", "APPLICATION [FILE] [-asked] [-register]", "how the application's own list of paths differs from what is registered", applicationsCompare},
		{"applications going-live", "APPLICATION", "what would change if it went live now", applicationsGoingLive},
		{"applications rehearsal", "APPLICATION", "what a rehearsal let through that live would deny", rehearsal},
		{"roles list", "", "list roles", rolesList},
		{"roles show", "ROLE", "one role: permissions and holders", rolesShow},
		{"roles change", "ROLE [-owner …] [-risk …] [-max-days DAYS]", "edit a role: its owner, risk and limits", rolesChange},
		{"roles retire", "ROLE", "retire a role: it gives nothing any more", rolesRetire},
		{"roles copy", "ROLE NEW_KEY", "make a role that gives the same", rolesCopy},
		{"roles compare", "ROLE OTHER_ROLE", "what each of two roles gives that the other does not", rolesCompare},
		{"grant", "USER ROLE [-from TIME] [-until TIME] [-within APPLICATION:PATTERN]… [-schedule …]", "grant a role (-to-group: USER is a group)", grant},
		{"revoke", "USER ROLE", "revoke a role (-to-group: USER is a group)", revoke},
		{"change", "FILE.json", "make a change written as JSON: {\"operations\": [{\"op\": …}], \"reason\": …}; - reads standard input", change},
		{"defaults list", "", "the default rules: what new users get", defaultsList},
		{"defaults preview", "[-unit UNIT] [-title TITLE] …", "new-user preview: what a new user with these attributes would have, and why", defaultsPreview},
		{"defaults add", "KEY (-everybody | -where FILTER) [-role ROLE]… [-group GROUP]…", "add a default rule", defaultsAdd},
		{"defaults change", "KEY [-where FILTER] [-role ROLE]… [-group GROUP]…", "edit a default rule", defaultsChange},
		{"defaults end", "KEY", "end a default rule and remove what it gave", defaultsEnd},
		{"attributes list", "", "the attributes of users that the organisation declared", attributesList},
		{"attributes declare", "KEY [-type TYPE] [-allow VALUE…]", "declare an attribute of users", attributesDeclare},
		{"attributes change", "KEY [options]", "change a declared attribute", attributesChange},
		{"attributes retire", "KEY", "retire a declared attribute; its values stay on every past day", attributesRetire},
		{"views list", "", "your views of the list of users, and those that others share, with how many they show", viewsList},
		{"views save", "KEY [-where FILTER] [-columns A,B] [-shared]", "save a view of the list of users", viewsSave},
		{"views remove", "KEY", "remove a saved view", viewsRemove},
		{"groups members", "GROUP", "who is in a group, at any depth, and why", groupsMembers},
		{"delegations list", "", "delegated administration: who may administer what, in plain words", delegationsList},
		{"my-access", "", "your access: each role with its reason, its end and who gave it", myAccess},
		{"settings sign-in", "[GROUP]", "let only the members of a group sign in; without a group, everybody who has a password or a token", settingsSignIn},
		{"settings second-person", "[-own-gains] [-high-risk-roles] [-safeguards]", "set for which changes a second person is needed; without options, for none", settingsSecondPerson},
		{"pending list", "", "pending changes: those you may make, and those you passed on", pendingList},
		{"pending make", "PENDING_CHANGE", "make a pending change", pendingMake},
		{"pending refuse", "PENDING_CHANGE -why TEXT", "refuse a pending change; its author is told why", pendingRefuse},
		{"pending withdraw", "PENDING_CHANGE", "withdraw a pending change of your own", pendingWithdraw},
		{"refusals list", "", "refused changes of the last 90 days", refusalsList},
		{"security-log list", "[-user USER]", "who signed in, who tried to, and who was given a way to sign in", securityLogList},
		{"lists save", "LIST FILE [-ask NAME=VALUE…]", "save any list as CSV or XLSX, by the ending of the file's name", listsSave},
		{"mappings list", "", "saved mappings: how the columns of files become attributes of users", mappingsList},
		{"mappings save", "KEY FILE [-shared]", "save a mapping written as YAML or JSON", mappingsSave},
		{"mappings show", "KEY", "a saved mapping, to be changed and saved again", mappingsShow},
		{"mappings remove", "KEY", "remove a saved mapping", mappingsRemove},
		{"sod-rules list", "", "SoD rules, with their violations and the paths to them", sodRulesList},
		{"sod-rules add", "KEY -role ROLE -role ROLE… [-prevent]", "add an SoD rule", sodRulesAdd},
		{"sod-rules end", "KEY", "end an SoD rule: its roles may be combined again", sodRulesEnd},
		{"expectations list", "[-broken] [-application APPLICATION]", "checks that must keep holding, and whether they do", expectationsList},
		{"expectations set", "KEY may|may-not APPLICATION ACTION PATTERN (-user USER | -group GROUP [-except] | -nobody)", "add an expectation", expectationsSet},
		{"expectations end", "KEY", "end an expectation", expectationsEnd},
		{"findings list", "[-code CODE] [-application APPLICATION] [-aside]", "findings: what looks wrong, why it matters, and how to mend it", findingsList},
		{"findings mend", "KEY", "make the change that mends a finding", findingsMend},
		{"findings set-aside", "KEY -until DAY", "set a finding aside until a day", findingsSetAside},
		{"findings show-again", "KEY", "show a finding again that was set aside", findingsTakeUp},
		{"file load", "FILE.yaml", "load a roster file: make the organisation as it says", fileLoad},
		{"file export", "", "the organisation as a roster file", fileExport},
		{"file schema", "", "the JSON Schema of a roster file", fileSchema},
		{"today", "", "what is waiting for you", today},
		{"catalogue list", "[TEXT] [-for USER]", "the access catalogue: requestable roles, found by what one wants to do", catalogueList},
		{"request", "ROLE [-for USER] [-until TIME] -reason TEXT", "request access: a role, for yourself or one of your people", requestAccess},
		{"requests", "[-waiting] [-mine] [-to-decide]", "requests of yours, those you decide on, and those you may read", requests},
		{"requests show", "REQUEST", "one request: its steps, and what it would give", requestsShow},
		{"decide", "REQUEST approve|refuse [-until TIME] -reason TEXT", "decide on a request; -until and -within give less than was asked", decide},
		{"withdraw", "REQUEST -reason TEXT", "withdraw a request", withdraw},
		{"routes list", "", "approval routes", routesList},
		{"routes set", "KEY STEP…", "add or edit an approval route; a step is manager, owner, group:KEY, all:KEY or user:NAME,NAME", routesSet},
		{"catalogue add", "ROLE ROUTE WORDS [-max-days DAYS]", "make a role requestable", catalogueAdd},
		{"catalogue remove", "ROLE", "a role is no longer requestable", catalogueRemove},
		{"review list", "", "review rounds", reviewList},
		{"review open", "KEY (-application APP | -group GROUP | -where FILTER) -reviewers manager|owner|user:NAME,…", "open a review round", reviewOpen},
		{"review show", "ROUND", "one round, and how far each reviewer is", reviewShow},
		{"review items", "ROUND [-mine] [-undecided]", "the items of a round, each with why it is held", reviewItems},
		{"review keep", "ROUND USER ROLE… | -all-mine", "decide that items are kept", reviewKeep},
		{"review revoke", "ROUND USER ROLE…", "decide that items are revoked at the sign-off", reviewRevoke},
		{"review sign-off", "ROUND", "sign a round off: revoke, and leave pending removals for what groups and rules give", reviewSignOff},
		{"check", "USER APPLICATION ACTION PATH", "check access, with the path or the nearest miss; - as USER is nobody signed in", check},
		{"access", "USER", "all a user can do, and through what", access},
		{"view-as", "USER | - | -would-be unit=…,title=…", "what somebody can do in each application; - is nobody signed in", viewAs},
		{"grid", "APPLICATION [-q TEXT] [-group GROUP]", "users × permissions of one application", grid},
		{"holders", "APPLICATION ACTION PATH | -role ROLE", "who can do this, or who holds a role, and through what", holders},
		{"gained-and-lost", "FROM [TO] [-user USER] [-role ROLE] [-application APPLICATION]", "who gained and lost what from one day to another", gainedAndLost},
		{"timeline", "USER [APPLICATION ACTION PATH]", "from when to when a user held each role, or one permission, and through what", timeline},
		{"over-time", "APPLICATION [-from DAY] [-points N]", "how many people had anything in an application, by how", overTime},
		{"history", "[-user USER] [-role ROLE]", "the ledger, newest first", history},
		{"ledger head", "[-out FILE] [-revision N]", "how far the ledger goes, signed: to be kept elsewhere", ledgerHead},
		{"ledger verify", "[-head FILE…] [-key KEY]", "recompute the chain and replay it against the rows; hold it to heads that were kept", ledgerVerify},
		{"ledger undo", "REVISION -reason TEXT", "take a revision back; what stays is said, and what others changed since stays theirs", ledgerUndo},
		{"ledger erase-reason", "REVISION -reason TEXT", "erase the reason of a revision, which cannot be brought back", ledgerEraseReason},
		{"whoami", "", "who is signed in, and where", whoAmI},
	}
}

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	code := run(ctx, os.Args[1:], os.Stdin, os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}

func usage(w io.Writer) {
	fmt.Fprint(w, "roster speaks to an Able Roster service.\n\n")
	for _, c := range commands {
		fmt.Fprintf(w, "  roster %s\n      %s\n", strings.TrimSpace(c.words+" "+c.args), c.about)
	}
	fmt.Fprint(w, `
Every command takes -help, -output table, json or csv, and -service URL; what
reads takes -as-of DATE; what changes takes -dry-run, -reason TEXT and
-acknowledge CODE. A role is named application/key, or key for a role of the
organisation. ROSTER_SERVICE and ROSTER_TOKEN stand in for signing in.

Exit codes: 0 done or allowed, 1 denied or something found, 2 wrong usage,
3 refused by the service, 4 the service was not reached.
`)
}

func run(ctx context.Context, args []string, in io.Reader, out, errOut io.Writer) int {
	if len(args) == 0 || slices.Contains([]string{"-h", "-help", "--help", "help"}, args[0]) {
		usage(out)
		return exitDone
	}
	for _, words := range []int{2, 1} {
		if len(args) < words {
			continue
		}
		name := strings.Join(args[:words], " ")
		for _, c := range commands {
			if c.words == name {
				return runCommand(ctx, c, args[words:], in, out, errOut)
			}
		}
	}
	fmt.Fprintf(errOut, "roster: there is no command “%s”\n", strings.Join(args[:min(2, len(args))], " "))
	var like []string
	for _, c := range commands {
		if strings.HasPrefix(c.words, args[0]+" ") {
			like = append(like, "roster "+c.words)
		}
	}
	if len(like) > 0 {
		fmt.Fprintf(errOut, "There are: %s\n", strings.Join(like, ", "))
	} else {
		fmt.Fprintln(errOut, "roster help lists all commands.")
	}
	return exitUsage
}

// denied ends a command whose answer is no; it has been printed.
var errDenied = errors.New("denied")

// errWouldRefuse ends a dry run of what would be refused; it has been printed.
var errWouldRefuse = errors.New("would be refused")

// refusedFor is errWouldRefuse where a dry run ran into guard rails that are not passed:
// it ends as the commit would.
func refusedFor(r wire.ChangeResult) error {
	if r.DryRun && r.Preview != nil && r.Preview.Refused {
		return errWouldRefuse
	}
	return nil
}

// usageError is what is wrong with a command line.
type usageError struct{ message string }

func (e *usageError) Error() string { return e.message }

func runCommand(ctx context.Context, cmd command, args []string, in io.Reader, out, errOut io.Writer) int {
	c := newCall(ctx, cmd, args, in, out, errOut)
	err := cmd.run(c)
	var u *usageError
	var p *wire.Problem
	switch {
	case err == nil, errors.Is(err, errHelp):
		return exitDone
	case errors.Is(err, errDenied):
		return exitDenied
	case errors.Is(err, errWouldRefuse):
		return exitRefused
	case errors.As(err, &u):
		fmt.Fprintf(errOut, "roster %s: %s\nusage: roster %s %s\n", cmd.words, u.message, cmd.words, cmd.args)
		return exitUsage
	case errors.As(err, &p):
		c.problem(p)
		return exitRefused
	case errors.Is(err, client.ErrNotReached):
		fmt.Fprintf(errOut, "roster: %s at %s did not answer: %s\n", "the service", c.client.Base, strings.TrimPrefix(err.Error(), client.ErrNotReached.Error()+": "))
		return exitNotReached
	}
	fmt.Fprintf(errOut, "roster %s: %v\n", cmd.words, err)
	return exitRefused
}

// mostTold is how many faults a person is told of at once.
const mostTold = 40

// problem says what the service would not do, with every fault.
func (c *call) problem(p *wire.Problem) {
	if c.output == "json" {
		c.json(p)
		return
	}
	fmt.Fprintf(c.err, "roster %s: %s\n", c.cmd.words, p.Detail)
	for i, f := range p.Faults {
		if i == mostTold {
			fmt.Fprintf(c.err, "  … and %d more; -output json has them all\n", len(p.Faults)-i)
			break
		}
		line := f.Message
		if place := c.place(f.Place); place != "" {
			line = place + ": " + f.Message
		}
		if !strings.HasSuffix(p.Detail, f.Message) {
			fmt.Fprintf(c.err, "  %s\n", line)
		}
		if len(f.DidYouMean) > 0 && !strings.Contains(p.Detail, "did you mean") {
			fmt.Fprintf(c.err, "    did you mean %s?\n", strings.Join(f.DidYouMean, " or "))
		}
	}
	for _, r := range p.Rails {
		how := "no acknowledgement is possible"
		if r.Passable {
			how = "add -acknowledge " + r.Code + " to go on"
		}
		if !strings.HasPrefix(p.Detail, r.Message) {
			fmt.Fprintf(c.err, "  %s\n", r.Message)
		}
		fmt.Fprintf(c.err, "    %s\n", how)
	}
	for _, m := range p.Moved {
		if m.Revision > 0 {
			fmt.Fprintf(c.err, "  revision %d: %s\n", m.Revision, strings.Join(m.Sentences, "; "))
		}
	}
	if p.Status == 401 {
		fmt.Fprintln(c.err, "  roster sign-in gets a token.")
	}
}

// place makes a JSON pointer into a change readable: the operations of a
// command are its own business.
func (c *call) place(p string) string {
	if rest, ok := strings.CutPrefix(p, "/operations/"); ok {
		_, field, _ := strings.Cut(rest, "/")
		return field
	}
	if n, ok := strings.CutPrefix(p, "/paths/"); ok { // of a list, a line each
		if i, err := strconv.Atoi(n); err == nil {
			return fmt.Sprintf("line %d", i+1)
		}
	}
	return strings.TrimPrefix(p, "/")
}
