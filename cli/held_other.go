//go:build !linux

package cli

// heldByKernel is not known on this system.
func heldByKernel() string { return "" }
