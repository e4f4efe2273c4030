// Command bench measures, on this machine and in one run, what the figures of
// the product are given as: ratios against the barest thing that could do the
// same work, taken in turn. It prints one table; absolute times are there to
// judge the ratios by.
package main

import (
	"context"
	"flag"
	"fmt"
	"log"
	"os"
	"runtime"
	"runtime/pprof"
	"slices"
	"strings"
	"text/tabwriter"
	"time"

	"ableroster/internal/gctune"
)

func names() string {
	var out []string
	for _, m := range measurements {
		out = append(out, m.name)
	}
	return strings.Join(out, ", ")
}

// line is one row of the table.
type line struct {
	what, ours, bare, ratio, note string
}

type measurement struct {
	name string
	run  func(context.Context, string) ([]line, error)
}

var measurements = []measurement{
	{"check", checks},
	{"rival", rival},
	{"difference", differences},
	{"commit", commits},
	{"http", overHTTP},
	{"standards", measureStandards},
	{"growth", growth},
	{"workflows", measureWorkflows},
	{"people", measurePeople},
	{"mails", measureMails},
	{"wide", measureWide},
	{"describe", describing},
	{"lists", measureLists},
	{"refused", refused},
	{"silent", silent},
	{"import", importing},
	{"beside", besides(100_000)},
	{"million", inAMillion(against10000)},
	{"busy", inAMillion(whileCommitting)},
	{"old", inAMillion(oldDays)},
	{"replica", inAMillion(atReplicas)},
	{"start", inAMillion(starting)},
}

// byHand are measurements that take long: only when they are named.
var byHand = []measurement{
	{"largest", besides(1_000_000)},
	{"verify", verifying(1_000_000)},
}

func main() {
	log.SetFlags(0)
	only := flag.String("only", "", "only the measurements whose name begins with this: "+names()+"; by their names alone: largest, verify")
	serve := flag.Bool("serve", false, "serve for the measurement over HTTP (used by the program itself)")
	profile := flag.String("cpuprofile", "", "where to write a profile of the processor time")
	flag.Parse()
	if *profile != "" {
		f, err := os.Create(*profile)
		if err != nil {
			log.Fatal(err)
		}
		if err := pprof.StartCPUProfile(f); err != nil {
			log.Fatal(err)
		}
		defer pprof.StopCPUProfile()
	}
	database := os.Getenv("DATABASE_URL")
	if database == "" {
		log.Fatal("bench: make bench gives DATABASE_URL")
	}
	gctune.Settle()
	ctx := context.Background()
	if *serve {
		log.Fatal(serveChild(ctx, database))
	}
	var lines []line
	for i, m := range append(slices.Clone(measurements), byHand...) {
		if !strings.HasPrefix(m.name, *only) || i >= len(measurements) && m.name != *only {
			continue
		}
		began := time.Now()
		got, err := m.run(ctx, database)
		if err != nil {
			log.Fatalf("bench: %s: %v", m.name, err)
		}
		log.Printf("%s measured in %s", m.name, time.Since(began).Round(time.Second))
		for _, l := range got {
			log.Printf("  %s: %s, against %s: %s", l.what, l.ours, l.bare, l.ratio)
		}
		lines = append(lines, got...)
	}
	fmt.Printf("%s, %d processors, %s\n\n", runtime.GOOS+"/"+runtime.GOARCH, runtime.NumCPU(), runtime.Version())
	w := tabwriter.NewWriter(os.Stdout, 0, 4, 2, ' ', 0)
	fmt.Fprintln(w, "what\tours p50 / p99\tagainst p50 / p99\tratio\t")
	for _, l := range lines {
		fmt.Fprintf(w, "%s\t%s\t%s\t%s\t%s\n", l.what, l.ours, l.bare, l.ratio, l.note)
	}
	w.Flush()
}
