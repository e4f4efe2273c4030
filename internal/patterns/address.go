package patterns

import (
	"errors"
	"net/url"
	"slices"
	"strings"
	"unicode"
)

// Address is where an application serves a resource: the path of a URL (RFC 3986, section 3.3)
// whose segments may be placeholders, such as "/moorings/{berth}"; with a host, or without for
// any. Written, it may have a method (RFC 9110, section 9) before it and an action after it:
// "POST /moorings/{berth} update".
type Address struct {
	Method   string // blank: any
	Host     string // "https://host" in small letters, or blank
	Segments []string
	Action   string // blank: that of the method, see ActionOf
}

// Methods are those an address may name, and a question by address, each with the action that
// it stands for where an address names none.
var Methods = []struct{ Method, Action string }{
	{"GET", "read"}, {"HEAD", "read"}, {"OPTIONS", "read"}, {"POST", "create"}, {"PUT", "update"}, {"PATCH", "update"}, {"DELETE", "delete"},
}

// ActionOf is the action that a method stands for; blank for what is no method.
func ActionOf(method string) string {
	for _, m := range Methods {
		if m.Method == method {
			return m.Action
		}
	}
	return ""
}

// maxAddressSegments bounds an address.
const maxAddressSegments = 16

// Errors of addresses.
var (
	errAddress     = errors.New(`is no address such as "/moorings/{berth}" or "POST https://berths.example/moorings update"`)
	errSegments    = errors.New("has more than 16 segments")
	errDots        = errors.New("has a segment that is blank, “.” or “..”, or escapes what it need not: it could be read in two ways")
	errPlaceholder = errors.New("has a placeholder that is not a whole segment such as {berth}")
)

// ParseAddress reads an address as it is written.
func ParseAddress(s string) (a Address, err error) {
	words := strings.Split(s, " ")
	if len(words) > 1 && ActionOf(words[0]) != "" {
		a.Method, words = words[0], words[1:]
	}
	if len(words) == 2 && words[1] != "" {
		a.Action, words = words[1], words[:1]
	}
	if len(words) != 1 {
		return a, errAddress
	}
	text := words[0]
	if scheme, rest, ok := strings.Cut(text, "://"); ok {
		host, path, _ := strings.Cut(rest, "/")
		if scheme = strings.ToLower(scheme); scheme != "http" && scheme != "https" || host == "" || strings.ContainsAny(host, "{}@?#%") {
			return a, errAddress
		}
		a.Host, text = scheme+"://"+strings.ToLower(host), "/"+path
	}
	if !strings.HasPrefix(text, "/") || strings.ContainsAny(text, "?#") {
		return a, errAddress
	}
	a.Segments, err = segmentsOf(text)
	for _, x := range a.Segments {
		if inner := strings.TrimSuffix(strings.TrimPrefix(x, "{"), "}"); err == nil && strings.ContainsAny(x, "{}") && (!isPlaceholder(x) || strings.ContainsAny(inner, "{}")) {
			err = errPlaceholder
		}
	}
	return a, err
}

// ParseServed reads an address that somebody asks about: a URL, or the path of one, without
// placeholders. Its query and fragment are left out.
func ParseServed(s string) (host string, segments []string, err error) {
	u, err := url.Parse(s)
	if err != nil || u.Opaque != "" || u.User != nil || u.Host == "" && (u.Scheme != "" || !strings.HasPrefix(s, "/") || strings.HasPrefix(s, "//")) {
		return "", nil, errAddress
	}
	if u.Host != "" {
		if u.Scheme != "http" && u.Scheme != "https" {
			return "", nil, errAddress
		}
		host = u.Scheme + "://" + strings.ToLower(u.Host)
	}
	segments, err = segmentsOf(u.EscapedPath())
	return host, segments, err
}

// segmentsOf splits the path of a URL, each segment without its escapes. One slash at its end
// counts for nothing.
func segmentsOf(path string) ([]string, error) {
	path = strings.TrimSuffix(strings.TrimPrefix(path, "/"), "/")
	if path == "" {
		return nil, nil
	}
	out := strings.Split(path, "/")
	if len(out) > maxAddressSegments {
		return nil, errSegments
	}
	for i, x := range out {
		plain, err := url.PathUnescape(x)
		if err != nil || plain == "" || plain == "." || plain == ".." || strings.ContainsFunc(plain, func(r rune) bool {
			return r == '/' || r == '\\' || r == unicode.ReplacementChar || unicode.IsControl(r)
		}) {
			return nil, errDots
		}
		out[i] = plain
	}
	return out, nil
}

func isPlaceholder(segment string) bool {
	return len(segment) > 2 && segment[0] == '{' && segment[len(segment)-1] == '}'
}

// anything stands for a placeholder in a shape: no segment is so.
const anything = "/"

// Shapes are keys of an address: those of its beginnings, the shortest first, and its own, which
// two addresses share exactly when they are for the same.
func (a Address) Shapes() []string {
	out := []string{Shape(a.Host, nil)}
	kept := slices.Clone(a.Segments)
	for i, x := range kept {
		if isPlaceholder(x) {
			kept[i] = anything
		}
		out = append(out, Shape(a.Host, kept[:i+1]))
	}
	return append(out, out[len(out)-1]+"\x00"+a.Method)
}

// Shape is the key of a beginning of addresses; Any is the segment that fits every other.
func Shape(host string, segments []string) string {
	return host + "\x00" + strings.Join(segments, "\x00")
}

// Any is the segment of a shape that fits every other.
const Any = anything

// Below are what the placeholders of an address stand for in one that it fits.
func (a Address) Below(segments []string) (out []string) {
	for i, x := range a.Segments {
		if isPlaceholder(x) {
			out = append(out, segments[i])
		}
	}
	return out
}
