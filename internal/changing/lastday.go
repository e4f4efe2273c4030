package changing

import (
	"bytes"
	"encoding/json"
	"time"

	"ableroster/internal/calendar"
	"ableroster/internal/change"
	"ableroster/internal/strictjson"
)

// decodeOne reads an operation as it came. Where its kind has an until it may say last_day
// instead: the last day on which it holds, in the organisation's time zone.
func decodeOne(raw json.RawMessage, zone *time.Location) (change.Operation, []change.Fault) {
	if !bytes.Contains(raw, []byte(`"last_day"`)) {
		return change.DecodeOperation(raw)
	}
	value, rest, ok := strictjson.Apart(raw, "last_day")
	var kind struct {
		Op    string          `json:"op"`
		Until json.RawMessage `json:"until"`
	}
	if !ok || value == nil || json.Unmarshal(rest, &kind) != nil || !change.HasField(kind.Op, "until") {
		return change.DecodeOperation(raw) // which says what is wrong
	}
	op, faults := change.DecodeOperation(rest)
	fault := func(message string) (change.Operation, []change.Fault) {
		return op, append(faults, change.Fault{Field: "last_day", Message: message})
	}
	var text string
	if json.Unmarshal(value, &text) != nil {
		return fault("must be a day such as 2027-01-31")
	}
	if kind.Until != nil {
		return fault("is given beside until: give one of them")
	}
	day, err := calendar.ReadDate(text)
	if err != nil {
		return fault("must be a day such as 2027-01-31")
	}
	until, err := json.Marshal((day + 1).Begins(zone).Time())
	if err != nil {
		return fault(err.Error())
	}
	end := bytes.LastIndexByte(rest, '}')
	with := append(append(append(bytes.Clone(rest[:end]), `,"until":`...), until...), rest[end:]...)
	return change.DecodeOperation(with)
}
