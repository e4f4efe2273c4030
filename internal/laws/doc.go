// Package laws holds the core to its laws. It has tests alone: random organisations
// (random_test.go) are changed by random operations and asked random questions, and the
// answers of packages access, query and change are compared with those of a naive
// oracle (oracle_test.go), which is a page to read against the meaning of a decision.
package laws
