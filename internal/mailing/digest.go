package mailing

import (
	"context"
	"fmt"
	"net/url"
	"slices"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/jobs"
	"ableroster/internal/record"
	"ableroster/internal/request"
	"ableroster/internal/review"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/internal/workflows"
)

// line is one thing that a digest tells, and the address at which something can be done about it,
// blank for none.
type line struct{ Who, What, Why, At string }

// concerned are who is told of requests: those who decide on one that waits, and whoever made
// one that does not, or whom it was for.
func concerned(s *access.Snapshot, numbers []uint32, at calendar.Instant) (out []fact.UserID) {
	add := func(id fact.UserID) {
		if !slices.Contains(out, id) {
			out = append(out, id)
		}
	}
	for _, n := range numbers {
		r := request.RequestOf(s, request.RequestID(n))
		switch {
		case r == nil:
		case r.State == request.Waiting:
			for _, id := range r.Deciders(s, at) {
				add(id)
			}
		case r.State == request.Approved || r.State == request.Refused:
			add(r.Asker)
			add(r.Beneficiary)
		}
	}
	return out
}

// reviewers are who decides on the items of the reviews that the revisions after one and up to
// another opened, and that are open still.
func reviewers(s *access.Snapshot, after, upTo int64, at calendar.Instant) (out []fact.UserID) {
	for _, r := range review.Rounds(s) {
		if r.State != review.Open || r.Fixed <= after || r.Fixed > upTo {
			continue
		}
		for _, l := range r.Items(s) {
			for _, id := range r.ReviewersOf(s, &l, at) {
				if !slices.Contains(out, id) {
					out = append(out, id)
				}
			}
		}
	}
	return out
}

// reminded are how many days before access ends its holder is told.
var reminded = []int{14, 7, 1}

// remindedOn are the people who hold something directly that ends so many days after a day.
func remindedOn(s *access.Snapshot, day calendar.Date) (out []fact.UserID) {
	for u := range s.Users() {
		if unsendable(u) != "" || u.Status != fact.Active {
			continue
		}
		for _, a := range s.Given(fact.Assignee{User: u.ID}) {
			if a.Window.Until == 0 || a.Rule != 0 {
				continue
			}
			last := calendar.DateOf((a.Window.Until - 1).Time().In(s.Zone()))
			if slices.Contains(reminded, int(last-day)) {
				out = append(out, u.ID)
				break
			}
		}
	}
	return out
}

// earliest is the hour of a day, in the organisation's time, before which nobody is reminded.
const earliest = 7

// Remind adds the mails of a day that tell people what of theirs ends soon: once a day, however
// many services do so.
func (m *Mailing) Remind(ctx context.Context) error {
	head, now := m.Service.Ledger.Head(), m.Service.Clock().In(m.Service.Ledger.Head().Zone())
	if now.Hour() < earliest || head.Revision == 0 {
		return nil
	}
	tokens, err := m.Authenticator.GoodTokens(ctx)
	if err != nil {
		return err
	}
	refused := m.refusedImports(ctx, access.RecordFactsOf[*fact.MachineAccount](head, fact.FactMachineAccount))
	return m.Service.Jobs.RemindMails(ctx, now.Format(time.DateOnly), func() []jobs.Mail {
		var out []jobs.Mail
		day := calendar.DateOf(now)
		for _, id := range slices.Concat(remindedOn(head, day), remindedOfTokens(head, tokens, day), remindedOfContracts(head, day), remindedOfImports(head, refused), remindedOfShared(head, calendar.At(now))) {
			out = append(out, jobs.Mail{User: id, Kind: Digest})
		}
		return out
	})
}

// remindedOfTokens are the people who are accountable for machine accounts whose last token ends so many
// days after a day.
func remindedOfTokens(s *access.Snapshot, tokens map[fact.UserID]signin.GoodTokens, day calendar.Date) (out []fact.UserID) {
	for id, t := range tokens {
		f := record.MachineAccount(s, id)
		if f == nil || t.Ends == nil || !slices.Contains(reminded, int(calendar.DateOf(t.Ends.In(s.Zone()))-day)) {
			continue
		}
		for _, by := range f.Accountable {
			if unsendable(s.User(by)) == "" {
				out = append(out, by)
			}
		}
	}
	return out
}

// remindedOfContracts are the sponsors of people of other companies whose last day is so many
// days after a day.
func remindedOfContracts(s *access.Snapshot, day calendar.Date) (out []fact.UserID) {
	for u := range s.Users() {
		if slices.Contains(reminded, int(u.End-day)) && sponsors(s, u) && unsendable(s.User(u.Manager)) == "" {
			out = append(out, u.Manager)
		}
	}
	return out
}

