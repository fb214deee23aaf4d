//go:build !linux

package target

// CheckMounted does nothing: on this system a place for a drive is there for as long as the drive is.
func CheckMounted(string) error { return nil }
