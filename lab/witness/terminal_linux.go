package witness

import (
	"fmt"
	"os"
	"testing"

	"golang.org/x/sys/unix"
)

// Terminal makes a pseudo-terminal: the master reads the slave's output, and the slave reads the
// keys typed at the master. Zero rows and columns stand for the system's default. The caller
// closes both.
func Terminal(tb testing.TB, rows, columns uint16) (master, slave *os.File) {
	tb.Helper()
	master, err := os.OpenFile("/dev/ptmx", os.O_RDWR, 0)
	if err != nil {
		tb.Skipf("there are no terminals here: %v", err)
	}
	number, err := unix.IoctlGetInt(int(master.Fd()), unix.TIOCGPTN)
	if err == nil {
		err = unix.IoctlSetPointerInt(int(master.Fd()), unix.TIOCSPTLCK, 0)
	}
	if err == nil && rows > 0 {
		err = unix.IoctlSetWinsize(int(master.Fd()), unix.TIOCSWINSZ, &unix.Winsize{Row: rows, Col: columns})
	}
	if err != nil {
		tb.Fatal(err)
	}
	slave, err = os.OpenFile(fmt.Sprintf("/dev/pts/%d", number), os.O_RDWR|unix.O_NOCTTY, 0)
	if err != nil {
		tb.Skipf("the terminal cannot be opened: %v", err)
	}
	return master, slave
}
