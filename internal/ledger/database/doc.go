// Package database is how the database of a ledger is reached: the pool and its time-outs
// (pool.go), lines that went silent (lines.go), what its errors mean to whoever asked
// (errors.go), and the locks by which services on one database tell each other what they do
// (locks.go).
package database
