// Package serve is what every call goes through: who calls (server.go, second.go, cookies.go),
// how much of the service it may take (request.go), registering it (route.go), its parameters,
// conditions and pages (parameters.go, conditional.go, cursor.go, atleast.go), problems as
// RFC 9457 (problem.go), the OpenAPI document (document.go), files that go out (spool.go), and
// the console's own files.
package serve
