package seeing

import "time"

// InvitationLasts is how long the link in an invitation is good.
const InvitationLasts = 7 * 24 * time.Hour
