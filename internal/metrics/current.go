package metrics

import (
	"sync/atomic"

	"ableroster/internal/seeing"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/prometheus/client_golang/prometheus"
)

// measured is what is looked at whenever somebody collects.
type measured struct {
	service *seeing.Service
	pool    *pgxpool.Pool
}

// current collects what stands now, rather than what happened.
type current struct{ over atomic.Pointer[measured] }

// value describes one of those values.
func value(name, help string, labels ...string) *prometheus.Desc {
	return prometheus.NewDesc("able_roster_"+name, help, labels, nil)
}

var values = map[string]*prometheus.Desc{
	"revision":              value("revision", "The newest revision this program answers from."),
	"age_seconds":           value("age_seconds", "How long ago the head was last known to be the newest."),
	"epoch":                 value("epoch", "The epoch of the ledger: it grows by one when revisions were lost."),
	"behind_revisions":      value("behind_revisions", "Revisions that were heard of and are not answered from yet."),
	"rows_behind_revisions": value("rows_behind_revisions", "Revisions whose rows of facts are not all written: those of a large change follow it."),
	"queued_changes":        value("queued_changes", "Changes that wait to be judged and written."),
	"clock_ahead_seconds":   value("clock_ahead_seconds", "How far this host's clock is ahead of the database's."),
	"ready":                 value("ready", "Whether calls are better sent here than elsewhere: 1 or 0."),
}

var (
	importsNow  = value("imports", "Imports under way, by what they are at.", "phase")
	connections = value("database_connections", "Connections to the database, by what they do.", "state")
	waited      = value("database_connection_waits_total", "How often a free connection was waited for.")
	waitedFor   = value("database_connection_wait_seconds_total", "How long free connections were waited for.")
)

// Describe implements prometheus.Collector.
func (c *current) Describe(out chan<- *prometheus.Desc) {
	for _, d := range values {
		out <- d
	}
	out <- importsNow
	out <- connections
	out <- waited
	out <- waitedFor
}

// Collect implements prometheus.Collector.
func (c *current) Collect(out chan<- prometheus.Metric) {
	over := c.over.Load()
	if over == nil {
		return
	}
	gauge := func(d *prometheus.Desc, v float64, labels ...string) {
		out <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, v, labels...)
	}
	for name, v := range ledgerValues(over.service.Ledger) {
		gauge(values[name], v)
	}
	if over.service.Jobs != nil {
		for phase, n := range over.service.Jobs.Phases() {
			gauge(importsNow, float64(n), phase)
		}
	}
	st := over.pool.Stat()
	gauge(connections, float64(st.AcquiredConns()), "used")
	gauge(connections, float64(st.IdleConns()), "idle")
	gauge(connections, float64(st.MaxConns()), "most")
	out <- prometheus.MustNewConstMetric(waited, prometheus.CounterValue, float64(st.EmptyAcquireCount()))
	out <- prometheus.MustNewConstMetric(waitedFor, prometheus.CounterValue, st.EmptyAcquireWaitTime().Seconds())
}
