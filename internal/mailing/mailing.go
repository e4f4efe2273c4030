package mailing

import (
	"context"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/jobs"
	"ableroster/internal/mail"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
)

// The kinds of mails, as their words are named.
const (
	Invitation = "invitation" // to whom was invited, with a link to set a password
	Reset      = "reset"      // to whoever forgot their password
	Digest     = "digest"     // what waits for somebody, and what became of what they asked for
	SignUp     = "sign-up"    // to an address by which somebody asked to sign up, with a link to do so

	signUpKnown = "sign-up-known" // in its place, to whoever has an account with that address already
)

// How long the links in mails are good for.
const (
	InvitationLasts = seeing.InvitationLasts
	ResetLasts      = time.Hour
)

// Mailing mails what one service has to say. It may be used by several goroutines.
type Mailing struct {
	Service       *seeing.Service
	Authenticator *signin.Authenticator
	Sender        interface {
		Send(ctx context.Context, m mail.Message) error
	}
	DigestAfter time.Duration // how long news are gathered into one mail
	Base        string        // under which people reach the console: https://roster.example
}

// Follow adds the mails that follow from what was committed since the last time. It may be
// called by several services at once: each mail is added once.
func (m *Mailing) Follow(ctx context.Context) error {
	head := m.Service.Ledger.Head().Revision
	return m.Service.Jobs.FollowMails(ctx, head, func(ctx context.Context, after int64) ([]jobs.Mail, error) {
		invited, err := m.Service.Ledger.InvitedBetween(ctx, after, head)
		if err != nil {
			return nil, err
		}
		seen := map[fact.UserID]bool{}
		var out []jobs.Mail
		for _, x := range invited {
			if !seen[x.User] {
				seen[x.User] = true
				out = append(out, jobs.Mail{User: x.User, Kind: Invitation, By: x.By, Revision: x.Revision})
			}
		}
		requests, err := m.Service.Ledger.RequestsBetween(ctx, after, head)
		if err != nil {
			return nil, err
		}
		for _, id := range concerned(m.Service.Ledger.Head(), requests, calendar.At(m.Service.Clock())) {
			out = append(out, jobs.Mail{User: id, Kind: Digest, After: m.DigestAfter})
		}
		for _, id := range reviewers(m.Service.Ledger.Head(), after, head, calendar.At(m.Service.Clock())) {
			out = append(out, jobs.Mail{User: id, Kind: Digest, After: m.DigestAfter})
		}
		shared, err := m.Service.Ledger.SharedBetween(ctx, after, head)
		if err != nil {
			return nil, err
		}
		for _, id := range concernedByShares(m.Service.Ledger.Head(), shared) {
			out = append(out, jobs.Mail{User: id, Kind: Digest, After: m.DigestAfter})
		}
		return out, nil
	})
}
