package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/pprof"
	"os"
	"strings"
	"syscall"
	"time"

	"ableroster/internal/metrics"
)

// monitor serves those who watch over the program, apart from the API: metrics at an
// address, and at a socket that only whoever runs the program may open its profiler and
// the level of its log. It ends with the context.
func (c *serveConfig) monitor(ctx context.Context, log *slog.Logger, m *metrics.Metrics) error {
	if c.monitorListen != "" {
		l, err := net.Listen("tcp", c.monitorListen)
		if err != nil {
			return fmt.Errorf("-monitor-listen: %w", err)
		}
		mux := http.NewServeMux()
		mux.Handle("GET /metrics", m.Handler())
		log.Info("metrics", "address", "http://"+l.Addr().String()+"/metrics")
		go serveBeside(ctx, log, l, mux)
	}
	if c.controlSocket != "" {
		if err := removeStale(c.controlSocket); err != nil {
			return err
		}
		others := syscall.Umask(0o177) // nobody else may open it, not for a moment
		l, err := net.Listen("unix", c.controlSocket)
		syscall.Umask(others)
		if err != nil {
			return fmt.Errorf("-control-socket: %w", err)
		}
		if err := os.Chmod(c.controlSocket, 0o600); err != nil {
			return err
		}
		mux := http.NewServeMux()
		mux.HandleFunc("GET /log-level", func(w http.ResponseWriter, _ *http.Request) {
			fmt.Fprintln(w, strings.ToLower(c.level.Level().String()))
		})
		mux.HandleFunc("PUT /log-level", func(w http.ResponseWriter, r *http.Request) {
			text, err := io.ReadAll(io.LimitReader(r.Body, 64))
			if err == nil {
				err = c.level.UnmarshalText([]byte(strings.TrimSpace(string(text))))
			}
			if err != nil {
				http.Error(w, "the level is debug, info, warn or error", http.StatusUnprocessableEntity)
				return
			}
			log.Info("the level of the log is changed", "level", c.level.Level())
		})
		for path, h := range map[string]http.HandlerFunc{"": pprof.Index, "cmdline": pprof.Cmdline, "profile": pprof.Profile, "symbol": pprof.Symbol, "trace": pprof.Trace} {
			mux.HandleFunc("GET /debug/pprof/"+path, h)
		}
		go serveBeside(ctx, log, l, mux)
	}
	return nil
}

// removeStale removes a socket that nobody listens on any more.
func removeStale(path string) error {
	if c, err := net.DialTimeout("unix", path, time.Second); err == nil {
		c.Close()
		return fmt.Errorf("-control-socket: another program listens on %s", path)
	}
	if info, err := os.Lstat(path); err == nil && info.Mode()&os.ModeSocket != 0 {
		return os.Remove(path)
	}
	return nil
}

func serveBeside(ctx context.Context, log *slog.Logger, l net.Listener, h http.Handler) {
	s := &http.Server{Handler: h, ReadHeaderTimeout: 5 * time.Second, IdleTimeout: time.Minute}
	stop := context.AfterFunc(ctx, func() { _ = s.Close() })
	defer stop()
	if err := s.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		log.Error("the monitoring address is not served any more", "error", err)
	}
}
