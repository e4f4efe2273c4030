// Package api translates between HTTP and the desk: JSON at /api/v1 with an
// OpenAPI 3.1 document that is its contract, problems as RFC 9457, and the
// console. It decides nothing about access.
package api
