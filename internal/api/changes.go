package api

import (
	"context"

	"ableroster/internal/api/serve"
	"ableroster/internal/calendar"
	"ableroster/internal/changing"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
)

// soonMade is how many operations of a change are soon judged.
const soonMade = 8

func changeRoutes(s *serve.Server) {
	serve.Route(s, "POST", "/changes", "make-change", "A list of operations, made together or not at all", serve.Bound(s, makeChange), serve.Status(200))
}

// changeCall is a change as it is asked for.
type changeCall struct {
	DryRun bool   `query:"dry_run" doc:"only say what it would do"`
	Cursor string `query:"cursor" maxLength:"200" doc:"of a dry run: the next of the page of its preview before"`
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100" doc:"effects of a page"`
	Key    string `header:"Idempotency-Key" maxLength:"200" doc:"makes asking twice safe: bound to the caller and the body"`
	For    string `header:"Roster-Acting-For" maxLength:"100" doc:"whom the machine account acts for: user name or id. The change is judged as both's, and recorded as theirs, made by the account"`
	Body   wire.ChangeRequest
}

// Resolve reads the cursor of a preview, which goes with the change and the head it is of.
func (c *changeCall) Resolve(ctx huma.Context) []error {
	known := serve.CallOf(ctx.Context())
	known.Question = serve.QuestionOf(ctx.Context(), ctx.URL(), ctx.(*serve.FiberContext).Fiber.Body())
	if c.Cursor == "" || known.Server == nil {
		return nil
	}
	from, fault := known.Server.Turn(ctx.Context(), c.Cursor, known.Question)
	if fault == "" && known.Page.Revision() != known.Server.Ledger.Head().Revision {
		fault = "is of a preview on an older head: others have made changes since; begin again without one"
	}
	if fault != "" {
		return []error{&huma.ErrorDetail{Location: "query.cursor", Message: fault}}
	}
	c.Cursor = from
	return nil
}

func makeChange(ctx context.Context, s *serve.Server, in *changeCall) (*serve.Body[wire.ChangeResult], error) {
	if in.DryRun || len(in.Body.Operations) > soonMade {
		if err := s.Enter(ctx, 0); err != nil {
			return nil, err
		}
	}
	if !in.DryRun {
		if err := confirmedChange(ctx, s, in.Body.Acknowledge, in.Body.Operations...); err != nil {
			return nil, err
		}
	}
	out, err := changing.Change(ctx, s.Service, serve.Caller(ctx), in.Body, changing.How{DryRun: in.DryRun, Key: in.Key, Cursor: in.Cursor, Limit: in.Limit})
	if out.Preview != nil && out.Preview.Next != "" {
		out.Preview.Next = serve.Cursor{Question: serve.CallOf(ctx).Question, Revision: out.Revision, At: calendar.At(s.Service.Clock()), From: out.Preview.Next}.String()
	}
	return serve.Answer(out), err
}
