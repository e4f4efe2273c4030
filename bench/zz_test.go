package main

import (
	"context"
	"os"
	"strconv"
	"testing"
	"time"
)

func TestMake(t *testing.T) {
	n, _ := strconv.Atoi(os.Getenv("MAKE_USERS"))
	b := time.Now()
	k, err := lasting(context.Background(), os.Getenv("DATABASE_URL"), n)
	if err != nil {
		t.Fatal(err)
	}
	t.Log(n, time.Since(b), k.ledger.Head().Revision)
	k.drop()
}
