package caught

import (
	"errors"
	"strings"
	"testing"
)

func TestAPanicIsAnError(t *testing.T) {
	if err := Do(func() error { return nil }); err != nil {
		t.Error(err)
	}
	mine := errors.New("mine")
	if err := Do(func() error { return mine }); !errors.Is(err, mine) {
		t.Error(err)
	}
	var p *Panic
	err := Do(func() error {
		var none []int
		_ = none[len(none)]
		return nil
	})
	if !errors.As(err, &p) || !strings.Contains(err.Error(), "index out of range") || !strings.Contains(err.Error(), "caught_test.go") {
		t.Error(err)
	}
}

func TestAPanicOfManyIsThatOfWhoeverWaits(t *testing.T) {
	done := make(chan bool, 10)
	err := Do(func() error {
		var g Group
		for i := range 10 {
			g.Go(func() {
				defer func() { done <- true }()
				if i%3 == 0 {
					panic(i)
				}
			})
		}
		g.Wait()
		return nil
	})
	var p *Panic
	if !errors.As(err, &p) || len(done) != 10 {
		t.Errorf("%v, %d done", err, len(done))
	}
}
