package ledger

import (
	"log/slog"
	"strings"
	"testing"
	"time"
)

// A clock that differs a little is told of, one that differs much stops decisions; time
// goes by the database's clock either way.
func TestClocksThatDiffer(t *testing.T) {
	var said strings.Builder
	l := &Ledger{log: slog.New(slog.NewTextHandler(&said, nil))}
	odd := false
	for _, x := range []struct {
		ahead time.Duration // the database
		warns bool
		wrong bool
	}{{0, false, false}, {500 * time.Millisecond, false, false}, {-5 * time.Second, true, false}, {5 * time.Second, true, false}, {-time.Hour, true, true}, {time.Hour, true, true}, {0, false, false}} {
		l.readClock(time.Now().Add(x.ahead))
		if odd = l.minded(odd); odd != x.warns {
			t.Errorf("%s: warns %v", x.ahead, odd)
		}
		if wrong := l.WrongTime(); (wrong != "") != x.wrong {
			t.Errorf("%s: %q", x.ahead, wrong)
		}
		if off := l.Now().Sub(time.Now().Add(x.ahead)).Abs(); off > x.ahead.Abs()/2+100*time.Millisecond {
			t.Errorf("%s: it is off by %s", x.ahead, off)
		}
	}
	if n := strings.Count(said.String(), "differ"); n != 1 || !strings.Contains(said.String(), "agree again") {
		t.Errorf("it said: %s", said.String())
	}
}
