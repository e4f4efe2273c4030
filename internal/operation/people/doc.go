// Package people has the operations on users, their units, positions and attributes, and
// on machine accounts. Package operation tells where to find which.
package people
