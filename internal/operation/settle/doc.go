// Package settle has what operations do alike: settling a reference that may be left out,
// or a list of them, checking a filter, and putting a fact in the place of an older one.
package settle
