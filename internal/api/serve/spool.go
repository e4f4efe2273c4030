package serve

import (
	"bufio"
	"cmp"
	"context"
	"encoding/csv"
	"errors"
	"io"
	"io/fs"
	"os"
	"strings"
	"time"

	"ableroster/internal/csvcell"
	"ableroster/internal/importfile"
	"ableroster/internal/seeing"
	"ableroster/internal/transfer"
	"ableroster/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
)

// File is an answer that is kept as a file.
type File struct {
	ContentType        string `header:"Content-Type"`
	ContentDisposition string `header:"Content-Disposition"`
	Body               func(huma.Context)
}

// FileOf is a file under a name, as write makes it. It is made whole on disk before the
// answer begins, so that a failure is still told as one, and goes out from there: the
// memory it takes does not grow with it. The file has no name on disk, and goes when it
// was sent or the connection ends.
func FileOf(kind, disposition string, write func(io.Writer) error) (*File, error) {
	f, err := Spooled(write)
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
	return &File{kind, disposition, func(ctx huma.Context) {
		ctx.SetStatus(200)
		c := ctx.(*FiberContext).Fiber
		if size < compressFrom || strings.Contains(kind, "spreadsheet") || c.Method() == fiber.MethodHead || !sendsPacked(c, f) { // a workbook is packed
			c.Response().SetBodyStream(f, int(size)) // which closes it
		}
	}}, nil
}

// Spooled is a file without a name, with what write writes.
func Spooled(write func(io.Writer) error) (f *os.File, err error) {
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

// CSVFile is a table as CSV (RFC 4180), with formulas defused. It ends early, with an
// error, when the caller has gone.
func CSVFile(ctx context.Context, t transfer.Table, disposition string, as CSVForm) (*File, error) {
	encoding := cmp.Or(as.Encoding, "utf-8")
	return FileOf("text/csv; charset="+encoding, disposition, func(to io.Writer) error {
		out := importfile.Encoder(to, encoding)
		w := csv.NewWriter(out)
		w.UseCRLF = true
		if as.Separator != "" {
			w.Comma = []rune(as.Separator)[0]
		}
		if err := w.Write(t.Header); err != nil {
			return unwritable(err, encoding)
		}
		var line []string
		for r := range t.Rows {
			line = line[:0]
			for _, x := range r {
				line = append(line, csvcell.Guard(x))
			}
			if err := errors.Join(unwritable(w.Write(line), encoding), ctx.Err()); err != nil {
				return err
			}
		}
		w.Flush()
		return unwritable(cmp.Or(w.Error(), out.Close()), encoding)
	})
}

// CSVForm says how CSV is written; blank fields are UTF-8 and commas.
type CSVForm struct{ Encoding, Separator string }

// unwritable is a failure to write text in an encoding, as the caller is told.
func unwritable(err error, encoding string) error {
	var file *fs.PathError
	if err == nil || errors.As(err, &file) || encoding == "utf-8" {
		return err
	}
	return seeing.Invalid("the file could not be made", wire.Fault{Place: "encoding", Message: encoding + " has no sign for some of the texts: utf-8 has"})
}

// TableFile is csvFile under the name of the table and the day.
func TableFile(ctx context.Context, t transfer.Table) (*File, error) {
	return CSVFile(ctx, t, Attachment(t.Name+"-"+Today()+".csv"), CSVForm{})
}

// BytesFile is what is short enough to be whole in memory.
func BytesFile(kind, disposition string, b []byte) *File {
	return &File{kind, disposition, func(ctx huma.Context) {
		ctx.SetStatus(200)
		_, _ = ctx.BodyWriter().Write(b) // into memory: it cannot fail
	}}
}

// Attachment is the disposition of a file of a name.
func Attachment(name string) string { return `attachment; filename="` + name + `"` }

// Today is the day, in UTC, for names of files.
func Today() string { return time.Now().UTC().Format(time.DateOnly) }
