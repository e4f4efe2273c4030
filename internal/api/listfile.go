package api

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"strings"

	"ableroster/internal/api/serve"
	"ableroster/internal/seeing"
	"ableroster/internal/transfer"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/valyala/fasthttp"
)

// mostListed bounds the rows of a list that goes out as a file.
const mostListed = 100_000

// listParts are the parts of lists whose rows are told a line a part.
var listParts = map[string][]string{"gained-and-lost": {"gained", "lost"}}

// listFile asks for a list as a file: the same list, asked with the same query, cut
// to the same rights, whatever list it is.
type listFile struct {
	List      string `path:"list" maxLength:"400" doc:"the address of a list after /api/v1, its slashes escaped: users, applications%2Fberth-planning%2Fcoverage"`
	Format    string `query:"format" enum:"csv,xlsx" default:"csv"`
	Encoding  string `query:"encoding" enum:"utf-8,windows-1252,windows-1250,iso-8859-1,iso-8859-15,ibm-850" default:"utf-8" doc:"of CSV; what it has no sign for is a fault"`
	Separator string `query:"separator" enum:"comma,semicolon,tab" default:"comma" doc:"what stands between columns of CSV"`
	Columns   string `query:"columns" maxLength:"2000" doc:"columns to have, with commas between them; all by default"`

	Of string `query:"of" maxLength:"60" doc:"which of its lists, where the answer has several: resources, of applications%2Fberth-planning"`

	query  url.Values
	header map[string]string
}

// Resolve keeps what the list is asked with.
func (f *listFile) Resolve(ctx huma.Context) []error {
	u := ctx.URL()
	f.query, f.header = u.Query(), map[string]string{}
	for _, name := range []string{"format", "columns", "encoding", "separator", "cursor", "limit", "of"} {
		f.query.Del(name)
	}
	for _, name := range []string{"Authorization", "Cookie", "User-Agent"} {
		f.header[name] = ctx.Header(name)
	}
	return nil
}

func listFileFor(ctx context.Context, s *serve.Server, in *listFile) (*serve.File, error) {
	t := listTable{parts: listParts[strings.Trim(in.List, "/")]}
	if err := t.collect(func() error { return pages(ctx, s, in, &t) }); err != nil {
		return nil, err
	}
	defer t.kept.Close()
	var asked []string
	if in.Columns != "" {
		asked = strings.Split(in.Columns, ",")
	}
	if strings.Trim(in.List, "/") == "users" { // it may happen to have nobody with some attribute
		t.also = s.Service.Now(ctx, serve.Caller(ctx)).ListColumns()
	}
	var failed error
	header, rows, unknown := t.table(asked, &failed)
	if unknown != "" {
		return nil, seeing.Invalid("the file could not be made", wire.Fault{Place: "columns", Message: "there is no column “" + unknown + "” in it; there are " + strings.Join(t.known(), ", ")})
	}
	name := strings.NewReplacer("/", "-", `"`, "").Replace(in.List)
	if in.Format == "xlsx" {
		out, err := serve.Workbook(ctx, name+"-"+serve.Today(), header, rows)
		return out, cmp.Or(failed, err)
	}
	form := serve.CSVForm{Encoding: in.Encoding, Separator: map[string]string{"semicolon": ";", "tab": "\t"}[in.Separator]}
	out, err := serve.CSVFile(ctx, transfer.Table{Name: name, Header: header, Rows: rows}, serve.Attachment(name+"-"+serve.Today()+".csv"), form)
	return out, cmp.Or(failed, err)
}

// pages asks for the list a page at a time and adds each to the table.
func pages(ctx context.Context, s *serve.Server, in *listFile, t *listTable) error {
	for cursor := ""; ; {
		raw, status := inside(s, in, cursor)
		if status != 200 {
			p := &wire.Problem{}
			if json.Unmarshal(raw, p) != nil || p.Status == 0 {
				return notAList(in.List)
			}
			return p
		}
		next, ok, err := t.add(raw, in.wanted())
		if err := cmp.Or(err, ctx.Err()); err != nil {
			return err
		}
		if !ok {
			return notAList(in.List)
		}
		if t.count > mostListed {
			return seeing.Invalid("the file could not be made", wire.Fault{Place: "list", Message: fmt.Sprintf("has more than %d rows; narrow it", mostListed)})
		}
		if cursor = next; cursor == "" {
			return nil
		}
	}
}

// wanted is the name of the array that is the list.
func (f *listFile) wanted() string {
	if f.Of != "" {
		return f.Of
	}
	return strings.ReplaceAll(f.List[strings.LastIndexByte(f.List, '/')+1:], "-", "_")
}

func notAList(path string) error {
	return seeing.Invalid("the file could not be made", wire.Fault{Place: "list", Message: "“" + path + "” is no list: name one as the API does, such as users"})
}

// inside asks the service itself for a page of a list, as its caller.
func inside(s *serve.Server, in *listFile, cursor string) ([]byte, int) {
	path := strings.Trim(in.List, "/")
	if strings.HasPrefix(path, "files") || strings.HasSuffix(path, ".csv") || strings.Contains(path, "..") || strings.ContainsAny(path, "?#") {
		return nil, 404
	}
	q := url.Values{}
	for k, v := range in.query {
		q[k] = v
	}
	q.Set("limit", "500")
	if cursor != "" {
		q.Set("cursor", cursor)
	}
	var segments []string
	for part := range strings.SplitSeq(path, "/") {
		plain, err := url.PathUnescape(part) // a slash within a key is written %2F
		if err != nil {
			return nil, 404
		}
		segments = append(segments, url.PathEscape(plain))
	}
	var ctx fasthttp.RequestCtx
	var req fasthttp.Request
	req.Header.SetMethod("GET")
	req.SetRequestURI("http://inside/api/v1/" + strings.Join(segments, "/") + "?" + q.Encode())
	for name, value := range in.header {
		if value != "" {
			req.Header.Set(name, value)
		}
	}
	ctx.Init(&req, nil, nil)
	ctx.SetUserValue(serve.InsideKey, true)
	s.App.Handler()(&ctx)
	return ctx.Response.Body(), ctx.Response.StatusCode()
}
