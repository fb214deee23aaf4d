//go:build !linux

package cli

// heldByKernel is not known on this system.
func heldByKernel() string { return "" }

// endHeld has nothing to end here.
func endHeld() {}
