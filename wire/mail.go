package wire

import "time"

// ResetRequest asks for a mail with a link by which one sets a new password.
type ResetRequest struct {
	UserName string `json:"user_name" maxLength:"128"`
}

// Invitation is somebody who was invited and has not taken it up.
type Invitation struct {
	User      Ref        `json:"user"`
	Email     string     `json:"email,omitempty"`
	Unit      string     `json:"unit,omitempty"`
	InvitedBy *Ref       `json:"invited_by,omitempty"`
	Revision  int64      `json:"revision,omitempty" doc:"by which they were last mailed an invitation, or it waits to be"`
	Mail      string     `json:"mail" enum:"none,waiting,sent,failed,dropped" doc:"what became of the mail; none: it was not mailed, as no mail server is set or there is no address"`
	Said      string     `json:"said,omitempty" doc:"why the mail was not sent"`
	MailedAt  *time.Time `json:"mailed_at,omitempty"`
	ExpiresAt *time.Time `json:"expires_at,omitempty" doc:"when the link in the mail ends"`
}

// InvitationList is all who were invited, of those the caller may read.
type InvitationList struct {
	Basis
	Invitations []Invitation `json:"invitations"`
}

// Mail is one that is to be sent, or was: to whom and what about, never what it says.
type Mail struct {
	ID       int64      `json:"id"`
	User     Ref        `json:"user"`
	Kind     string     `json:"kind" enum:"invitation,reset,digest"`
	CausedBy *Ref       `json:"caused_by,omitempty"`
	Revision int64      `json:"revision,omitempty" doc:"that it tells of"`
	State    string     `json:"state" enum:"waiting,sent,failed,dropped" doc:"dropped: there was nothing to send any more"`
	Tries    int        `json:"tries"`
	Said     string     `json:"said,omitempty" doc:"what went wrong, or why it was not sent"`
	MadeAt   time.Time  `json:"made_at"`
	EndedAt  *time.Time `json:"ended_at,omitempty"`
}

// MailList is the last mails, the newest first.
type MailList struct {
	Mails []Mail `json:"mails"`
}
