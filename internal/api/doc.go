// Package api translates between HTTP and the service: JSON at /api/v1 with an
// OpenAPI 3.1 document that is its contract, problems as RFC 9457, and the
// console. It decides nothing about access. What every call goes through is in
// package serve, signing in and the open standards in packages of their own; the
// other calls are here, by theme.
package api
