// Package mailing says who is mailed what, and when. What is mailed about changes follows from
// the ledger (follow.go), so that it is committed with the change it speaks of and delays none;
// what a mail says is drawn when it is sent (deliver.go), from the facts as they are then.
package mailing