// sponsors says whether a user works for another company and reports to somebody.
func sponsors(s *access.Snapshot, u *fact.User) bool {
	if u.Manager == 0 || u.Status != fact.Active {
		return false
	}
	t := s.EmploymentTypeOf(u)
	return t != nil && t.External
}

// endingContracts are the people whom somebody sponsors and whose last day is soon.
func (m *Mailing) endingContracts(s *access.Snapshot, id fact.UserID, day calendar.Date) (out []line) {
	for u := range s.Users() {
		if u.Manager == id && u.End >= day && u.End <= day+calendar.Date(reminded[0]) && sponsors(s, u) {
			out = append(out, line{u.Company, seeing.Label(u), u.End.Words(), m.Base + "/my-access?add=" + url.QueryEscape("extend-"+u.UserName)})
		}
	}
	return out
}

// endingTokens are the machine accounts that somebody is accountable for whose last token ends soon.
func (m *Mailing) endingTokens(ctx context.Context, v *seeing.View, id fact.UserID, at time.Time) (out []line) {
	s := v.UncutToday()
	mine := record.AccountableFor(s, id)
	if len(mine) == 0 {
		return nil
	}
	tokens, err := m.Authenticator.GoodTokens(ctx)
	if err != nil {
		return nil // the rest is told without
	}
	for _, f := range mine {
		if t := tokens[f.User]; t.Ends != nil && t.Ends.Sub(at) <= seeing.Soon {
			u := s.User(f.User)
			out = append(out, line{"", seeing.Label(u), t.Ends.In(s.Zone()).Format("2 January 2006"), ""})
			if v.ReadsUser(f.User) { // else the page would tell them nothing
				out[len(out)-1].At = m.Base + "/machine-accounts?add=" + url.QueryEscape("rotate-"+u.UserName)
			}
		}
	}
	return out
}

// digest is what there is to tell somebody; none says that there is nothing. What was decided
// before since was told before.
func (m *Mailing) digest(ctx context.Context, id fact.UserID, since time.Time) (data map[string]any, none bool) {
	v := m.Service.Now(ctx, seeing.Caller{User: id, Via: "mail"})
	today := workflows.Today(v)
	zone := v.UncutToday().Zone()
	var decide, decided, reviews, ending []line
	for _, r := range today.ToDecide {
		decide = append(decide, line{r.Beneficiary.Label, r.Role.Label, r.Asked.Reason, m.Base + "/requests/" + r.ID})
	}
	for _, r := range today.Mine {
		if r.State != "approved" && r.State != "refused" {
			continue
		}
		for _, step := range r.Steps {
			for _, d := range step.Decisions {
				if last := step.State == "done" || step.State == "refused"; last && d.Given != nil && d.Given.At.After(since) {
					decided = append(decided, line{"", r.Role.Label, r.State, m.Base + "/requests/" + r.ID})
				}
			}
		}
	}
	for _, r := range today.Reviews {
		reviews = append(reviews, line{"", r.Label, fact.Count(r.Items, "item"), m.Base + "/reviews/" + url.PathEscape(r.Key)})
	}
	for _, e := range today.Ending {
		x := line{"", e.Role.Label, fmt.Sprint(calendar.UntilWords(e.Until, zone)), ""}
		if role, ok := v.UncutToday().FindRole(e.Role.Key); ok && request.RequestableOf(v.UncutToday(), role) != nil {
			x.At = m.Base + "/catalogue?role=" + url.QueryEscape(e.Role.Key)
		}
		ending = append(ending, x)
	}
	tokens := m.endingTokens(ctx, v, id, m.Service.Clock())
	imports := importLines(v.UncutToday(), m.refusedImports(ctx, record.AccountableFor(v.UncutToday(), id)))
	contracts := m.endingContracts(v.UncutToday(), id, calendar.DateOf(m.Service.Clock().In(zone)))
	accounts := m.sharedAccountLines(v.UncutToday(), id, v.At)
	shared, owned := m.shareLines(v, id, since)
	decided = slices.CompactFunc(decided, func(a, b line) bool { return a == b })
	return map[string]any{"ToDecide": decide, "Decided": decided, "Reviews": reviews, "Ending": ending, "Tokens": tokens, "Contracts": contracts, "Imports": imports, "Accounts": accounts, "Shared": shared, "Owned": owned, "Press": "Open your page", "Base": m.Base},
		len(decide)+len(decided)+len(reviews)+len(ending)+len(tokens)+len(contracts)+len(imports)+len(accounts)+len(shared)+len(owned) == 0
}
