//go:build !linux

// Package ring is the io_uring of Linux; on this system there is none.
package ring
