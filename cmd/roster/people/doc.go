// Package people has the commands on users, units, machine accounts, attributes and default rules, and on how one signs in.
package people
