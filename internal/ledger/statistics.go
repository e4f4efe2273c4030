package ledger

import (
	"slices"
	"strings"

	"ableroster/internal/ledger/factrows"
	"ableroster/internal/ledger/past"
)

// tellAnalyze is from how many new rows on PostgreSQL looks at a table anew at
// once, instead of when its own housekeeping comes by: or the next statements are
// planned for an empty table.
const tellAnalyze = 1000

// grown are the tables that have many new rows.
func (w *writer) grown() (out []string) {
	for _, name := range factrows.TableOrder {
		if g := w.Tables[name]; g != nil && len(g.Values) >= tellAnalyze || name == "operation" && w.stream != nil {
			out = append(out, name)
		}
	}
	return out
}

// analyze has PostgreSQL look at tables anew, while nobody waits for it.
func (l *Ledger) analyze(tables []string) {
	if len(tables) == 0 {
		return
	}
	l.done.Add(1) // whoever commits is counted still
	go func() {
		defer l.done.Done()
		work := "analyze " + strings.Join(tables, ", ")
		if slices.Contains(tables, "operation") {
			work = past.SQLTidy + "; " + work
		}
		if _, err := l.pool.Exec(l.run, work); err != nil && l.run.Err() == nil {
			l.log.Warn("statistics of a table are old", "error", err)
		}
	}()
}
