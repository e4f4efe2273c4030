package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/netip"
	"net/url"
	"os"
	"os/signal"
	"slices"
	"strings"
	"syscall"
	"time"

	"ableroster/console"
	"ableroster/internal/alike"
	"ableroster/internal/api"
	"ableroster/internal/api/account"
	"ableroster/internal/api/serve"
	"ableroster/internal/caught"
	"ableroster/internal/changing"
	"ableroster/internal/gctune"
	"ableroster/internal/jobs"
	"ableroster/internal/ledger/database"
	"ableroster/internal/mail"
	"ableroster/internal/mailing"
	"ableroster/internal/metrics"
	"ableroster/internal/pace"
	"ableroster/internal/seeing"
	"ableroster/internal/signin"
	"ableroster/internal/tracing"
	"ableroster/signedhead"

	"github.com/gofiber/fiber/v3"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/trace"
)

func runService(ctx context.Context, args []string, out, errOut io.Writer) error {
	fs, c := serveFlags(errOut)
	if err := parse(fs, args, errOut); err != nil {
		return err
	}
	if c.bad != nil {
		return c.bad
	}
	if !slices.Contains([]string{serve.SecondOffered, serve.SecondAdministrators, serve.SecondEverybody}, c.secondFactor) {
		return fmt.Errorf("-second-factor: %q is not administrators, everybody or offered", c.secondFactor)
	}
	proxies, err := networks(c.proxies)
	if err != nil {
		return err
	}
	log, err := c.logger(errOut)
	if err != nil {
		return err
	}
	if tracing.Configured() {
		end, err := tracing.Start(ctx)
		if err != nil {
			return err
		}
		defer func() {
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), 3*time.Second)
			defer cancel()
			if err := end(last); err != nil {
				log.Warn("the last traces were not sent", "error", err)
			}
		}()
	}
	var sender *mail.Sender
	if c.mailServer != "" {
		if sender, err = mail.NewSender(c.mailServer, c.mailFrom); err != nil {
			return fmt.Errorf("-mail-server, -mail-from: %w", err)
		}
	}
	if _, err := c.identityProviders(); err != nil {
		return err
	}
	gctune.Settle()
	began := time.Now()
	o, err := c.openBy(ctx, log, began.Add(startWait))
	if err != nil {
		return err
	}
	m := metrics.New()
	if err := c.monitor(ctx, log, m); err != nil {
		o.close()
		return err
	}
	run := running{c: c, sender: sender, metrics: m, heads: heads{kept: signedhead.Kept{Place: c.headsTo}, every: max(1, c.headsEvery), log: log}, proxies: proxies, log: log, out: out, began: began}
	for {
		again, err := run.serve(ctx, o)
		if err != nil && run.listener != nil && ctx.Err() == nil && database.BrokenOff(err) {
			log.Warn("the database went away while the service started", "error", err)
			again, err = true, nil
		}
		if err != nil || !again {
			return err
		}
		if o, err = c.openBy(ctx, log, time.Time{}); err != nil {
			return err
		}
		run.began = time.Now()
	}
}

// tracer is what spans are made with, nil where nothing is traced.
func tracer() trace.Tracer {
	if !tracing.Configured() {
		return nil
	}
	return otel.Tracer("ableroster/api")
}

// running is a service that serves, over one ledger after another.
type running struct {
	c       *serveConfig
	metrics *metrics.Metrics
	heads   heads
	proxies []netip.Prefix
	log     *slog.Logger
	out     io.Writer
	began   time.Time

	listener *net.TCPListener
	sender   *mail.Sender // nil: no mail is sent here
}

