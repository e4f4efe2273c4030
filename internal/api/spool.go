package api

import (
	"bufio"
	"context"
	"encoding/csv"
	"errors"
	"io"
	"os"
	"time"

	"ableroster/internal/transfer"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
)

// file is an answer that is kept as a file.
type file struct {
	ContentType        string `header:"Content-Type"`
	ContentDisposition string `header:"Content-Disposition"`
	Body               func(huma.Context)
}

// fileOf is a file under a name, as write makes it. It is made whole on disk before the
// answer begins, so that a failure is still told as one, and goes out from there: the
// memory it takes does not grow with it. The file has no name on disk, and goes when it
// was sent or the connection ends.
func fileOf(kind, disposition string, write func(io.Writer) error) (*file, error) {
	f, err := spooled(write)
	if err != nil {
		return nil, err
	}
	size, err := f.Seek(0, io.SeekCurrent)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return &file{kind, disposition, func(ctx huma.Context) {
		ctx.SetStatus(200)
		ctx.(*fiberContext).c.Response().SetBodyStream(f, int(size)) // which closes it
	}}, nil
}

// spooled is a file without a name, with what write writes.
func spooled(write func(io.Writer) error) (f *os.File, err error) {
	if f, err = os.CreateTemp("", "ableroster-"); err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, f.Close())
		}
	}()
	if err := os.Remove(f.Name()); err != nil {
		return nil, err
	}
	w := bufio.NewWriter(f)
	if err := write(w); err != nil {
		return nil, err
	}
	return f, w.Flush()
}

// csvFile is a table as CSV (RFC 4180), with formulas defused. It ends early, with an
// error, when the caller has gone.
func csvFile(ctx context.Context, t transfer.Table, disposition string) (*file, error) {
	return fileOf("text/csv; charset=utf-8", disposition, func(out io.Writer) error {
		w := csv.NewWriter(out)
		if err := w.Write(t.Header); err != nil {
			return err
		}
		var line []string
		for r := range t.Rows {
			line = line[:0]
			for _, x := range r {
				line = append(line, wire.CSVText(x))
			}
			if err := errors.Join(w.Write(line), ctx.Err()); err != nil {
				return err
			}
		}
		w.Flush()
		return w.Error()
	})
}

// tableFile is csvFile under the name of the table and the day.
func tableFile(ctx context.Context, t transfer.Table) (*file, error) {
	return csvFile(ctx, t, attachment(t.Name+"-"+today()+".csv"))
}

// bytesFile is what is short enough to be whole in memory.
func bytesFile(kind, disposition string, b []byte) *file {
	return &file{kind, disposition, func(ctx huma.Context) {
		ctx.SetStatus(200)
		_, _ = ctx.BodyWriter().Write(b) // into memory: it cannot fail
	}}
}

func attachment(name string) string { return `attachment; filename="` + name + `"` }

func today() string { return time.Now().UTC().Format(time.DateOnly) }
