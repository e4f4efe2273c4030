// Package rules has the operations on what holds for everybody: default rules,
// separation-of-duties rules, expectations, freezes, and the settings of the organisation.
// Package operation tells where to find which.
package rules
