package changing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"ableroster/internal/alike"
	"ableroster/internal/calendar"
	"ableroster/internal/effect"
	"ableroster/internal/fact"
	"ableroster/internal/record"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// SignUp adds somebody who signs up by an address that is theirs, as invited, by the rule for its
// mail domain; their user name is the address. It is done on the authority of whoever set the rule,
// as it is today, and once: whoever was added by the address before is found again. By is whoever
// set the rule.
func SignUp(ctx context.Context, d *seeing.Service, address, name string) (user, by fact.UserID, err error) {
	head := d.Ledger.Head()
	f := record.SignUpRuleFor(head, address)
	if f == nil {
		return 0, 0, seeing.Refused("nobody may sign up with an address like this one any more: ask whoever told you to, or an access administrator")
	}
	if id, there := head.FindUser(address); there {
		if u := head.User(id); u.Status != fact.Invited || fact.Fold(u.Email) != fact.Fold(address) {
			return 0, 0, seeing.Refused("there is an account with this address already: sign in, have a link for a new password mailed to you, or ask your access administrator")
		}
		return id, f.By, nil
	}
	if there := alike.WhoHas(head, address); there != nil { // added since the link was mailed
		return 0, 0, seeing.Refused("you have an account already, %s: sign in, have a link for a new password mailed to you, or ask your access administrator", there.UserName)
	}
	u := f.Adds(calendar.DateOf(d.Clock().In(head.Zone())))
	u.UserName, u.DisplayName, u.Email = address, name, address
	op := map[string]any{"op": "add_user", "user_name": address, "display_name": name, "email": address, "status": u.Status, "unit": u.Unit, "employment_type": u.Employment, "company": u.Company}
	if u.Manager != 0 {
		op["manager"] = u.Manager.String()
	}
	if u.End != 0 {
		op["end_date"] = u.End.String()
	}
	raw, err := json.Marshal(op)
	if err != nil {
		return 0, 0, err
	}
	// That somebody of the same name is there is told to nobody who signs up.
	_, err = Change(ctx, d, seeing.Caller{User: f.By, Via: "sign-up"}, wire.ChangeRequest{Reason: "Signed up, as whoever has an address in " + f.Domain + " may",
		Operations: []json.RawMessage{raw}, Acknowledge: []string{string(effect.LikelySamePerson)}}, How{})
	var refused *wire.Problem
	if errors.As(err, &refused) && refused.Status < 500 {
		if _, there := d.Ledger.Head().FindUser(address); there { // by another press at the same time
			return SignUp(ctx, d, address, name)
		}
		for _, fault := range refused.Faults {
			if fault.Place == seeing.PlaceOf(0, "display_name") {
				return 0, 0, seeing.Invalid("nothing was added", wire.Fault{Place: "/display_name", Message: fault.Message})
			}
		}
		return 0, 0, seeing.Refused("nobody can sign up with an address like this one just now: ask your access administrator, who finds why on the page of sign-up rules")
	}
	if err != nil {
		return 0, 0, err
	}
	id, there := d.Ledger.Head().FindUser(address)
	if !there {
		return 0, 0, fmt.Errorf("whoever signed up is not there")
	}
	return id, f.By, nil
}
