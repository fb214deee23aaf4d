package target

import (
	"os"
)

// claim needs nothing here: an open handle keeps others from removing the file.
func claim(*os.File) {}

// unclaimed says whether no living process uses a test file: one in use cannot
// be opened for writing by another.
func unclaimed(name string) bool {
	file, err := os.OpenFile(name, os.O_RDWR, 0)
	if err != nil {
		return false
	}
	return file.Close() == nil
}
