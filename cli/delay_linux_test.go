package cli_test

import (
	"encoding/binary"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"golang.org/x/sys/unix"

	"opengauge/core/record/session"
	"opengauge/core/stat"
)

// slowFile is a file that the kernel has served by this test (FUSE,
// linux/fuse.h, protocol 7.31): every read is answered after a known delay.
type slowFile struct {
	device *os.File
	size   uint64
	delay  time.Duration

	mutex sync.Mutex
	// held and handed are how long after its arrival each read was answered, and
	// was in the kernel's hands again, in seconds.
	held, handed []float64
}

// Operations of the protocol, and the sizes of its headers.
const (
	fuseForget, fuseGetAttributes, fuseOpen, fuseRead = 2, 3, 14, 15
	fuseStatistics, fuseRelease, fuseFlush, fuseInit  = 17, 18, 25, 26

	fuseRequestHeader = 40
	fuseAnswerHeader  = 16
	fuseAsyncRead     = 1<<0 | 1<<15 // and of direct I/O
	fuseOpenDirect    = 1
	regularFile       = 0o100600
)

// newSlowFile mounts the file and gives its path.
func newSlowFile(t *testing.T, size uint64, delay time.Duration) (*slowFile, string) {
	t.Helper()
	device, err := unix.Open("/dev/fuse", unix.O_RDWR|unix.O_CLOEXEC, 0)
	if err != nil {
		t.Skip("a file cannot be served here: ", err)
	}
	f := &slowFile{device: os.NewFile(uintptr(device), "/dev/fuse"), size: size, delay: delay}
	path := filepath.Join(t.TempDir(), "slow")
	if err := os.WriteFile(path, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	options := fmt.Sprintf("fd=%d,rootmode=100600,user_id=0,group_id=0", device)
	if err := unix.Mount("opengauge-test", path, "fuse", unix.MS_NOSUID|unix.MS_NODEV, options); err != nil {
		_ = f.device.Close()
		t.Skip("mounting needs root: ", err)
	}
	t.Cleanup(func() {
		_ = unix.Unmount(path, unix.MNT_DETACH)
		_ = f.device.Close()
	})
	go f.serve()
	return f, path
}

func (f *slowFile) serve() {
	for {
		request := make([]byte, 256<<10) // more than the largest write
		length, err := unix.Read(int(f.device.Fd()), request)
		if err == unix.EINTR {
			continue
		}
		if err != nil { // the end of the mount; closing fails whoever still waits
			_ = f.device.Close()
			return
		}
		go f.answer(request[:length], time.Now())
	}
}

func (f *slowFile) answer(request []byte, arrived time.Time) {
	operation := binary.LittleEndian.Uint32(request[4:])
	var failure unix.Errno
	var body []byte
	switch operation {
	case fuseForget:
		return
	case fuseInit:
		body = make([]byte, 64)
		for i, value := range []uint32{7, 31, 1 << 20, fuseAsyncRead} {
			binary.LittleEndian.PutUint32(body[4*i:], value)
		}
		binary.LittleEndian.PutUint32(body[16:], 64|64<<16) // requests in the background
		binary.LittleEndian.PutUint32(body[20:], 128<<10)   // largest write
		binary.LittleEndian.PutUint32(body[24:], 1)         // time in nanoseconds
	case fuseGetAttributes:
		body = make([]byte, 104)
		binary.LittleEndian.PutUint64(body, 3600)
		attributes := body[16:]
		binary.LittleEndian.PutUint64(attributes, 1)
		binary.LittleEndian.PutUint64(attributes[8:], f.size)
		binary.LittleEndian.PutUint32(attributes[60:], regularFile)
		binary.LittleEndian.PutUint32(attributes[64:], 1)
		binary.LittleEndian.PutUint32(attributes[80:], 4096)
	case fuseOpen:
		body = make([]byte, 16)
		binary.LittleEndian.PutUint32(body[8:], fuseOpenDirect)
	case fuseRead:
		body = make([]byte, binary.LittleEndian.Uint32(request[fuseRequestHeader+16:]))
		time.Sleep(f.delay - time.Since(arrived))
	case fuseStatistics:
		body = make([]byte, 80)
	case fuseFlush, fuseRelease:
	default:
		failure = unix.ENOSYS
	}
	answer := make([]byte, fuseAnswerHeader, fuseAnswerHeader+len(body))
	binary.LittleEndian.PutUint32(answer, uint32(fuseAnswerHeader+len(body)))
	binary.LittleEndian.PutUint32(answer[4:], uint32(-int32(failure)))
	copy(answer[8:16], request[8:16])
	held := time.Since(arrived).Seconds()
	_, _ = unix.Write(int(f.device.Fd()), append(answer, body...))
	if operation == fuseRead {
		f.mutex.Lock()
		f.held, f.handed = append(f.held, held), append(f.handed, time.Since(arrived).Seconds())
		f.mutex.Unlock()
	}
}

// delays are the medians of how long reads were held, and of when they were in
// the kernel's hands again: the delay is between them.
func (f *slowFile) delays() (least, most float64) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	return stat.Median(f.held), stat.Median(f.handed)
}

func TestAKnownDelayIsSeen(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		delay time.Duration
		depth int
	}{{2 * time.Millisecond, 1}, {20 * time.Millisecond, 1}, {20 * time.Millisecond, 8}} {
		t.Run(fmt.Sprintf("%s at depth %d", c.delay, c.depth), func(t *testing.T) {
			plan := planFile(t, fmt.Sprintf("{operation: read, access: random, block: 4KiB, depth: %d, hold: 2s}",
				c.depth))
			onQuietMachine(t, func() (faults []string) {
				slow, path := newSlowFile(t, 64<<20, c.delay)
				s := decode[session.Session](t, newProgramDesk(t).must("measure", path, "--plan", plan, "--json"))
				pass := s.Passes[0]
				least, most := slow.delays()
				if least < c.delay.Seconds() || !pass.Direct {
					t.Fatalf("reads were held for %v s, direct I/O %v", least, pass.Direct)
				}
				const share, kernel = 0.02, 50e-6
				if p50 := pass.Latency.P50; p50 < least*(1-share)-kernel || p50 > most*(1+share)+kernel {
					faults = append(faults, fmt.Sprintf("p50 is %.3f ms, the delay from %.3f to %.3f ms", p50*1e3,
						least*1e3, most*1e3))
				}
				if rate := float64(c.depth) / least; pass.IOPS > 1.01*rate {
					faults = append(faults, fmt.Sprintf("%.0f IOPS, more than the %.0f that Little's law allows",
						pass.IOPS, rate))
				}
				return faults
			})
		})
	}
}
