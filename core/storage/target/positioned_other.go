//go:build !linux

package target

import "os"

// readAt is one positioned read.
func readAt(file *os.File, _ int, buffer []byte, offset int64) (int, error) {
	return file.ReadAt(buffer, offset)
}

// writeAt is one positioned write, complete only on stable media if it is
// durable.
func writeAt(file *os.File, _ int, buffer []byte, offset int64, durable bool) (int, error) {
	moved, err := file.WriteAt(buffer, offset)
	if err == nil && durable {
		err = file.Sync()
	}
	return moved, err
}
