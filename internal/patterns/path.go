// Package patterns is what applications protect, as text: paths, and patterns that cover
// them. Segments are joined by "/", the root is "/", and a "*" in a segment of a pattern is
// any run of characters inside it. It is pure and knows no facts: whether a path is
// registered is a question to a snapshot (see access). Its functions may be called from
// several goroutines.
package patterns

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// Root is the path and the pattern with no segments.
const Root = "/"

const (
	maxSegments = 16
	maxSegment  = 200 // bytes
)

// PathError says what is wrong with a path or a pattern, and where.
type PathError struct {
	Segment int // counted from 1; 0 when it is the whole
	Message string
}

func (e *PathError) Error() string {
	if e.Segment == 0 {
		return e.Message
	}
	return fmt.Sprintf("segment %d %s", e.Segment, e.Message)
}

// CheckPath is nil when s is a path as asked about: "/" or up to 16 segments
// of 1 to 200 bytes of letters, marks, numbers, punctuation, symbols and inner
// spaces, in NFC, joined by "/", none of them ".", ".." or "@", without "*".
func CheckPath(s string) error { return checkPath(s, false) }

// CheckPattern is nil when s is a path whose segments may contain "*".
func CheckPattern(s string) error { return checkPath(s, true) }

func checkPath(s string, stars bool) error {
	if s == Root {
		return nil
	}
	if s == "" {
		return &PathError{0, `is empty (the root is "/")`}
	}
	if plainPath(s) {
		return nil
	}
	if !utf8.ValidString(s) {
		return &PathError{0, "is not valid UTF-8"}
	}
	if !norm.NFC.IsNormalString(s) {
		return &PathError{0, "is not in Unicode normal form C"}
	}
	n := 0
	for seg := range strings.SplitSeq(s, "/") {
		n++
		if n > maxSegments {
			return &PathError{0, "has more than 16 segments"}
		}
		if m := checkSegment(seg, stars); m != "" {
			return &PathError{n, m}
		}
	}
	return nil
}

// plainPath is true of most paths that are good, and of none that is not: a
// few segments of ASCII letters, digits and the commonest marks. The rest are
// looked at closely.
func plainPath(s string) bool {
	segments, length := 1, 0
	for i := range len(s) {
		c := s[i]
		switch {
		case c|0x20 >= 'a' && c|0x20 <= 'z', c >= '0' && c <= '9', c == '-', c == '_':
			length++
			if length > maxSegment {
				return false
			}
		case c == '/':
			if length == 0 {
				return false
			}
			length = 0
			segments++
		default:
			return false
		}
	}
	return length > 0 && segments <= maxSegments
}

func checkSegment(seg string, stars bool) string {
	switch {
	case seg == "":
		return "is empty"
	case len(seg) > maxSegment:
		return "is longer than 200 bytes"
	case seg == "." || seg == ".." || seg == "@":
		return fmt.Sprintf("may not be %q", seg)
	case seg[0] == ' ' || seg[len(seg)-1] == ' ':
		return "begins or ends with a space"
	}
	for _, r := range seg {
		if r == '*' && !stars {
			return "has a * (only patterns may)"
		}
		if r != ' ' && !unicode.In(r, unicode.L, unicode.M, unicode.N, unicode.P, unicode.S) {
			return fmt.Sprintf("has the character U+%04X, which is not allowed", r)
		}
	}
	return ""
}

func CleanText(s string) bool {
	if !utf8.ValidString(s) || !norm.NFC.IsNormalString(s) {
		return false
	}
	return !strings.ContainsFunc(s, func(r rune) bool { return unicode.IsControl(r) || Deceives(r) })
}

// deceives says whether a character is not seen, or turns round what is: two
// names with and without it look alike to whoever approves one of them. The
// joiners, which some scripts need, do not count.
func Deceives(r rune) bool {
	switch {
	case r >= '\u202a' && r <= '\u202e', r >= '\u2066' && r <= '\u2069': // embeddings, overrides, isolates
		return true
	case r == '\u200b', r == '\u2060', r == '\ufeff', r == '\u00ad': // spaces and hyphens of no width
		return true
	}
	return false
}

// nextSegment splits off the first segment. The root has none.
func nextSegment(s string) (seg, rest string, ok bool) {
	if s == "" || s == Root {
		return "", "", false
	}
	if i := strings.IndexByte(s, '/'); i >= 0 {
		return s[:i], s[i+1:], true
	}
	return s, "", true
}

// Covers says whether pattern covers path: each of its segments matches the
// path's segment in the same place; what lies below is covered too.
func Covers(pattern, path string) bool {
	for {
		p, prest, ok := nextSegment(pattern)
		if !ok {
			return true
		}
		s, srest, ok := nextSegment(path)
		if !ok || !matchSegment(p, s) {
			return false
		}
		pattern, path = prest, srest
	}
}

// Contains says whether all that inner can cover, outer covers too: each
// segment of outer matches inner's in the same place, where a * in inner is
// matched only by a * in outer. That is covering with inner's stars taken as
// characters, since what stands between outer's own stars holds none.
func Contains(outer, inner string) bool { return Covers(outer, inner) }

// ReachesBelow says whether pattern can cover something below path without
// covering path itself: it is deeper, and its first segments match.
func ReachesBelow(pattern, path string) bool {
	for {
		s, srest, ok := nextSegment(path)
		if !ok {
			_, _, deeper := nextSegment(pattern)
			return deeper
		}
		p, prest, ok := nextSegment(pattern)
		if !ok || !matchSegment(p, s) {
			return false
		}
		pattern, path = prest, srest
	}
}

// matchSegment matches one segment, * standing for any run of characters.
func matchSegment(p, s string) bool {
	star := strings.IndexByte(p, '*')
	if star < 0 {
		return p == s
	}
	if len(s) < star || p[:star] != s[:star] {
		return false
	}
	p, s = p[star+1:], s[star:]
	for {
		star = strings.IndexByte(p, '*')
		if star < 0 {
			return strings.HasSuffix(s, p)
		}
		i := strings.Index(s, p[:star])
		if i < 0 {
			return false
		}
		s = s[i+star:]
		p = p[star+1:]
	}
}

func ParentPath(path string) string {
	i := strings.LastIndexByte(path, '/')
	if i < 0 || path == Root {
		return Root
	}
	return path[:i]
}

// Join puts path segments together; empty ones and the root are left out.
func Join(parts ...string) string {
	var b strings.Builder
	for _, p := range parts {
		if p == "" || p == Root {
			continue
		}
		if b.Len() > 0 {
			b.WriteByte('/')
		}
		b.WriteString(p)
	}
	if b.Len() == 0 {
		return Root
	}
	return b.String()
}

// Parent is the path one segment up; the root's is the root.
func Parent(path string) string { return ParentPath(path) }
