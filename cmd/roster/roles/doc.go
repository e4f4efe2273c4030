// Package roles has the commands on roles, groups, applications, requests, reviews, imports and what else changes access.
package roles
