//go:build !arm

package witness

import (
	"bytes"
	"context"
	"os"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/hanwen/go-fuse/v2/fs"
	"github.com/hanwen/go-fuse/v2/fuse"
)

// Slow is a file system of one folder, whose files answer each read and write after a
// while, and count how many of them are under way at once.
type Slow struct {
	// Folder is where it is mounted.
	Folder string
	// Delay is how long each operation takes.
	Delay time.Duration

	mutex                  sync.Mutex
	failing                syscall.Errno
	files                  []*slowFile
	underWay, peak         int
	reads, writes, flushes int
}

// Mount mounts it until the test ends.
func Mount(tb testing.TB, delay time.Duration) *Slow {
	tb.Helper()
	if os.Getuid() != 0 {
		tb.Skip("mounting a file system of the test's own needs root")
	}
	if _, err := os.Stat("/dev/fuse"); err != nil {
		tb.Skip("there is no /dev/fuse here")
	}
	s := &Slow{Folder: tb.TempDir(), Delay: delay}
	server, err := fs.Mount(s.Folder, &slowFolder{of: s}, &fs.Options{MountOptions: fuse.MountOptions{
		DirectMount: true, DisableXAttrs: true, MaxBackground: 256, MaxWrite: 1 << 20,
	}})
	if err != nil {
		tb.Skip("mounting a file system of the test's own: ", err)
	}
	tb.Cleanup(func() {
		if err := server.Unmount(); err != nil {
			_ = syscall.Unmount(s.Folder, syscall.MNT_DETACH)
		}
	})
	return s
}

// Peak is the greatest number of reads and writes that were under way at once since it
// was last asked, and how many there were.
func (s *Slow) Peak() (peak, operations int) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	peak, operations = s.peak, s.reads+s.writes
	s.peak, s.reads, s.writes = 0, 0, 0
	return peak, operations
}

// Flushes is how many flushes there were.
func (s *Slow) Flushes() int {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	return s.flushes
}

// Hold lets each operation take that long from now on.
func (s *Slow) Hold(each time.Duration) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.Delay = each
}

// Fail lets all reads and writes fail from now on, or with 0 none.
func (s *Slow) Fail(with syscall.Errno) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.failing = with
}

// Contents is what the first file holds.
func (s *Slow) Contents() []byte {
	s.mutex.Lock()
	file := s.files[0]
	s.mutex.Unlock()
	file.mutex.RLock()
	defer file.mutex.RUnlock()
	return bytes.Clone(file.bytes)
}

// serve lets an operation take its time, and says how it fails.
func (s *Slow) serve(count *int) syscall.Errno {
	s.mutex.Lock()
	*count++
	s.underWay++
	s.peak = max(s.peak, s.underWay)
	delay := s.Delay
	s.mutex.Unlock()
	time.Sleep(delay)
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.underWay--
	return s.failing
}

// slowFolder is the folder, and slowFile a file in it.
type slowFolder struct {
	fs.Inode
	of *Slow
}

var (
	_ fs.NodeCreater   = (*slowFolder)(nil)
	_ fs.NodeUnlinker  = (*slowFolder)(nil)
	_ fs.NodeStatfser  = (*slowFolder)(nil)
	_ fs.NodeOpener    = (*slowFile)(nil)
	_ fs.NodeReader    = (*slowFile)(nil)
	_ fs.NodeWriter    = (*slowFile)(nil)
	_ fs.NodeFsyncer   = (*slowFile)(nil)
	_ fs.NodeGetattrer = (*slowFile)(nil)
	_ fs.NodeSetattrer = (*slowFile)(nil)
)

func (f *slowFolder) Create(ctx context.Context, name string, _ uint32, mode uint32, out *fuse.EntryOut) (*fs.Inode,
	fs.FileHandle, uint32, syscall.Errno) {
	file := &slowFile{of: f.of}
	f.of.mutex.Lock()
	f.of.files = append(f.of.files, file)
	f.of.mutex.Unlock()
	child := f.NewInode(ctx, file, fs.StableAttr{Mode: syscall.S_IFREG | mode&0o777})
	f.AddChild(name, child, true)
	out.Mode = syscall.S_IFREG | mode&0o777
	return child, nil, fuse.FOPEN_DIRECT_IO | fuse.FOPEN_PARALLEL_DIRECT_WRITES, 0
}

func (f *slowFolder) Unlink(context.Context, string) syscall.Errno { return 0 }

func (f *slowFolder) Statfs(_ context.Context, out *fuse.StatfsOut) syscall.Errno {
	out.Bsize, out.Frsize = 4096, 4096
	out.Blocks, out.Bfree, out.Bavail = 1<<20, 1<<20, 1<<20
	return 0
}

type slowFile struct {
	fs.Inode
	of *Slow

	mutex sync.RWMutex
	bytes []byte
}

func (f *slowFile) Open(context.Context, uint32) (fs.FileHandle, uint32, syscall.Errno) {
	return nil, fuse.FOPEN_DIRECT_IO | fuse.FOPEN_PARALLEL_DIRECT_WRITES, 0
}

func (f *slowFile) Read(_ context.Context, _ fs.FileHandle, into []byte, offset int64) (fuse.ReadResult,
	syscall.Errno) {
	if failed := f.of.serve(&f.of.reads); failed != 0 {
		return nil, failed
	}
	f.mutex.RLock()
	defer f.mutex.RUnlock()
	if offset >= int64(len(f.bytes)) {
		return fuse.ReadResultData(nil), 0
	}
	return fuse.ReadResultData(into[:copy(into, f.bytes[offset:])]), 0
}

func (f *slowFile) Write(_ context.Context, _ fs.FileHandle, from []byte, offset int64) (uint32, syscall.Errno) {
	if failed := f.of.serve(&f.of.writes); failed != 0 {
		return 0, failed
	}
	f.mutex.Lock()
	defer f.mutex.Unlock()
	f.grow(offset + int64(len(from)))
	return uint32(copy(f.bytes[offset:], from)), 0
}

// grow makes the file at least that long. The mutex is held.
func (f *slowFile) grow(length int64) {
	if more := length - int64(len(f.bytes)); more > 0 {
		f.bytes = append(f.bytes, make([]byte, more)...)
	}
}

func (f *slowFile) Fsync(context.Context, fs.FileHandle, uint32) syscall.Errno {
	f.of.mutex.Lock()
	defer f.of.mutex.Unlock()
	f.of.flushes++
	return 0
}

func (f *slowFile) Getattr(_ context.Context, _ fs.FileHandle, out *fuse.AttrOut) syscall.Errno {
	f.mutex.RLock()
	defer f.mutex.RUnlock()
	out.Mode, out.Size = syscall.S_IFREG|0o666, uint64(len(f.bytes))
	return 0
}

func (f *slowFile) Setattr(ctx context.Context, h fs.FileHandle, in *fuse.SetAttrIn, out *fuse.AttrOut) syscall.Errno {
	if size, ok := in.GetSize(); ok {
		f.mutex.Lock()
		f.bytes = f.bytes[:min(int64(len(f.bytes)), int64(size))]
		f.grow(int64(size))
		f.mutex.Unlock()
	}
	return f.Getattr(ctx, h, out)
}
