// Package unit holds the quantities that the rest of Open Gauge computes with:
// sizes, rates, temperatures and times, each with one way to read it and one
// way to write it.
//
// A size is a count of bytes and a rate is bytes a second, always; how a rate
// is shown (MB/s, MiB/s, Gbit/s) is chosen at the very end, with a [Notation].
// Bits are never accepted where bytes are meant, and the other way round.
//
// All are plain values, and its functions may be called by several goroutines at once.
package unit