// serve serves until the context ends; again says that the ledger is not the one it was,
// so that it has to be opened anew.
func (r *running) serve(ctx context.Context, o *opened) (again bool, err error) {
	wait := r.c.stopWait
	var since time.Time // when it began to stop
	defer func() { r.closeIn(o, wait, since) }()
	if err := r.c.readSigningKey(o.service); err != nil {
		return false, err
	}
	if err := r.guardSignIn(ctx, o.authenticator); err != nil {
		return false, err
	}
	if r.c.headsTo != "" {
		if again, err := r.heads.hold(ctx, o); again || err != nil {
			return again, err
		}
	}
	r.metrics.Over(o.service, o.pool)
	providers, err := r.c.identityProviders()
	if err != nil {
		return false, err
	}
	server, err := api.New(o.service, o.authenticator, r.log, console.Files(), serve.Options{Secure: strings.HasPrefix(r.c.publicURL, "https://"), PublicURL: r.c.publicURL, MaxAge: r.c.maxAge, Proxies: r.proxies, Answered: r.metrics.Request, Tracer: tracer(), Mail: r.sender != nil, Providers: providers, SecondFactor: r.c.secondFactor, LargestFile: min(max(1, r.c.largestFile), 1024) << 20})
	if err != nil {
		return false, err
	}
	if r.listener == nil {
		l, err := net.Listen("tcp", r.c.listen)
		if err != nil {
			return false, err
		}
		r.listener = l.(*net.TCPListener)
	}
	listener, err := takeTurn(r.listener)
	if err != nil {
		return false, err
	}
	base := or(r.c.publicURL, "http://"+listener.Addr().String())
	head := o.ledger.Head()
	go alike.Warm(head, pace.GiveWay)
	r.log.Info("ready", "address", base, "revision", head.Revision, "ms", time.Since(r.began).Milliseconds())
	if head.Revision == 0 {
		code, err := o.authenticator.NewSetUpLink(ctx)
		if err != nil {
			return false, err
		}
		fmt.Fprintf(r.out, "The ledger is empty. Name the first administrator within an hour at\n\n  %s/set-up#%s\n\n", base, url.PathEscape(code))
	}
	failed := make(chan error, 1)
	go func() {
		failed <- server.App.Listener(listener, fiber.ListenConfig{DisableStartupMessage: true})
	}()
	house, end := context.WithCancel(ctx)
	defer end()
	if r.c.headsTo != "" {
		kept := make(chan struct{})
		go func() { defer close(kept); r.heads.keep(house, o) }()
		defer func() { end(); <-kept }()
	}
	// Whatever it ends by, the server ends before the ledger does: it would go on answering from
	// what no longer follows the database.
	if again, err = r.works(ctx, house, o, server, base, failed); again || err != nil {
		wait = lostWait
	}
	since = time.Now()
	server.Stopping()
	stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), wait*4/5) // the rest is for what is written
	defer cancel()
	worked := make(chan struct{})
	go func() { defer close(worked); o.jobs.Stop(stop, since.Add(wait/2)) }()
	if err := shutDown(stop, server.App, listener, failed); err != nil {
		r.log.Warn("some calls were cut off", "error", err)
	}
	if ctx.Err() == nil { // else this program ends, and what was begun is answered until then
		server.Over()
	}
	<-worked
	return again, err
}

// works does what is to be done beside answering, until the context ends or the server fails; again
// says that the ledger is not the one it was. house ends when all of it has to.
func (r *running) works(ctx, house context.Context, o *opened, server *serve.Server, base string, failed chan error) (again bool, err error) {
	if r.sender != nil {
		m := &mailing.Mailing{Service: o.service, Authenticator: o.authenticator, Sender: r.sender, DigestAfter: r.c.digestAfter, Base: base}
		if err := o.jobs.StartMail(m.Deliver); err != nil {
			return false, err
		}
		go every(house, r.log, time.Second, m.Follow)
		go every(house, r.log, time.Minute, m.Remind)
		go every(house, r.log, 2*time.Second, o.jobs.ResumeMails)
	}
	if err := o.jobs.Start(ctx, func(ctx context.Context, u *jobs.Upload, content []byte, run *jobs.Run) (jobs.Answer, error) {
		return api.WorkUpload(ctx, server, u, content, run)
	}); err != nil {
		return false, err
	}
	go every(house, r.log, 5*time.Second, func(context.Context) error { o.service.Warm(); return nil })
	go every(house, r.log, 2*time.Second, o.jobs.Resume)
	go every(house, r.log, time.Second, func(ctx context.Context) error { return changing.MakeDue(ctx, o.service) })
	go every(house, r.log, time.Hour, func(ctx context.Context) error { return r.c.tidy(ctx, o) })
	hangUp := make(chan os.Signal, 1)
	signal.Notify(hangUp, syscall.SIGHUP)
	go func() {
		defer signal.Stop(hangUp)
		for {
			select {
			case <-house.Done():
				return
			case <-hangUp:
				r.reload(o, server)
			}
		}
	}()
	select {
	case err := <-failed:
		failed <- err // whoever ends the server looks, too
		return false, err
	case <-o.ledger.Ended():
		return true, nil
	case <-ctx.Done():
		r.log.Info("stopping: finishing what was begun")
		return false, nil
	}
}

