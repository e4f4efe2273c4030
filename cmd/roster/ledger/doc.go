// Package ledger has the commands on the ledger itself and what is connected.
package ledger
