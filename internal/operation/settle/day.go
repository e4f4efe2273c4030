package settle

import (
	"ableroster/internal/calendar"
	"ableroster/internal/change"
)

// MostDays bounds what is counted in days, and the order of rules.
const MostDays = 3660

// Today is the day of the change, in the organisation's time zone.
func Today(d *change.Draft) calendar.Date { return calendar.DateOf(d.At().Time().In(d.Zone())) }
