// Package stream takes operations into the database in portions, while they are still judged, and
// reads back what it encodes: what is committed can be read for ever, or is not committed.
//
//	stream.go    encoding operations, writing their rows in a transaction of their own, and handing
//	             that over once the change is judged, or dropping it
//	readback.go  holding the encoded bytes to what was judged
package stream
