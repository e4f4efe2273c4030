// Package tracing sends traces to a collector by OTLP over HTTP, where one is configured by
// the variables of OpenTelemetry (OTEL_EXPORTER_OTLP_ENDPOINT and the like). They carry
// calls, routes, statements and times; no arguments, and so nobody's values.
package tracing

import (
	"context"
	"fmt"
	"os"
	"strconv"

	"github.com/exaring/otelpgx"
	"github.com/jackc/pgx/v5/pgxpool"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/sdk/resource"
	"go.opentelemetry.io/otel/sdk/trace"
)

// Configured says whether traces are to be sent.
func Configured() bool {
	return os.Getenv("OTEL_EXPORTER_OTLP_ENDPOINT") != "" || os.Getenv("OTEL_EXPORTER_OTLP_TRACES_ENDPOINT") != ""
}

// Start begins to send traces; end sends what is left. Of calls that bring no trace with
// them a share is traced, all unless OTEL_TRACES_SAMPLER_ARG says another, from 0 to 1.
func Start(ctx context.Context) (end func(context.Context) error, err error) {
	share := 1.0
	if text := os.Getenv("OTEL_TRACES_SAMPLER_ARG"); text != "" {
		if share, err = strconv.ParseFloat(text, 64); err != nil || share < 0 || share > 1 {
			return nil, fmt.Errorf("OTEL_TRACES_SAMPLER_ARG is %q, which is no share from 0 to 1", text)
		}
	}
	out, err := otlptracehttp.New(ctx)
	if err != nil {
		return nil, err
	}
	name := os.Getenv("OTEL_SERVICE_NAME")
	if name == "" {
		name = "able-roster"
	}
	own := trace.TraceIDRatioBased(share)
	p := trace.NewTracerProvider(trace.WithBatcher(out), trace.WithResource(resource.NewSchemaless(attribute.String("service.name", name))),
		trace.WithSampler(trace.ParentBased(own, trace.WithRemoteParentNotSampled(own))))
	otel.SetTracerProvider(p)
	return p.Shutdown, nil
}

// Statements has the statements of a pool traced.
func Statements(c *pgxpool.Config) {
	c.ConnConfig.Tracer = otelpgx.NewTracer(otelpgx.WithDisableConnectionDetailsInAttributes())
}
