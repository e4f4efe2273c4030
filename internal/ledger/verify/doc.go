// Package verify holds a whole ledger to itself: bytes to hashes, operations to bytes, and the
// rows of facts to what replaying the operations comes to.
package verify
