// Package caught keeps a panic from ending the program: one change, one question or one
// round of housekeeping fails, and nothing else.
package caught

import (
	"fmt"
	"runtime/debug"
	"sync"
)

// Panic is a panic as an error, with the stack of the goroutine that panicked.
type Panic struct {
	Value any
	Stack []byte
}

func (p *Panic) Error() string { return fmt.Sprintf("panic: %v\n%s", p.Value, p.Stack) }

// Do calls f. What f panics with is returned as a *Panic.
func Do(f func() error) (err error) {
	defer func() {
		if v := recover(); v != nil {
			err = asPanic(v)
		}
	}()
	return f()
}

func asPanic(v any) *Panic {
	if p, ok := v.(*Panic); ok { // of another goroutine, see Group
		return p
	}
	return &Panic{v, debug.Stack()}
}

// Group is functions that run at once. A panic in one of them is the panic of whoever
// waits, who may recover from it, and not the end of the program. The zero Group is
// ready.
type Group struct {
	wait  sync.WaitGroup
	mu    sync.Mutex
	first *Panic
}

// Go calls f in a goroutine of its own.
func (g *Group) Go(f func()) {
	g.wait.Go(func() {
		defer func() {
			if v := recover(); v != nil {
				g.mu.Lock()
				defer g.mu.Unlock()
				if g.first == nil {
					g.first = asPanic(v)
				}
			}
		}()
		f()
	})
}

// Wait waits until all have returned, and panics with the first of their panics.
func (g *Group) Wait() {
	g.wait.Wait()
	if g.first != nil {
		panic(g.first)
	}
}
