// Package bell wakes a thread that waits, at a moment or when something is ready,
// within microseconds where the system can: a timer that is late by a millisecond would
// be in the latency of every operation that is due then.
//
// One goroutine waits on a bell, on its own thread; any number may ring it.
package bell
