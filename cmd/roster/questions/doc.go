// Package questions has the commands on who may do what, now, on a past day, or by a change that is not made.
package questions
