package api

import (
	"cmp"
	"context"
	"encoding/hex"
	"fmt"
	"strings"
	"time"

	"ableroster/internal/api/serve"
	"ableroster/internal/transfer"
	"ableroster/internal/workflows"
	"ableroster/wire"
)

func reviewRoutes(s *serve.Server) {
	serve.Route(s, "GET", "/reviews", "list-reviews", "Review rounds with items for the caller, or that they may read", func(ctx context.Context, in *serve.AsOf) (*serve.Body[wire.RoundList], error) {
		v, err := s.ViewWhole(ctx, *in)
		if err != nil {
			return nil, err
		}
		out, err := workflows.Rounds(v)
		return serve.Answer(out), err
	})
	type one struct {
		serve.AsOf
		Round string `path:"round" doc:"key or id"`
	}
	serve.Route(s, "GET", "/reviews/{round}", "get-review", "One round, with how far each reviewer is", func(ctx context.Context, in *one) (*serve.Body[wire.OneRound], error) {
		v, err := s.ViewWhole(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := workflows.Round(v, in.Round)
		return serve.Answer(out), err
	})
	type lines struct {
		serve.AsOf
		serve.Paging
		Round     string `path:"round" doc:"key or id"`
		Mine      bool   `query:"mine" doc:"those the caller may decide on"`
		Undecided bool   `query:"undecided" doc:"those left to decide on: neither decided nor ended since"`
	}
	serve.Route(s, "GET", "/reviews/{round}/items", "list-review-items", "The items of a round, as they were when it opened", func(ctx context.Context, in *lines) (*serve.Body[wire.ReviewItemList], error) {
		v, err := s.ViewWhole(ctx, in.AsOf)
		if err != nil {
			return nil, err
		}
		out, err := workflows.RoundItems(v, in.Round, workflows.LineSearch{Mine: in.Mine, Undecided: in.Undecided, Cursor: in.Cursor, Limit: in.Limit})
		return serve.Answer(out), err
	})
	serve.Route(s, "GET", "/reviews/{round}/items.csv", "get-review-file", "All items of a round as CSV, with the revision and the hash they are based on", serve.Bound(s, reviewFile), serve.Files("text/csv"))
}

// reviewFile is all items of a round the caller may see, as CSV (RFC 4180).
func reviewFile(ctx context.Context, s *serve.Server, in *struct {
	serve.AsOf
	Round string `path:"round" doc:"key or id"`
}) (*serve.File, error) {
	v, err := s.ViewWhole(ctx, in.AsOf)
	if err != nil {
		return nil, err
	}
	r, err := workflows.Round(v, in.Round)
	if err != nil {
		return nil, err
	}
	hash, err := s.Ledger.HashOf(ctx, r.Fixed)
	if err != nil {
		return nil, err
	}
	header := []string{"user", "name", "unit", "role", "application", "through", "since", "given_by", "given_because", "until", "peers", "unitmates", "sod_rules", "decision", "decided_by", "in_place_of", "decided_because", "ledger_revision", "ledger_hash"}
	var failed error
	rows := func(yield func([]string) bool) {
		for cursor := ""; ; {
			page, err := workflows.RoundItems(v, in.Round, workflows.LineSearch{Cursor: cursor, Limit: 500})
			if err != nil {
				failed = err
				return
			}
			for i := range page.Items {
				if !yield(append(lineCells(&page.Items[i]), fmt.Sprint(r.Fixed), hex.EncodeToString(hash))) {
					return
				}
			}
			if cursor = page.Next; cursor == "" {
				return
			}
		}
	}
	out, err := serve.CSVFile(ctx, transfer.Table{Header: header, Rows: rows}, serve.Attachment(r.Key+".csv"), serve.CSVForm{})
	return out, cmp.Or(failed, err)
}

// lineCells is a line of a review round as cells.
func lineCells(l *wire.ReviewItem) []string {
	app, until := "", ""
	if l.Application != nil {
		app = l.Application.Label
	}
	if l.Until != nil {
		until = l.Until.Format(time.RFC3339)
	}
	since, by, because := givenWords(l.Since)
	_, decidedBy, decidedBecause := givenWords(l.Decided)
	place := ""
	if l.For != nil {
		place = l.For.Label
	}
	user, name := l.User.Key, l.User.Label
	if l.Shared != nil { // with each of them
		var keys, names []string
		for _, x := range l.Shared.With {
			keys, names = append(keys, x.User.Key), append(names, x.User.Label)
		}
		user, name = strings.Join(keys, "; "), strings.Join(names, "; ")
	}
	return []string{user, name, l.Unit, l.Role.Label, app, throughOf(l), since, by, because, until, fmt.Sprint(l.Peers), fmt.Sprint(l.Unitmates), strings.Join(l.SoDRules, "; "),
		l.Decision, decidedBy, place, decidedBecause}
}

func givenWords(g *wire.Given) (at, by, because string) {
	if g == nil {
		return "", "", ""
	}
	if g.By != nil {
		by = g.By.Label
	}
	return g.At.Format(time.RFC3339), by, g.Reason
}

// throughOf is how what is on a line is held: where it is shared, within what.
func throughOf(l *wire.ReviewItem) string {
	if l.Shared != nil {
		return "shared within " + l.Shared.Path
	}
	return l.Through
}
