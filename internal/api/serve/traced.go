package serve

import (
	"net/http"
	"net/netip"

	"github.com/gofiber/fiber/v3"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/propagation"
	"go.opentelemetry.io/otel/trace"
)

// traced makes a span of each call, in the trace that the caller names (W3C Trace Context).
// Whether it is recorded is the word of the caller only where that is a trusted proxy;
// anybody else could have everything recorded.
func (s *Server) traced(c fiber.Ctx) error {
	ctx := c.Context()
	carrier := propagation.HeaderCarrier(http.Header{"Traceparent": {c.Get("traceparent")}, "Tracestate": {c.Get("tracestate")}})
	caller := trace.SpanContextFromContext(propagation.TraceContext{}.Extract(ctx, carrier))
	if caller.IsValid() {
		remote, _ := netip.AddrFromSlice(c.RequestCtx().RemoteIP())
		switch trusted := s.trusts(remote.Unmap()); {
		case trusted && !caller.IsSampled():
			return c.Next()
		case !trusted:
			caller = caller.WithTraceFlags(caller.TraceFlags().WithSampled(false)).WithTraceState(trace.TraceState{})
		}
		ctx = trace.ContextWithRemoteSpanContext(ctx, caller)
	}
	ctx, span := s.Options.Tracer.Start(ctx, c.Method(), trace.WithSpanKind(trace.SpanKindServer))
	defer span.End()
	c.SetContext(ctx)
	err := c.Next()
	route, status := c.Route().Path, c.Response().StatusCode()
	span.SetName(c.Method() + " " + route)
	span.SetAttributes(attribute.String("http.request.method", c.Method()), attribute.String("http.route", route), attribute.Int("http.response.status_code", status), attribute.String("able_roster.request", requestID(c)))
	return err
}
