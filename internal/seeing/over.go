package seeing

import "ableroster/internal/calendar"

// Over says whether a window has passed at the instant looked at.
func (v *View) Over(w calendar.Window) bool { return w.Until != 0 && w.Until <= v.At }
