package serve

// CookieNamed is a cookie's name: over TLS browsers hold it to this host alone.
func (s *Server) CookieNamed(name string) string {
	if s.Options.Secure {
		return "__Host-" + name
	}
	return name
}

// FlowCookie remembers a browser while it is at an identity provider.
const FlowCookie = "able_roster_flow"
