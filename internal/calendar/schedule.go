package calendar

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	_ "time/tzdata" // schedules must mean the same on every machine

	"ableroster/internal/strictjson"
)

// Schedule is when in the week something holds: on these weekdays, from one
// time of day until another, on the wall clock of a time zone. An until at or
// before from means past midnight, and belongs to the day it begins on.
type Schedule struct {
	days        [7]bool // Sunday first
	from, until int     // minutes of the day
	zone        *time.Location
}

var DayWords = [7]string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

// ScheduleText is a schedule as it is written.
type ScheduleText struct {
	Days     []string `json:"days" doc:"mon to sun"`
	From     string   `json:"from" doc:"HH:MM on the wall clock of the time zone"`
	Until    string   `json:"until" doc:"at or before from: past midnight, of the day it begins on"`
	TimeZone string   `json:"time_zone" doc:"IANA name"`
}

// NewSchedule reads a schedule: days as "mon" to "sun", times as "HH:MM", an
// IANA time zone. Every fault is named.
func NewSchedule(days []string, from, until, zone string) (*Schedule, error) {
	s := &Schedule{}
	var faults []string
	if len(days) == 0 {
		faults = append(faults, "names no day (mon, tue, wed, thu, fri, sat, sun)")
	}
	for _, d := range days {
		if i := slices.Index(DayWords[:], d); i >= 0 {
			s.days[i] = true
		} else {
			faults = append(faults, fmt.Sprintf("%q is not a day (mon, tue, wed, thu, fri, sat, sun)", strictjson.Short(d)))
		}
	}
	var err error
	if s.from, err = minutes(from); err != nil {
		faults = append(faults, "from "+err.Error())
	}
	if s.until, err = minutes(until); err != nil {
		faults = append(faults, "until "+err.Error())
	}
	if s.zone, err = time.LoadLocation(zone); err != nil || zone == "" || zone == "Local" {
		faults = append(faults, fmt.Sprintf("%q is not a time zone such as Europe/Lisbon", strictjson.Short(zone)))
	}
	if len(faults) > 0 {
		return nil, fmt.Errorf("%s", strings.Join(faults, "; "))
	}
	return s, nil
}

func minutes(text string) (int, error) {
	t, err := time.Parse("15:04", text)
	if err != nil || len(text) != 5 {
		return 0, fmt.Errorf("%q is not a time of day such as 06:30", strictjson.Short(text))
	}
	return t.Hour()*60 + t.Minute(), nil
}

// Holds judges an instant by the wall clock it shows in the schedule's zone.
func (s *Schedule) Holds(at Instant) bool {
	t := time.UnixMicro(int64(at)).In(s.zone)
	day, minute := int(t.Weekday()), t.Hour()*60+t.Minute()
	if s.from < s.until {
		return s.days[day] && minute >= s.from && minute < s.until
	}
	return s.days[day] && minute >= s.from || s.days[(day+6)%7] && minute < s.until
}

// Parts are what NewSchedule takes: days, from, until and time zone.
func (s *Schedule) Parts() (days []string, from, until, zone string) {
	x := s.Text()
	return x.Days, x.From, x.Until, x.TimeZone
}

func (s *Schedule) Text() ScheduleText {
	x := ScheduleText{Days: []string{}, From: clockText(s.from), Until: clockText(s.until), TimeZone: s.zone.String()}
	for i := 1; i <= 7; i++ { // Monday first
		if s.days[i%7] {
			x.Days = append(x.Days, DayWords[i%7])
		}
	}
	return x
}

func clockText(m int) string { return fmt.Sprintf("%02d:%02d", m/60, m%60) }

// MarshalJSON writes days, from, until and time_zone.
func (s *Schedule) MarshalJSON() ([]byte, error) { return json.Marshal(s.Text()) }

// WrittenAs is ScheduleText.
func (*Schedule) WrittenAs() reflect.Type { return reflect.TypeFor[ScheduleText]() }

// UnmarshalJSON reads what MarshalJSON writes.
func (s *Schedule) UnmarshalJSON(raw []byte) error {
	var x ScheduleText
	if err := json.Unmarshal(raw, &x); err != nil {
		return err
	}
	read, err := NewSchedule(x.Days, x.From, x.Until, x.TimeZone)
	if err == nil {
		*s = *read
	}
	return err
}

// String says a schedule in words: "mon to fri 06:00 to 14:00, Europe/Lisbon".
func (s *Schedule) String() string {
	if s == nil {
		return ""
	}
	x := s.Text()
	days := strings.Join(x.Days, ", ")
	switch days {
	case "mon, tue, wed, thu, fri":
		days = "weekdays"
	case "sat, sun":
		days = "weekends"
	case "mon, tue, wed, thu, fri, sat, sun":
		days = "every day"
	}
	return fmt.Sprintf("%s %s to %s, %s", days, x.From, x.Until, x.TimeZone)
}

func (s *Schedule) Equal(o *Schedule) bool { return s.String() == o.String() }
