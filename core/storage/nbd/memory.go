package nbd

import (
	"fmt"
	"io"
	"os"
	"sync"
)

// Memory is a volume in memory.
type Memory struct {
	mutex sync.RWMutex
	bytes []byte
}

// NewMemory makes a volume of zeroes.
func NewMemory(size int64) *Memory { return &Memory{bytes: make([]byte, size)} }

// Size of the volume in bytes.
func (m *Memory) Size() int64 { return int64(len(m.bytes)) }

// ReadAt reads from an offset.
func (m *Memory) ReadAt(into []byte, offset int64) (int, error) {
	m.mutex.RLock()
	defer m.mutex.RUnlock()
	count := copy(into, m.bytes[offset:])
	if count < len(into) {
		return count, io.EOF
	}
	return count, nil
}

// WriteAt writes at an offset.
func (m *Memory) WriteAt(from []byte, offset int64) (int, error) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	return copy(m.bytes[offset:], from), nil
}

// Sync has nothing to do.
func (m *Memory) Sync() error { return nil }

// File is a volume in a file.
type File struct {
	*os.File
	size int64
}

// OpenFile opens a file as a volume; it is made of that size where it is not there.
func OpenFile(path string, size int64) (*File, error) {
	file, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, fmt.Errorf("could not open the volume's file: %w", err)
	}
	info, err := file.Stat()
	if err == nil && info.Size() == 0 {
		err = file.Truncate(size)
	} else if err == nil {
		size = info.Size()
	}
	if err != nil || size == 0 {
		_ = file.Close()
		return nil, fmt.Errorf("the volume's file %s cannot be used: %w", path, err)
	}
	return &File{file, size}, nil
}

// Size of the volume in bytes.
func (f *File) Size() int64 { return f.size }
