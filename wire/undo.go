package wire

import "encoding/json"

// Undo is what would take a revision back, to be put on a change sheet: what others changed
// since stays theirs.
type Undo struct {
	Basis
	Of      int64      `json:"of" doc:"the revision it takes back"`
	Lines   []UndoLine `json:"lines"`
	Stays   []string   `json:"stays" doc:"what is not taken back, and why, a sentence each"`
	Outside bool       `json:"outside,omitempty" doc:"there is more, outside what the caller may see"`
}

// UndoLine is one thing that it does.
type UndoLine struct {
	Words      string            `json:"words"`
	Operations []json.RawMessage `json:"operations"`
}
