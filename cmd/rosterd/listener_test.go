package main

import (
	"context"
	"net"
	"testing"
	"time"

	"github.com/gofiber/fiber/v3"
)

// A server that is ended before it began to serve takes no call of the one after it.
func TestAServerThatEndsBeforeItServesTakesNoCall(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	first, err := takeTurn(l.(*net.TCPListener))
	if err != nil {
		t.Fatal(err)
	}
	stop, cancel := context.WithTimeout(t.Context(), 5*time.Second)
	defer cancel()
	app := fiber.New()
	served := make(chan error, 1)
	begin := make(chan struct{})
	go func() {
		<-begin
		served <- app.Listener(first, fiber.ListenConfig{DisableStartupMessage: true})
	}()
	shut := make(chan error, 1)
	go func() { shut <- shutDown(stop, app, first, served) }()
	for !first.over.Load() {
		time.Sleep(time.Millisecond)
	}
	close(begin)
	if err := <-shut; err != nil || stop.Err() != nil {
		t.Fatalf("it serves, though it was ended: %v", err)
	}
	// The next one takes calls.
	next, err := takeTurn(l.(*net.TCPListener))
	if err != nil {
		t.Fatal(err)
	}
	go func() {
		if c, err := net.Dial("tcp", l.Addr().String()); err == nil {
			defer c.Close()
			<-stop.Done()
		}
	}()
	c, err := next.Accept()
	if err != nil {
		t.Fatal(err)
	}
	c.Close()
}
