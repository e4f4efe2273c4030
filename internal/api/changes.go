package api

import (
	"ableroster/internal/calendar"
	"ableroster/internal/changing"
	"ableroster/wire"
	"context"

	"github.com/danielgtaylor/huma/v2"
)

// soonMade is how many operations of a change are soon judged.
const soonMade = 8

func (s *Server) changeRoutes() {
	route(s, "POST", "/changes", "make-change", "A list of operations, made together or not at all", s.makeChange, status(200))
}

// changeCall is a change as it is asked for.
type changeCall struct {
	DryRun bool   `query:"dry_run" doc:"only say what it would do"`
	Cursor string `query:"cursor" maxLength:"200" doc:"of a dry run: the next of the page of its preview before"`
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100" doc:"effects of a page"`
	Key    string `header:"Idempotency-Key" maxLength:"200" doc:"makes asking twice safe: bound to the caller and the body"`
	Body   wire.ChangeRequest
}

// Resolve reads the cursor of a preview, which goes with the change and the head it is of.
func (c *changeCall) Resolve(ctx huma.Context) []error {
	known := callOf(ctx.Context())
	known.question = questionOf(ctx.Context(), ctx.URL(), ctx.(*fiberContext).c.Body())
	if c.Cursor == "" || known.server == nil {
		return nil
	}
	from, fault := known.server.turn(ctx.Context(), c.Cursor, known.question)
	if fault == "" && known.page.Revision() != known.server.ledger.Head().Revision {
		fault = "is of a preview on an older head: others have made changes since; begin again without one"
	}
	if fault != "" {
		return []error{&huma.ErrorDetail{Location: "query.cursor", Message: fault}}
	}
	c.Cursor = from
	return nil
}

func (s *Server) makeChange(ctx context.Context, in *changeCall) (*body[wire.ChangeResult], error) {
	if in.DryRun || len(in.Body.Operations) > soonMade {
		if err := s.enter(ctx, 0); err != nil {
			return nil, err
		}
	}
	out, err := changing.Change(ctx, s.service, caller(ctx), in.Body, changing.How{DryRun: in.DryRun, Key: in.Key, Cursor: in.Cursor, Limit: in.Limit})
	if out.Preview != nil && out.Preview.Next != "" {
		out.Preview.Next = cursor{question: callOf(ctx).question, revision: out.Revision, at: calendar.At(s.service.Clock()), from: out.Preview.Next}.String()
	}
	return &body[wire.ChangeResult]{out}, err
}
