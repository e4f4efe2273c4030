package api

import (
	"context"
	"errors"
	"io"
	"runtime"
	"slices"
	"strings"
	"testing"

	"ableroster/internal/api/serve"
	"ableroster/internal/transfer"
)

// A file takes no more memory when it is long.
func TestALongFileTakesNoMoreMemoryThanAShortOne(t *testing.T) {
	line := []string{strings.Repeat("x", 200), "=1+1"}
	made := func(lines int) uint64 {
		rows := func(yield func([]string) bool) {
			for range lines {
				if !yield(line) {
					return
				}
			}
		}
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		if _, err := serve.TableFile(t.Context(), transfer.Table{Name: "long", Header: []string{"a", "b"}, Rows: rows}); err != nil {
			t.Fatal(err)
		}
		runtime.ReadMemStats(&after)
		return after.TotalAlloc - before.TotalAlloc
	}
	made(1)
	if short, long := made(10), made(100_000); long > short+4<<20 {
		t.Errorf("10 lines take %d bytes, 100,000 take %d", short, long)
	}
}

// Whoever has gone is not written for to the end, and what fails leaves no file open.
func TestAFileEndsWithItsCaller(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	n := 0
	_, err := serve.TableFile(ctx, transfer.Table{Rows: func(yield func([]string) bool) {
		for yield([]string{"x"}) {
			if n++; n == 3 {
				cancel()
			}
		}
	}})
	if !errors.Is(err, context.Canceled) || n != 3 {
		t.Errorf("%d lines: %v", n, err)
	}
	broken := errors.New("broken")
	if f, err := serve.Spooled(func(io.Writer) error { return broken }); !errors.Is(err, broken) || f != nil && f.Close() == nil {
		t.Errorf("%v %v", f, err)
	}
}

// What a table is made of comes back as it was put there, whatever it holds.
func TestRowsOnDiskComeBack(t *testing.T) {
	var table listTable
	err := table.collect(func() error {
		for _, page := range []string{`{"users":[{"key":"a\nb","n":1},{"key":"","unit":"x"}],"next":"2"}`, `{"users":[{"key":"ü","custom":{"badge":"7"}}]}`} {
			if _, ok, err := table.add([]byte(page), "users"); !ok || err != nil {
				return errors.New("no list")
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	defer table.kept.Close()
	var failed error
	header, rows, _ := table.table(nil, &failed)
	var got [][]string
	for r := range rows {
		got = append(got, r)
	}
	want := [][]string{{"a\nb", "1", "", ""}, {"", "", "x", ""}, {"ü", "", "", "7"}}
	if !slices.Equal(header, []string{"key", "n", "unit", "badge"}) || !slices.EqualFunc(got, want, slices.Equal) || failed != nil {
		t.Errorf("%q %q %v", header, got, failed)
	}
}
