package signedhead

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"strings"
	"time"
)

// Line is what is kept of a ledger elsewhere, line by line: a head, and whose personal
// values, and which reasons, were erased since the line before.
type Line struct {
	Head    LedgerHead `json:"head"`
	Erased  []string   `json:"erased,omitempty"`         // ids of users
	Reasons []string   `json:"erased_reasons,omitempty"` // digests
}

// Kept is a place where heads are kept: a file that grows by lines, or an address that
// they are posted to.
type Kept struct{ Place string }

// Address says whether the place is one that is reached over the network.
func (k Kept) Address() bool {
	return strings.HasPrefix(k.Place, "https://") || strings.HasPrefix(k.Place, "http://")
}

// Add keeps a line. It returns once it is on disk, or was taken.
func (k Kept) Add(ctx context.Context, l Line) error {
	raw, err := json.Marshal(l)
	if err != nil {
		return err
	}
	if k.Address() {
		ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
		defer cancel()
		req, err := http.NewRequestWithContext(ctx, http.MethodPost, k.Place, bytes.NewReader(raw))
		if err != nil {
			return err
		}
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			return err
		}
		defer resp.Body.Close()
		if resp.StatusCode >= 300 {
			return fmt.Errorf("%s answers %s", k.Place, resp.Status)
		}
		return nil
	}
	f, err := os.OpenFile(k.Place, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return err
	}
	end, err := endOf(f)
	if err == nil {
		_, err = f.WriteAt(append(raw, '\n'), end)
	}
	return errors.Join(err, f.Sync(), f.Close())
}

// endOf is where the last whole line of a file ends: what follows was cut off while it was
// written, and is taken away.
func endOf(f *os.File) (int64, error) {
	size, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return 0, err
	}
	for end := size; end > 0; end-- {
		var last [1]byte
		if _, err := f.ReadAt(last[:], end-1); err != nil {
			return 0, err
		}
		if last[0] == '\n' {
			return end, f.Truncate(end)
		}
	}
	return 0, f.Truncate(0)
}

// ErrWriteOnly says that an address takes lines, and does not give them back.
var ErrWriteOnly = errors.New("the address does not give back the heads that are kept there")

// largestKept bounds what an address gives back, in bytes.
const largestKept = 1 << 30

// Read are all lines of a file, or what an address answers a GET with, line by line as they
// were posted; none where there is nothing yet. A last line that was cut off while it was
// written is left out. It fails with ErrWriteOnly, where an address cannot be read.
func (k Kept) Read(ctx context.Context) ([]Line, error) {
	text, err := k.text(ctx)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var out []Line
	lines := bufio.NewScanner(bytes.NewReader(text))
	lines.Buffer(nil, len(text)+1)
	for n := 1; lines.Scan(); n++ {
		var l Line
		if err := json.Unmarshal(lines.Bytes(), &l); err != nil {
			if !lines.Scan() && !bytes.HasSuffix(text, []byte("\n")) {
				break
			}
			return nil, fmt.Errorf("%s, line %d: %w", k.Place, n, err)
		}
		out = append(out, l)
	}
	return out, lines.Err()
}

func (k Kept) text(ctx context.Context) ([]byte, error) {
	if !k.Address() {
		return os.ReadFile(k.Place)
	}
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, k.Place, nil)
	if err != nil {
		return nil, err
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	switch resp.StatusCode {
	case http.StatusOK:
		return io.ReadAll(io.LimitReader(resp.Body, largestKept))
	case http.StatusNoContent:
		return nil, fs.ErrNotExist
	}
	return nil, fmt.Errorf("%w: GET %s answers %s", ErrWriteOnly, k.Place, resp.Status)
}
