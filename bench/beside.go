package main

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"ableroster/demo"
	"ableroster/wire"
)

// besides measures what others notice of a large import: three services share a database, one
// takes the import, and at each somebody makes small changes and asks for decisions all the
// while; what is revoked at the importing service is asked about at another.
func besides(users int) func(ctx context.Context, database string) ([]line, error) {
	return func(ctx context.Context, database string) ([]line, error) {
		k, services, stopping, err := several(ctx, database, 1_000, 3)
		if err != nil {
			return nil, err
		}
		defer stopping()
		k.ledger.Close() // three follow, and no more
		keys, err := roleKeys(services[0])
		if err != nil {
			return nil, err
		}
		var m meanwhile
		var late sample
		for n, a := range services {
			m.change(a, demo.UserName(7+n))
			m.check(a)
		}
		m.again(&late, 20*time.Millisecond, func(i int) (time.Duration, error) {
			return revokedAt(services[0], services[1+i%2], demo.UserName(20), keys[0])
		})
		before, err := memoryOf(services[0], "VmRSS")
		if err != nil {
			return nil, err
		}
		var result wire.ChangeResult
		began := time.Now()
		err = services[0].call("POST", "/imports/users?new_units=true&reason=The+other+port&acknowledge=wide_gain&acknowledge=violation_warned&acknowledge=direct_assignment&acknowledge=expectation_warned", personnelFile(users, keys), &result)
		took := time.Since(began)
		for err == nil && !m.stop.Load() { // until the rows are there too
			var whole bool
			if err = k.pool.QueryRow(ctx, "select rows_through = revision from ledger_head").Scan(&whole); whole {
				break
			}
			time.Sleep(10 * time.Millisecond)
		}
		rows := time.Since(began)
		err = cmp.Or(err, m.end())
		most, cannot := memoryOf(services[0], "VmHWM")
		err = cmp.Or(err, cannot)
		if err != nil {
			return nil, err
		}
		what := fmt.Sprintf("while %d users are imported, three services: ", users)
		return []line{
			{what + "a change of another", m.changes.String(), "", "", fmt.Sprintf("longest %s of %d; aim: p99 250 ms, longest 1 s", short(slices.Max(m.changes)), len(m.changes))},
			{what + "a check", m.checks.String(), "", "", fmt.Sprintf("longest %s of %d", short(slices.Max(m.checks)), len(m.checks))},
			{what + "an answered revoke at another service", late.String(), "", "", fmt.Sprintf("longest %s of %d; aim: 100 ms", short(slices.Max(late)), len(late))},
			{what + "the import itself", short(took), "", "", fmt.Sprintf("its rows are there after %s", short(rows))},
			{what + "memory of the service that imports, at most", fmt.Sprintf("%d MB", most), fmt.Sprintf("%d MB before", before), fmt.Sprintf("%.1f", float64(most)/float64(before)), "aim: 1 GB more"},
		}, nil
	}
}

// revokedAt grants a role at one service, waits until it is held at another, revokes it, and
// is how long after the answer the other still said that it is held.
func revokedAt(a, b *asking, user, role string) (time.Duration, error) {
	held := func() (bool, error) {
		var u wire.UserDetail
		err := b.call("GET", "/users/"+user, nil, &u)
		return slices.ContainsFunc(u.Assignments, func(x wire.Assignment) bool { return x.Role.Key == role }), err
	}
	change := func(op string) error {
		return a.call("POST", "/changes", map[string]any{"reason": "meanwhile", "operations": []any{map[string]any{"op": op, "role": role, "user": user}}, "acknowledge": []string{"violation_warned", "direct_assignment"}}, nil)
	}
	until := func(want bool) error {
		for {
			if now, err := held(); err != nil || now == want {
				return err
			}
		}
	}
	if err := change("grant"); err != nil {
		return 0, err
	}
	if err := until(true); err != nil {
		return 0, err
	}
	if err := change("revoke"); err != nil {
		return 0, err
	}
	began := time.Now()
	err := until(false)
	return time.Since(began), err
}

// memoryOf is what Linux says of the memory of a service, in MB.
func memoryOf(a *asking, what string) (int, error) {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", a.program.cmd.Process.Pid))
	if err != nil {
		return 0, err
	}
	for line := range strings.Lines(string(text)) {
		if rest, ok := strings.CutPrefix(line, what+":"); ok {
			var kb int
			_, err := fmt.Sscan(rest, &kb)
			return kb >> 10, err
		}
	}
	return 0, fmt.Errorf("no %s", what)
}

// roleKeys are the roles of applications that may be given.
func roleKeys(a *asking) (keys []string, err error) {
	var roles wire.RoleList
	if err := a.call("GET", "/roles", nil, &roles); err != nil {
		return nil, err
	}
	for _, r := range roles.Roles {
		if r.Application != nil && r.Application.Key != "able-roster" && !r.Retired {
			keys = append(keys, r.Key)
		}
	}
	return keys, nil
}
