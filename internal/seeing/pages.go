package seeing

import (
	"cmp"
	"context"
	"sync"
	"time"

	"ableroster/internal/access"
	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/finding"
	"ableroster/wire"

	"github.com/hashicorp/golang-lru/v2/expirable"
)

// A list of several pages is drawn from one snapshot, whatever others change meanwhile: it is
// kept for as long as somebody may ask for the next page.
const (
	pagesFor  = 10 * time.Minute
	mostPaged = 32 // snapshots that are kept, each of which shares what did not change
	mostRolls = 4  // of them, in some order: a roll may be as large as all the names
)

// kept is a snapshot that is kept for the next page.
type kept struct {
	snapshot *access.Snapshot

	mu     sync.Mutex
	report *finding.Report // what looks wrong in it, once that was asked for
}

// pages are those that are kept, by revision. They may be used by several goroutines at once.
type pages struct {
	once  sync.Once
	all   *expirable.LRU[int64, *kept]
	rolls *expirable.LRU[rollOf, *roll]
	one   sync.Mutex // one roll is made at a time
}

// rollOf is the users of a snapshot in an order.
type rollOf struct {
	of   *access.Snapshot
	sort string
}

func (p *pages) list() *expirable.LRU[int64, *kept] {
	p.once.Do(func() {
		p.all = expirable.NewLRU[int64, *kept](mostPaged, nil, pagesFor)
		p.rolls = expirable.NewLRU[rollOf, *roll](mostRolls, nil, pagesFor)
	})
	return p.all
}

// KeepFor keeps the snapshot of a revision for the next page of what was drawn from it.
func (d *Service) KeepFor(revision int64) {
	if k := d.keptAt(revision); k != nil {
		k.mu.Lock()
		if k.report == nil {
			k.report = d.Reports.of(k.snapshot)
		}
		k.mu.Unlock()
		d.pages.list().Add(revision, k) // for ten minutes from now
	}
}

// keptAt is the snapshot of a revision, nil where it would have to be read again, or somebody
// was erased since.
func (d *Service) keptAt(revision int64) *kept {
	erased := d.Ledger.Head().Erased()
	if k, ok := d.pages.list().Get(revision); ok && k.snapshot.Erased() == erased {
		return k
	}
	if s := d.Ledger.AtHand(revision); s != nil {
		return &kept{snapshot: s}
	}
	return nil
}

// Revision is that of the snapshot, 0 for none.
func (p *Page) Revision() int64 {
	if p.kept == nil {
		return 0
	}
	return p.kept.snapshot.Revision
}

type pageKey struct{}

// Page is which page of a list a call asks for: the snapshot that the first was drawn from.
type Page struct {
	kept *kept
	at   calendar.Instant
}

// WithPage gives a call a page, that Turn fills in.
func WithPage(ctx context.Context, p *Page) context.Context {
	return context.WithValue(ctx, pageKey{}, p)
}

func pageOf(ctx context.Context) *Page {
	if p, ok := ctx.Value(pageKey{}).(*Page); ok && p.kept != nil {
		return p
	}
	return nil
}

// Turn has a call answered from the snapshot of a revision, as it was judged at an instant. It
// fails where that is not kept any more.
func (d *Service) Turn(p *Page, revision int64, at calendar.Instant) error {
	if p.kept = d.keptAt(revision); p.kept == nil {
		return CursorGone()
	}
	p.at = at
	return nil
}

// CursorGone says that a list cannot be gone on with.
func CursorGone() error {
	return Invalid("this list is not kept any more", wire.Fault{Place: "cursor", Message: "is too old: a list is kept for 10 minutes, unless somebody is erased; begin again without one"})
}

// turned puts a view where the page was drawn from.
func (v *View) turned() *View {
	if p := pageOf(v.Ctx); p != nil {
		v.snapshot, v.At, v.page = p.kept.snapshot, p.at, p.kept
	}
	return v
}

// inOrder is the users of a kept snapshot in an order.
func (p *pages) inOrder(s *access.Snapshot, sort string, text func(*fact.User) string) *roll {
	p.list()
	p.one.Lock()
	defer p.one.Unlock()
	of := rollOf{s, cmp.Or(sort, "name")}
	r, ok := p.rolls.Get(of)
	if !ok {
		r = newRoll(s, text)
		p.rolls.Add(of, r)
	}
	return r
}
