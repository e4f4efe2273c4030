// Package jobs does what takes longer than a call waits: a file that was sent to change
// something by is kept in the database in portions as it comes in, and worked by whichever
// service has time. It is worked once: a service that ends meanwhile leaves it to the others.
//
// jobs.go has the queue, upload.go what is kept of a file, receive.go how it comes in, and
// work.go how it is worked, how far that is, and how it is cancelled.
package jobs
