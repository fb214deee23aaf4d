//go:build !windows

package fault

const denied = "permission is denied; choose a folder you may write to, or run as a user who may"

// native has nothing to add where all numbers are portable ones.
func native(error) Kind { return None }
