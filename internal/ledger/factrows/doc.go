// Package factrows has how facts lie in PostgreSQL: the table of each kind (facts.go), its
// statements (tablesql.go), reading rows one by one (read.go) and millions of them (load.go,
// bulk.go), gathering and writing them (rows.go), those that concern one user (concerning.go,
// ever.go), and the ends of their lives in order (lifetimes.go).
package factrows
