// Package metrics counts and times what the service does, for Prometheus to collect.
// Nothing of it names a person or tells what somebody may do.
package metrics

import (
	"net/http"
	"strconv"
	"time"

	"ableroster/internal/ledger"
	"ableroster/internal/seeing"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// Metrics are those of one program, over one ledger after another. They may be added to by
// any number of goroutines.
type Metrics struct {
	registry  *prometheus.Registry
	requests  *prometheus.HistogramVec
	decisions *prometheus.CounterVec
	steps     *prometheus.HistogramVec
	signIns   *prometheus.CounterVec
	refusals  prometheus.Counter
	now       *current
}

// New are all at nothing.
func New() *Metrics {
	m := &Metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "able_roster_request_seconds", Help: "Calls of the API, by how long they took.",
			Buckets: []float64{.0005, .001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10, 30}}, []string{"method", "route", "status"}),
		decisions: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "able_roster_decisions_total", Help: "Checks, by application and by the reason of the answer."}, []string{"application", "reason"}),
		steps: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "able_roster_commit_step_seconds", Help: "Steps of committing a group of changes: judge, wait (for the head), write.",
			Buckets: []float64{.0005, .001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10, 30, 60}}, []string{"step"}),
		signIns:  prometheus.NewCounterVec(prometheus.CounterOpts{Name: "able_roster_sign_ins_total", Help: "Tries to sign in, by how they ended: in, refused, paused, unavailable."}, []string{"outcome"}),
		refusals: prometheus.NewCounter(prometheus.CounterOpts{Name: "able_roster_refusals_total", Help: "Calls that were refused since their caller may not make them."}),
		now:      &current{},
	}
	m.registry.MustRegister(m.requests, m.decisions, m.steps, m.signIns, m.refusals, m.now,
		collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

// Over has a ledger and its service measured from now on; those before are not any more.
func (m *Metrics) Over(s *seeing.Service, pool *pgxpool.Pool) {
	m.now.over.Store(&measured{s, pool})
	s.Ledger.Time(func(step string, took time.Duration) { m.steps.WithLabelValues(step).Observe(took.Seconds()) })
	s.Decided = func(application, reason string) { m.decisions.WithLabelValues(application, reason).Inc() }
}

// Request takes a call in that was answered; route is what it matched, as the API's
// document has it.
func (m *Metrics) Request(method, route string, status int, took time.Duration) {
	if route == "/" { // it was answered before it matched any
		route = "none"
	}
	m.requests.WithLabelValues(method, route, strconv.Itoa(status)).Observe(took.Seconds())
	if method == http.MethodPost && (route == "/api/v1/session" || route == "/api/v1/session/token") {
		m.signIns.WithLabelValues(outcome(status)).Inc()
	}
	if status == http.StatusForbidden {
		m.refusals.Inc()
	}
}

func outcome(status int) string {
	switch {
	case status < 300:
		return "in"
	case status == http.StatusTooManyRequests:
		return "paused"
	case status >= 500:
		return "unavailable"
	}
	return "refused"
}

// Handler answers whoever collects them.
func (m *Metrics) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{Registry: m.registry})
}

// Ledger says how a ledger stands.
func ledgerValues(l *ledger.Ledger) map[string]float64 {
	st := l.Standing()
	ready := 0.0
	if l.NotReady() == "" {
		ready = 1
	}
	return map[string]float64{"revision": float64(st.Revision), "age_seconds": st.Age.Seconds(), "epoch": float64(st.Epoch), "behind_revisions": float64(st.Behind),
		"rows_behind_revisions": float64(st.RowsBehind), "queued_changes": float64(st.Queued), "clock_ahead_seconds": st.ClockAhead.Seconds(), "ready": ready}
}
