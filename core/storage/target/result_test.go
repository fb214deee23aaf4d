package target

import (
	"errors"
	"fmt"
	"io"
	"syscall"
	"testing"
)

func TestResults(t *testing.T) {
	short := checkMoved(512, 4096, nil)
	var as *ShortError
	if !errors.As(short, &as) || as.Moved != 512 || short.Error() != "short result: 512 of 4096 bytes were moved" {
		t.Errorf("512 of 4096 bytes are %v", short)
	}
	if checkMoved(4096, 4096, nil) != nil || checkMoved(0, 4096, io.EOF) != io.EOF {
		t.Error("a whole result is an error, or an error is another one")
	}
	for err, want := range map[error]bool{syscall.EINTR: true, syscall.EAGAIN: true, syscall.EIO: false, io.EOF: false} {
		if IsTransient(fmt.Errorf("reading: %w", err)) != want {
			t.Errorf("%v is transient: %v", err, !want)
		}
	}
}
