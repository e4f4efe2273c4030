// Package roles has the operations on applications, their resources, roles and
// permissions, on groups, and on grants. Package operation tells where to find which.
package roles
