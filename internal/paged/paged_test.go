package paged

import (
	"fmt"
	"math/rand/v2"
	"testing"
)

// Random writes through many branches of one table: each branch must read as
// a plain map written the same way, whatever its siblings did.
func TestBranchesDoNotSeeEachOther(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	type branch struct {
		table Table[int]
		want  map[int]int
	}
	branches := []branch{{want: map[int]int{}}}
	for round := range 60 {
		from := branches[rng.IntN(len(branches))]
		next := branch{table: from.table, want: map[int]int{}}
		for k, v := range from.want {
			next.want[k] = v
		}
		e := new(Edit)
		for range 40 {
			i := rng.IntN(100_000)
			next.table.Set(e, i, round+1)
			next.want[i] = round + 1
		}
		branches = append(branches, next)
	}
	for n, b := range branches {
		for i := range 100_000 {
			if got := b.table.Get(i); got != b.want[i] {
				t.Fatalf("branch %d row %d: %d, want %d", n, i, got, b.want[i])
			}
		}
	}
}

func TestPopIsTheInverseOfAppend(t *testing.T) {
	var tb Table[int]
	e := new(Edit)
	for i := range 1000 {
		tb.Set(e, tb.Len(), i)
	}
	kept := tb
	e2 := new(Edit)
	for i := 999; i >= 500; i-- {
		if got := tb.Pop(e2); got != i {
			t.Fatalf("popped %d, want %d", got, i)
		}
	}
	if tb.Len() != 500 || kept.Len() != 1000 || kept.Get(999) != 999 {
		t.Fatalf("the older copy changed: %d %d %d", tb.Len(), kept.Len(), kept.Get(999))
	}
}

func TestIndexFindsWhatWasAddedInEveryVersion(t *testing.T) {
	var x Index
	keys := []string{}
	versions := []Index{}
	for v := range 20 {
		e := new(Edit)
		for k := range 500 {
			key := fmt.Sprintf("name-%d-%d", v, k)
			keys = append(keys, key)
			x.Add(e, key, uint32(len(keys)))
		}
		versions = append(versions, x)
	}
	for v, x := range versions {
		for i, key := range keys {
			id, ok := x.Find(key, func(id uint32) bool { return keys[id-1] == key })
			if want := i < (v+1)*500; ok != want || ok && int(id) != i+1 {
				t.Fatalf("version %d key %s: %d %v", v, key, id, ok)
			}
		}
	}
}
