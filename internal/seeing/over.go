package seeing

import "ableroster/internal/calendar"

func (v *View) Over(w calendar.Window) bool { return w.Until != 0 && w.Until <= v.At }
