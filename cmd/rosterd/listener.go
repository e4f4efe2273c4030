package main

import (
	"net"
	"sync/atomic"
	"time"
)

// turn is a listener while one server has it: closed, it leaves the address to the next
// one. Whoever connects in between waits.
type turn struct {
	*net.TCPListener
	over atomic.Bool
}

// takeTurn gives a listener to a server.
func takeTurn(l *net.TCPListener) (*turn, error) {
	return &turn{TCPListener: l}, l.SetDeadline(time.Time{})
}

// Accept implements net.Listener.
func (t *turn) Accept() (net.Conn, error) {
	if t.over.Load() {
		return nil, net.ErrClosed
	}
	c, err := t.TCPListener.Accept()
	if t.over.Load() {
		if err == nil {
			c.Close()
		}
		return nil, net.ErrClosed
	}
	return c, err
}

// Close implements net.Listener: nothing more is accepted by this server.
func (t *turn) Close() error {
	t.over.Store(true)
	return t.TCPListener.SetDeadline(time.Now())
}
