// Package laws is what tests of the core share: random organisations that are changed by
// random operations and asked random questions (random.go), a small port (port.go), and a
// naive oracle (oracle.go), which is a page to read against the meaning of a decision. The
// laws themselves stand in the tests of each room.
package laws
