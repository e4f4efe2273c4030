package openid

import (
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"syscall"
	"time"
)

// What may be fetched from a provider is bounded: how long it takes and how large it is.
const (
	fetchLasts  = 10 * time.Second
	mostFetched = 1 << 20 // bytes
)

var errElsewhere = errors.New("it leads elsewhere, which is not followed")

// shared are addresses that belong to no public network, beside those that net/netip knows.
var shared = []netip.Prefix{netip.MustParsePrefix("100.64.0.0/10"), netip.MustParsePrefix("192.0.0.0/24"), netip.MustParsePrefix("198.18.0.0/15"), netip.MustParsePrefix("64:ff9b::/96")}

// public says whether an address is one of the public network.
func public(a netip.Addr) bool {
	a = a.Unmap()
	if !a.IsGlobalUnicast() || a.IsPrivate() {
		return false
	}
	for _, p := range shared {
		if p.Contains(a) {
			return false
		}
	}
	return true
}

// fetcher is the client that everything of a provider is fetched by: it goes to public addresses
// over TLS alone unless it is said to be private, follows nobody elsewhere, and reads so much.
// The address is looked at when the connection is made, so that no name can lead elsewhere in
// between.
func fetcher(private bool) *http.Client {
	dialer := &net.Dialer{Timeout: fetchLasts / 2, Control: func(_, address string, _ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(address)
		if err != nil || !private && !public(at.Addr()) {
			return fmt.Errorf("%s is no public address", address)
		}
		return nil
	}}
	return &http.Client{
		Timeout:       fetchLasts,
		CheckRedirect: func(*http.Request, []*http.Request) error { return errElsewhere },
		Transport: bounded{private, &http.Transport{DialContext: dialer.DialContext, TLSHandshakeTimeout: fetchLasts / 2, ResponseHeaderTimeout: fetchLasts,
			MaxResponseHeaderBytes: 64 << 10, IdleConnTimeout: time.Minute, MaxIdleConnsPerHost: 4, ForceAttemptHTTP2: true}},
	}
}

// bounded is a transport that reads answers up to a bound, and none without TLS.
type bounded struct {
	private bool
	by      http.RoundTripper
}

// RoundTrip implements http.RoundTripper.
func (b bounded) RoundTrip(r *http.Request) (*http.Response, error) {
	if r.URL.Scheme != "https" && !b.private {
		return nil, fmt.Errorf("%s is not reached over TLS", r.URL.Host)
	}
	out, err := b.by.RoundTrip(r)
	if err != nil {
		return nil, err
	}
	out.Body = &boundedBody{Reader: http.MaxBytesReader(nil, out.Body, mostFetched), Closer: out.Body}
	return out, nil
}

type boundedBody struct {
	io.Reader
	io.Closer
}
