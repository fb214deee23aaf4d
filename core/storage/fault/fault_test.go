package fault

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"syscall"
	"testing"
)

func TestFaultsByTheirErrors(t *testing.T) {
	_, absent := os.Open(filepath.Join(t.TempDir(), "nothing"))
	for _, c := range []struct {
		err  error
		want Kind
	}{
		{nil, None}, {errors.New("something"), None}, {absent, Absent},
		{&os.PathError{Op: "write", Path: "x", Err: syscall.ENOSPC}, Full},
		{fmt.Errorf("a quota: %w", syscall.EDQUOT), Full}, {syscall.EROFS, ReadOnly}, {syscall.EACCES, Denied},
		{syscall.EPERM, Denied}, {syscall.ENXIO, Gone}, {syscall.ENODEV, Gone}, {syscall.EBUSY, Busy}, {syscall.EIO, Failed},
		{syscall.EEXIST, Exists}, {syscall.EINVAL, Invalid},
	} {
		if got := Of(c.err); got != c.want {
			t.Errorf("%v is %q, want %q", c.err, got, c.want)
		}
	}
}

// What people can mend they are told how to; of the rest nothing is made up.
func TestAdvice(t *testing.T) {
	for _, kind := range []Kind{Absent, Full, Gone, ReadOnly, Denied, Busy, Exists} {
		if Advice(kind) == "" {
			t.Errorf("nothing is said about %q", kind)
		}
	}
	for _, kind := range []Kind{None, Failed, Invalid} {
		if advice := Advice(kind); advice != "" {
			t.Errorf("about %q it says %q", kind, advice)
		}
	}
}

// Each kind that people can mend has a number on Windows, and no number has two.
func TestNumbersOfWindows(t *testing.T) {
	seen, kinds := map[uint32]string{}, map[Kind]bool{}
	for _, each := range OfWindows {
		if other, twice := seen[each.Value]; twice {
			t.Errorf("%d is both %s and %s", each.Value, other, each.Name)
		}
		seen[each.Value], kinds[each.Kind] = each.Name, true
		if got := ofWindows(each.Value); got != each.Kind {
			t.Errorf("%s is %q", each.Name, got)
		}
	}
	for _, kind := range []Kind{Absent, Full, Gone, ReadOnly, Denied, Busy, Exists, Failed, Invalid} {
		if !kinds[kind] {
			t.Errorf("Windows has no number for %q", kind)
		}
	}
	if got := ofWindows(433); got != Gone {
		t.Errorf("a device that is no more is %q", got)
	}
	if got := ofWindows(997); got != None {
		t.Errorf("an operation that is under way is %q", got)
	}
}
