// Package finding looks for what seems wrong in who may do what: roles that hold
// nothing, access past its end, applications nobody answers for. It is a pure
// look at a snapshot; code.go lists what can be found, and the files beside it
// look for it: in roles, in applications, among people and groups. A finding can
// be set aside until a day (op_setaside.go), which is a fact like any other.
package finding
