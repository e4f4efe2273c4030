package testkit

import (
	"context"

	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"
)

// Device is an authenticator that Chromium plays: it keeps passkeys and says yes to all that it
// is asked.
type Device struct {
	b  *Tab
	id webauthn.AuthenticatorID
}

// Device gives the tab an authenticator.
func (b *Tab) Device() *Device {
	b.t.Helper()
	d := &Device{b: b}
	b.do("a device", chromedp.ActionFunc(func(ctx context.Context) (err error) {
		if err = webauthn.Enable().Do(ctx); err != nil {
			return err
		}
		d.id, err = webauthn.AddVirtualAuthenticator(&webauthn.VirtualAuthenticatorOptions{Protocol: webauthn.AuthenticatorProtocolCtap2, Transport: webauthn.AuthenticatorTransportInternal,
			HasResidentKey: true, HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true}).Do(ctx)
		return err
	}))
	return d
}

// Keys is how many passkeys it keeps.
func (d *Device) Keys() (n int) {
	d.b.t.Helper()
	d.b.do("the passkeys of the device", chromedp.ActionFunc(func(ctx context.Context) error {
		all, err := webauthn.GetCredentials(d.id).Do(ctx)
		n = len(all)
		return err
	}))
	return n
}
