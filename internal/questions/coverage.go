package questions

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"ableroster/internal/change"
	"ableroster/internal/fact"
	"ableroster/internal/lists"
	"ableroster/internal/operation/roles"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/seeing"
	"ableroster/internal/usage"
	"ableroster/wire"
)

// appNamed finds an application the caller may read.
func appNamed(v *seeing.View, ref string) (fact.ApplicationID, error) {
	id, ok := v.Uncut().FindApplication(ref)
	if !ok || !v.ReadsApplication(id) {
		return 0, v.Missing(fact.FactApplication, ref)
	}
	return id, nil
}

// Coverage is which roles reach what of an application, of the roles the caller
// may read.
func Coverage(v *seeing.View, application string) (wire.Coverage, error) {
	out := wire.Coverage{Basis: v.Basis(), Roles: []wire.Ref{}, Rows: []wire.CoverageRow{}, Actions: []wire.Action{}}
	app, err := appNamed(v, application)
	if err != nil {
		return out, err
	}
	out.Application = v.ApplicationRef(app, false)
	out.Outside = !v.SeesAll()
	c := query.CoverageOf(v.Uncut(), app, v.At, v.ReadsRole)
	for _, a := range c.Application.Actions {
		out.Actions = append(out.Actions, wire.Action(a))
	}
	place := map[fact.RoleID]int{}
	for i := range c.Rows {
		r := c.Rows[i].Resource
		row := wire.CoverageRow{Path: r.Path, Label: r.Label, Kind: r.NodeKind, Open: r.Open, Cells: make([]wire.CoverageCell, len(c.Rows[i].Cells))}
		for k := range c.Rows[i].Cells {
			cell := &c.Rows[i].Cells[k]
			x := wire.CoverageCell{Everybody: string(cell.Everybody), Own: cell.Own, Fenced: cell.Fenced}
			for _, id := range cell.Roles {
				n, ok := place[id]
				if !ok {
					n = len(out.Roles)
					place[id] = n
					out.Roles = append(out.Roles, v.RoleRef(id, false))
				}
				x.Roles = append(x.Roles, n)
			}
			if len(cell.Roles) == 0 {
				out.Unreached++
			}
			if cell.Everybody != query.NotEverybody {
				out.Everybody++
			}
			row.Cells[k] = x
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// PatternCover is what a pattern covers in an application today, and what it
// will besides.
func PatternCover(v *seeing.View, application, pattern string) (wire.PatternCover, error) {
	out := wire.PatternCover{Basis: v.Basis(), Pattern: pattern, Paths: []string{}}
	app, err := appNamed(v, application)
	if err != nil {
		return out, err
	}
	if err := patterns.CheckPattern(pattern); err != nil {
		return out, seeing.Invalid("the question cannot be asked", wire.Fault{Place: "pattern", Message: err.Error()})
	}
	out.Application = v.ApplicationRef(app, false)
	paths, open := query.PatternCovers(v.Uncut(), app, pattern)
	out.Total, out.Paths = len(paths), append(out.Paths, paths[:min(len(paths), 200)]...)
	switch {
	case pattern == patterns.Root:
		out.Later = "and everything that is ever registered in " + out.Application.Label
	case strings.Contains(pattern, "*"):
		out.Later = "and whatever is registered later that is named like this, or lies below it"
	default:
		out.Later = "and whatever is registered later below it"
	}
	if open {
		out.Later += "; what lies below an open resource needs no registering"
	}
	return out, nil
}

// mostReached is of how many missing paths is said who would reach them.
const mostReached = 1000

// mostCompared bounds an application's own list.
const mostCompared = 100_000

// Compare tells how an application's own list of what it has differs from what
// is registered: so that the forgotten sister of a screen shows.
func Compare(ctx context.Context, d *seeing.Service, c seeing.Caller, application string, in wire.ComparisonRequest) (wire.Comparison, error) {
	v := d.Now(ctx, c)
	out := wire.Comparison{Basis: v.Basis(), Missing: []wire.MissingPath{}}
	app, err := appNamed(v, application)
	if err != nil {
		return out, err
	}
	out.Application = v.ApplicationRef(app, false)
	listed, faults := readPaths(in.Paths)
	if len(in.Paths) == 0 && !in.Asked {
		faults = append(faults, wire.Fault{Place: "/paths", Message: "is empty, and what the application asked about is not wanted: there is nothing to compare"})
	}
	if len(faults) > 0 {
		return out, seeing.Invalid("the list cannot be compared", faults...)
	}
	missing := map[string]*wire.MissingPath{}
	for path, label := range listed {
		if _, ok := v.Uncut().FindResource(app, path); ok {
			out.Matching++
		} else if query.UnknownPath(v.Uncut(), app, path) {
			missing[path] = &wire.MissingPath{Path: path, Label: label}
		} else {
			out.Matching++ // below an open resource
		}
	}
	if len(listed) > 0 {
		for _, r := range lists.ResourcesOf(v, app) {
			if _, ok := listed[r.Path]; !ok && r.Path != patterns.Root && !r.Retired {
				out.Unlisted = append(out.Unlisted, r.Path)
			}
		}
	}
	if in.Asked && d.Usage != nil {
		asked, err := d.Usage.Of(ctx, usage.Unknown, app)
		if err != nil {
			return out, err
		}
		for _, x := range asked {
			if patterns.CheckPath(x.Path) != nil || !query.UnknownPath(v.Uncut(), app, x.Path) {
				continue
			}
			m := missing[x.Path]
			if m == nil {
				m = &wire.MissingPath{Path: x.Path}
				missing[x.Path] = m
			}
			m.Times += x.Times
			if last := x.Last; m.Last == nil || last.After(*m.Last) {
				m.Last = &last
			}
		}
	}
	missingPaths(v, app, missing, &out)
	return out, nil
}

// readPaths reads one path a line, with its label after a tab, and names every
// fault.
func readPaths(lines []string) (map[string]string, []wire.Fault) {
	var faults []wire.Fault
	if len(lines) > mostCompared {
		return nil, []wire.Fault{{Place: "/paths", Message: fmt.Sprintf("has %d lines; at most %d can be compared", len(lines), mostCompared)}}
	}
	out, first := map[string]string{}, map[string]int{}
	for i, line := range lines {
		path, label, _ := strings.Cut(line, "\t")
		path = strings.TrimSpace(path)
		if path == "" {
			continue
		}
		place := fmt.Sprintf("/paths/%d", i)
		if err := patterns.CheckPath(path); err != nil {
			faults = append(faults, wire.Fault{Place: place, Message: err.Error()})
			continue
		}
		if n, twice := first[path]; twice {
			faults = append(faults, wire.Fault{Place: place, Message: fmt.Sprintf("“%s” is there twice: line %d has it too", path, n+1)})
			continue
		}
		first[path] = i
		out[path] = strings.TrimSpace(label)
	}
	if len(faults) > 100 {
		faults = append(faults[:100], wire.Fault{Place: "/paths", Message: fmt.Sprintf("and %d more", len(faults)-100)})
	}
	return out, faults
}

// missingPaths draws what is missing, in order of path, with what would register
// it and who would reach it then.
func missingPaths(v *seeing.View, app fact.ApplicationID, missing map[string]*wire.MissingPath, out *wire.Comparison) {
	beside := map[string][]string{}
	kinds := map[string]string{}
	for _, r := range lists.ResourcesOf(v, app) {
		if r.Path != patterns.Root && !r.Retired {
			p := patterns.Parent(r.Path)
			beside[p] = append(beside[p], r.Path)
			kinds[p] = r.NodeKind
		}
	}
	added := map[string]bool{}
	add := func(path, label string) json.RawMessage {
		if label == "" {
			label = labelOf(path)
		}
		raw, _ := change.EncodeOperation(&roles.AddResource{Application: change.ApplicationRef(app.String()), Path: path, Label: label, NodeKind: kinds[patterns.Parent(path)]})
		return raw
	}
	for _, path := range sortedKeys(missing) {
		m := missing[path]
		for up := patterns.Parent(path); up != patterns.Root && len(m.Operations) < 20; up = patterns.Parent(up) {
			if _, ok := v.Uncut().FindResource(app, up); ok {
				break
			}
			label := ""
			if also := missing[up]; also != nil {
				label = also.Label
			}
			m.Operations = slices.Insert(m.Operations, 0, add(up, label))
			if !added[up] && missing[up] == nil {
				added[up] = true
				out.Operations = append(out.Operations, add(up, ""))
			}
		}
		m.Operations = append(m.Operations, add(path, m.Label))
		added[path] = true
		out.Operations = append(out.Operations, add(path, m.Label))
		m.Sisters = beside[patterns.Parent(path)]
		m.Sisters = m.Sisters[:min(len(m.Sisters), 8)]
		if len(out.Missing) >= mostReached {
			out.Missing = append(out.Missing, *m)
			continue
		}
		for r := range v.Uncut().Roles() {
			if !r.Retired && v.ReadsRole(r.ID) && slices.ContainsFunc(v.Uncut().RolePermissions(r.ID), func(p *fact.Permission) bool {
				return p.Application == app && patterns.Covers(p.Pattern, path)
			}) {
				m.Roles = append(m.Roles, v.RoleRef(r.ID, false))
			}
		}
		out.Missing = append(out.Missing, *m)
	}
}

// labelOf makes a label of the last segment of a path: "gate-passes" to "Gate
// passes".
func labelOf(path string) string {
	words := strings.NewReplacer("-", " ", "_", " ").Replace(path[strings.LastIndexByte(path, '/')+1:])
	return capital(strings.TrimSpace(words))
}

func sortedKeys[T any](m map[string]T) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	// What lies above comes before what lies below it.
	slices.SortFunc(out, func(a, b string) int {
		return cmp.Compare(strings.ReplaceAll(a, "/", "\x00"), strings.ReplaceAll(b, "/", "\x00"))
	})
	return out
}

// GoingLive is what would change if an application went live now: by the
// questions its rehearsal recorded, and by the facts.
func GoingLive(ctx context.Context, d *seeing.Service, c seeing.Caller, application string) (wire.GoingLive, error) {
	v := d.Now(ctx, c)
	out := wire.GoingLive{Basis: v.Basis(), Recorded: []wire.RehearsalCount{}, Nobody: []wire.NobodyReaches{}, NobodyAsked: []wire.RehearsalCount{}, Unreached: []wire.NobodyReaches{}, Expectations: []wire.Expectation{}}
	app, err := appNamed(v, application)
	if err != nil {
		return out, err
	}
	out.Application, out.State = v.ApplicationRef(app, false), string(v.Uncut().Application(app).State)
	recorded, err := d.Usage.Of(ctx, usage.Rehearsed, app)
	if err != nil {
		return out, err
	}
	out.Outside = !v.SeesAll()
	for _, x := range counts(v, app, recorded) {
		switch {
		case !x.Denied:
		case x.User.ID == "":
			out.NobodyAsked = append(out.NobodyAsked, x)
		default:
			out.Recorded = append(out.Recorded, x)
		}
	}
	cover := query.CoverageOf(v.Uncut(), app, v.At, v.ReadsRole)
	for i := range cover.Rows {
		row := &cover.Rows[i]
		nobody := wire.NobodyReaches{Path: row.Resource.Path, Label: row.Resource.Label}
		unreached := nobody
		for k, cell := range row.Cells {
			a := cover.Application.Actions[k].Key
			if cell.Everybody == query.Anybody {
				nobody.Actions = append(nobody.Actions, a)
			}
			if len(cell.Roles) == 0 {
				unreached.Actions = append(unreached.Actions, a)
			}
		}
		if len(nobody.Actions) > 0 {
			out.Nobody = append(out.Nobody, nobody)
		}
		if len(unreached.Actions) == len(row.Cells) && row.Resource.Path != patterns.Root {
			out.Unreached = append(out.Unreached, unreached)
		}
	}
	with := map[fact.UserID]bool{}
	query.PeopleIn(v.Uncut(), app, v.At, func(id fact.UserID) { with[id] = true })
	for u := range v.Uncut().Users() {
		switch {
		case u.UserKind != fact.Person || !v.Uncut().Effective(u.ID, v.At):
		case !v.ReadsUser(u.ID):
		case with[u.ID]:
			out.With++
		default:
			if out.WithNothing++; len(out.Examples) < seeing.MostNamed {
				out.Examples = append(out.Examples, v.UserRef(u.ID))
			}
		}
	}
	if v.ReadsSettings() {
		all, err := Expectations(ctx, d, c, time.Time{}, application)
		if err != nil {
			return out, err
		}
		for _, x := range all.Expectations {
			if x.Broken != nil {
				out.Expectations = append(out.Expectations, x)
			}
		}
	}
	return out, nil
}
