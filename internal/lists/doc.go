// Package lists has what there is: users, groups, applications, roles, assignments,
// attributes, default rules, SoD rules, saved views, the security log; as lists, one by
// one, and by search. Each is cut to the caller's view (package seeing).
package lists
