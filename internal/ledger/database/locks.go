package database

// Locks by which programs on one database tell each other what they do. They end with the
// session that holds them, however that ends.
const (
	LockClass = 0x41524c // of all of these
	LockLarge = 1        // held by the program that makes a large change
	LockModel = 4        // held by a large change in its last round: what it is judged by must stay
	LockRows  = 2        // held by the program that writes fact rows late
	LockAlive = 3        // shared by all that follow the ledger
	LockReady = 0x41524d // the class of those shared by all that prepared a change, by its number
)

// SQLTryLock takes a lock by its class and number, and says whether it could.
const SQLTryLock = `select pg_try_advisory_lock($1, $2)`

// SQLUnlock lets go of one.
const SQLUnlock = `select pg_advisory_unlock($1, $2)`

// SQLLockHead holds the head until the transaction ends: nobody commits meanwhile.
const SQLLockHead = `select revision, hash, at, clock_timestamp(), rows_through from ledger_head for update`