// shutDown ends a server, one too that has not begun to serve yet: it would take the calls that are
// for the one after it. It has served when this ends, or the context has.
func shutDown(ctx context.Context, app *fiber.App, turn *turn, served <-chan error) error {
	err := app.ShutdownWithContext(ctx)
	_ = turn.Close() // as it always is
	select {
	case <-served: // or it would end the turn of the next one
	case <-ctx.Done():
	}
	return err
}

// tidy deletes what has ended long ago.
func (c *serveConfig) tidy(ctx context.Context, o *opened) error {
	days := func(n int) time.Duration { return time.Duration(max(1, n)) * 24 * time.Hour }
	return errors.Join(o.authenticator.Tidy(ctx, signin.Kept{Events: days(c.keepEvents), Keys: days(c.keepKeys)}),
		o.service.Saved.Tidy(ctx, o.service.Clock().Add(-days(c.keepRefusals))), o.jobs.Tidy(ctx))
}

// reload takes up anew what can be while it runs, on SIGHUP: the level of the log as it
// was given, and connections to the database.
func (r *running) reload(o *opened, server *serve.Server) {
	_ = r.c.level.UnmarshalText([]byte(r.c.logLevel)) // it was read before
	o.pool.Reset()
	if providers, err := r.c.identityProviders(); err != nil {
		r.log.Error("the identity providers stay as they were", "error", err)
	} else {
		account.SetProviders(server, providers)
	}
	r.log.Info("reloaded: the level of the log is as it was given, identity providers are as their file has them, and connections to the database are made anew")
}

// closeIn closes what is open, in what is left of the wait since it began to stop: the
// database may hang, and what is written there then is known once it is back.
func (r *running) closeIn(o *opened, wait time.Duration, since time.Time) {
	if since.IsZero() {
		since = time.Now()
	}
	closed := make(chan struct{})
	go func() {
		defer close(closed)
		o.close()
	}()
	select {
	case <-closed:
	case <-time.After(time.Until(since.Add(wait))):
		r.log.Warn("the database did not answer while the service stopped: what was being written may stand or not")
	}
}

// every does something now and then, until the context ends; that it failed, or
// panicked, ends nothing.
func every(ctx context.Context, log *slog.Logger, pause time.Duration, do func(context.Context) error) {
	once := func() {
		if err := caught.Do(func() error { return do(ctx) }); err != nil && ctx.Err() == nil {
			log.Warn("housekeeping failed", "error", err)
		}
	}
	tick := time.NewTicker(pause)
	defer tick.Stop()
	for {
		once()
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// networks reads addresses and networks with commas between them.
func networks(text string) ([]netip.Prefix, error) {
	var out []netip.Prefix
	for part := range strings.SplitSeq(text, ",") {
		part = strings.TrimSpace(part)
		if part == "" {
			continue
		}
		p, err := netip.ParsePrefix(part)
		if err != nil {
			a, bad := netip.ParseAddr(part)
			if bad != nil {
				return nil, fmt.Errorf("-trusted-proxies: %q is neither an address nor a network such as 10.0.0.0/8", part)
			}
			p = netip.PrefixFrom(a, a.BitLen())
		}
		out = append(out, p)
	}
	return out, nil
}

// openAPI prints the document; it needs no database.
func openAPI(out io.Writer) error {
	server, err := api.New(&seeing.Service{Clock: time.Now}, nil, slog.New(slog.DiscardHandler), console.Files(), serve.Options{})
	if err != nil {
		return err
	}
	_, err = out.Write(append(server.Document(), '\n'))
	return err
}
