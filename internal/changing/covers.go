package changing

import (
	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/operation/roles"
	"ableroster/internal/operation/rules"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// coverNothing says, of patterns that a change writes, which cover nothing that is
// registered: that may be meant, for what is to come, or mistyped.
func coverNothing(v *seeing.View, ops []change.Operation) []wire.Note {
	var out []wire.Note
	for i, op := range ops {
		type on struct {
			app     change.ApplicationRef
			pattern string
		}
		var written []on
		switch o := op.(type) {
		case *roles.AddPermission:
			written = append(written, on{o.Application, o.Pattern})
		case *roles.AddFence:
			written = append(written, on{o.Application, o.Pattern})
		case *rules.SetExpectation:
			written = append(written, on{o.Application, o.Pattern})
		case *roles.Grant:
			for _, s := range o.Scopes {
				written = append(written, on{s.Application, s.Pattern})
			}
		}
		for _, x := range written {
			app, ok := v.Uncut().FindApplication(string(x.app))
			if !ok || app == fact.AbleRoster {
				continue
			}
			if paths, open := query.PatternCovers(v.Uncut(), app, x.pattern); len(paths) == 0 && !open {
				out = append(out, wire.Note{Operation: i, Code: "covers_nothing", Message: x.pattern + " covers nothing that is registered in " + v.ApplicationRef(app, true).Label + " today."})
			}
		}
	}
	return out
}
