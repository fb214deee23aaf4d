//go:build !arm

package witness

import (
	"context"
	"slices"
	"sync"
	"syscall"
	"time"

	"github.com/hanwen/go-fuse/v2/fs"
	"github.com/hanwen/go-fuse/v2/fuse"
)

// slowFiles serves the files of a [Slow] folder, in a process of its own.
type slowFiles struct {
	mutex                  sync.Mutex
	delay                  time.Duration
	failure                syscall.Errno
	files                  []*slowFile
	underWay, peak         int
	reads, writes, flushes int
	held                   []time.Duration // how long each operation took
	served, every, spoiled int
	spoil                  syscall.Errno
}

// mount serves the files at a folder until it is unmounted.
func (s *slowFiles) mount(folder string) (*fuse.Server, error) {
	return fs.Mount(folder, &slowFolder{of: s}, &fs.Options{MountOptions: fuse.MountOptions{
		DirectMount: true, DisableXAttrs: true, MaxBackground: 256, MaxWrite: 1 << 20,
	}})
}

// answer obeys a request of the test, and answers it.
func (s *slowFiles) answer(r slowRequest) slowAnswer {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	switch r.Verb {
	case "hold":
		s.delay = r.Delay
	case "spoil":
		s.every = r.Every
		s.spoil = r.Failure
	case "spoiled":
		answer := slowAnswer{Spoiled: s.spoiled}
		s.spoiled = 0
		return answer
	case "fail":
		s.failure = r.Failure
	case "peak":
		answer := slowAnswer{Peak: s.peak, Operations: s.reads + s.writes}
		s.peak = s.underWay
		s.reads = 0
		s.writes = 0
		return answer
	case "held":
		slices.Sort(s.held)
		answer := slowAnswer{}
		if len(s.held) > 0 {
			answer.Held = s.held[len(s.held)/2]
		}
		s.held = nil
		return answer
	case "flushes":
		return slowAnswer{Flushes: s.flushes}
	case "contents":
		file := s.files[0]
		file.mutex.RLock()
		defer file.mutex.RUnlock()
		return slowAnswer{Contents: file.bytes}
	}
	return slowAnswer{}
}

// serve lets an operation take its time, and returns how it fails, or 0, and whether it moves half of its data.
func (s *slowFiles) serve(count *int) (failure syscall.Errno, half bool) {
	s.mutex.Lock()
	*count++
	s.underWay++
	s.peak = max(s.peak, s.underWay)
	delay := s.delay
	s.mutex.Unlock()
	began := time.Now()
	time.Sleep(delay)
	s.mutex.Lock()
	defer s.mutex.Unlock()
	s.held = append(s.held, time.Since(began))
	s.underWay--
	if s.served++; s.every > 0 && s.served%s.every == 0 {
		s.spoiled++
		return s.spoil, s.spoil == 0
	}
	return s.failure, false
}

// slowFolder is the folder, and slowFile a file in it.
type slowFolder struct {
	fs.Inode
	of *slowFiles
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
	of *slowFiles

	mutex sync.RWMutex
	bytes []byte
}

func (f *slowFile) Open(context.Context, uint32) (fs.FileHandle, uint32, syscall.Errno) {
	return nil, fuse.FOPEN_DIRECT_IO | fuse.FOPEN_PARALLEL_DIRECT_WRITES, 0
}

func (f *slowFile) Read(_ context.Context, _ fs.FileHandle, into []byte, offset int64) (fuse.ReadResult,
	syscall.Errno) {
	failed, half := f.of.serve(&f.of.reads)
	if failed != 0 {
		return nil, failed
	}
	if half {
		into = into[:len(into)/2]
	}
	f.mutex.RLock()
	defer f.mutex.RUnlock()
	if offset >= int64(len(f.bytes)) {
		return fuse.ReadResultData(nil), 0
	}
	return fuse.ReadResultData(into[:copy(into, f.bytes[offset:])]), 0
}

func (f *slowFile) Write(_ context.Context, _ fs.FileHandle, from []byte, offset int64) (uint32, syscall.Errno) {
	failed, half := f.of.serve(&f.of.writes)
	if failed != 0 {
		return 0, failed
	}
	if half {
		from = from[:len(from)/2]
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
