package calendar

import (
	"fmt"
	"strings"

	"ableroster/internal/strictjson"
)

// daySets are names of several days.
var daySets = map[string][]string{
	"weekdays":  {"mon", "tue", "wed", "thu", "fri"},
	"weekends":  {"sat", "sun"},
	"every-day": {"mon", "tue", "wed", "thu", "fri", "sat", "sun"},
}

// ReadScheduleLine reads a schedule that is written on one line, as files and command lines
// have it: "mon,tue,fri 06:00-14:00 Europe/Lisbon"; weekdays, weekends and every-day are days
// too. What is not of that form is refused; days, hours and time zone are for NewSchedule to
// judge.
func ReadScheduleLine(text string) (ScheduleText, error) {
	parts := strings.Fields(text)
	if len(parts) == 3 {
		if from, until, ok := strings.Cut(parts[1], "-"); ok {
			x := ScheduleText{From: from, Until: until, TimeZone: parts[2]}
			for day := range strings.SplitSeq(parts[0], ",") {
				if several := daySets[day]; several != nil {
					x.Days = append(x.Days, several...)
				} else {
					x.Days = append(x.Days, day)
				}
			}
			return x, nil
		}
	}
	return ScheduleText{}, fmt.Errorf("“%s” is not days, hours and a time zone, such as weekdays 06:00-14:00 Europe/Lisbon, or mon,tue and so on", strictjson.Short(text))
}
