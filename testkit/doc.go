// Package testkit is what tests of the whole product share: a fresh database,
// the real programs, and a tab of a real browser.
package testkit
