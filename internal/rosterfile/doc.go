// Package rosterfile reads and writes the roster file: one YAML document that
// says what applications protect, which roles there are, and by which rules they
// are given and watched. file.go is its form, which schema.go gives as a JSON
// Schema; read.go reads one and names every fault with its line; plan.go turns it
// into the operations that make an organisation so; export.go writes one.
//
// What a file names is made as it says. What it does not name is left alone, be
// it an application or the description of one. A list it gives is the whole list:
// what is not on it goes.
package rosterfile
