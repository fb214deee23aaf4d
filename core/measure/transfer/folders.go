package transfer

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"opengauge/core/load/fileset"
	"opengauge/core/record/session"
	"opengauge/core/storage/direct"
	"opengauge/core/storage/payload"
	"opengauge/core/storage/scratch"
	"opengauge/core/unit"
)

const (
	// block is how much of a large file is moved at a time, and window how many
	// blocks of it are under way at once: as much as systems read ahead.
	block  = unit.MiB
	window = 8
	// largeFrom is the size from which on a file goes past the system's cache,
	// several blocks at a time. Smaller ones go through it, a block at a time, and
	// their writing begins at once.
	largeFrom = 32 * block
)

// Folders copies between two folders of this machine. Its copies are in a folder of their own at the
// destination, Made, which [Folders.Clean] removes.
type Folders struct {
	// Source is the folder that the set's paths are in, and Made where copies go.
	Source, Made string
	began        time.Time
}

// NewFolders prepares to copy from a folder into a new one.
func NewFolders(source, made string) *Folders {
	return &Folders{Source: source, Made: made, began: time.Now()}
}

// Now is the time since the ends were opened.
func (f *Folders) Now() time.Duration { return time.Since(f.began) }

// Clean removes the copies at the destination.
func (f *Folders) Clean() error {
	if err := scratch.RemoveAll(f.Made); err != nil {
		return fmt.Errorf("what was copied could not be removed, remove it by hand: %w", err)
	}
	return nil
}

// work is a piece of work under way.
type work struct {
	*Folders
	kind    Work
	set     fileset.Set
	options Options
	bytes   atomic.Int64
	count   atomic.Int64
	// cached is set once a large file could not go past the cache.
	cached  atomic.Bool
	mutex   sync.Mutex
	times   []time.Duration
	buffers sync.Pool
}

// Do does a piece of work.
func (f *Folders) Do(ctx context.Context, kind Work, set fileset.Set, options Options) (session.Copy, error) {
	w := &work{Folders: f, kind: kind, set: set, options: options}
	w.buffers.New = func() any { buffer := direct.Buffer(int(block)); return &buffer }
	m := newMeter(kind, set, options)
	if kind != Reading {
		if err := w.makeFolders(); err != nil {
			return m.made, err
		}
	}
	if kind != Writing {
		m.made.Dropped = w.dropSource()
	} else {
		payload.Compressible(0) // making it ready is no work of the destination's
	}
	began := time.Now()
	err := w.reportSamples(ctx, m, began)
	elapsed := time.Since(began)
	flush := time.Duration(0)
	if kind != Reading && err == nil {
		err = direct.FlushFolder(f.Made)
		flush = time.Since(began) - elapsed
		elapsed += flush
	}
	made := m.finish(elapsed, flush, unit.Bytes(w.bytes.Load()), w.times)
	made.Direct = !w.cached.Load()
	if err == nil {
		err = ctx.Err()
	}
	if err == nil && options.Verify && kind == Copying {
		err = w.verify(ctx, &made)
	}
	if err != nil {
		made.CutShort = true
		made.Failure = err.Error()
	}
	return made, err
}

// makeFolders makes the folders of the copy beforehand, so that files find theirs.
func (w *work) makeFolders() error {
	if err := scratch.RemoveAll(w.Made); err != nil {
		return fmt.Errorf("could not make room for the copy: %w", err)
	}
	made := map[string]bool{}
	for _, entry := range w.set.Entries {
		folder := filepath.Join(w.Made, filepath.Dir(filepath.FromSlash(entry.Path)))
		if made[folder] {
			continue
		}
		if err := os.MkdirAll(folder, 0o755); err != nil {
			return fmt.Errorf("the destination does not take the folder of %s: %w", entry.Path, err)
		}
		made[folder] = true
	}
	return nil
}

// reportSamples moves all files, while samples are taken beside it.
func (w *work) reportSamples(ctx context.Context, m *meter, began time.Time) error {
	stop := make(chan struct{})
	stopped := make(chan struct{})
	go func() {
		defer close(stopped)
		ticker := time.NewTicker(w.options.Sample)
		defer ticker.Stop()
		for {
			select {
			case <-stop:
				return
			case <-ticker.C:
				m.sample(time.Since(began), unit.Bytes(w.bytes.Load()), int(w.count.Load()))
			}
		}
	}()
	err := w.moveAll(ctx)
	close(stop)
	<-stopped
	return err
}

// moveAll moves the files one after the other, or so many at once.
func (w *work) moveAll(ctx context.Context) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var next atomic.Int64
	var group sync.WaitGroup
	for range max(w.options.Parallel, 1) {
		group.Go(func() {
			for ctx.Err() == nil {
				number := int(next.Add(1)) - 1
				if number >= len(w.set.Entries) {
					return
				}
				began := time.Now()
				if err := w.move(ctx, number); err != nil {
					cancel(err)
					return
				}
				w.count.Add(1)
				w.mutex.Lock()
				w.times = append(w.times, time.Since(began))
				w.mutex.Unlock()
			}
		})
	}
	group.Wait()
	return context.Cause(ctx)
}

// move moves one file.
func (w *work) move(ctx context.Context, number int) (err error) {
	entry := w.set.Entries[number]
	// Where the cache cannot be emptied, small files have to pass it as well.
	large := entry.Size >= largeFrom || entry.Size > 0 && !direct.Forgets
	var from, to *os.File
	if w.kind != Writing {
		if from, err = w.open(entry, large); err != nil {
			return err
		}
		defer from.Close()
	}
	if w.kind != Reading {
		if to, err = w.create(entry, large); err != nil {
			return err
		}
		defer func() {
			if closed := to.Close(); err == nil && closed != nil {
				err = fmt.Errorf("writing %s: %w", entry.Path, closed)
			}
		}()
	}
	if large {
		err = w.moveBlocks(ctx, entry, from, to)
	} else {
		err = w.moveInOrder(entry, from, to)
	}
	if err == nil && from != nil {
		err = checkUnchanged(from, entry)
	}
	return err
}

// checkUnchanged reports an error unless a file still is as the set says.
func checkUnchanged(from *os.File, entry fileset.Entry) error {
	info, err := from.Stat()
	if err == nil && unit.Bytes(info.Size()) != entry.Size {
		err = fmt.Errorf("%s: %w: it had %d bytes and has %d; copy when nobody writes to it", entry.Path, ErrChanged,
			entry.Size, info.Size())
	}
	return err
}

func (w *work) open(entry fileset.Entry, large bool) (*os.File, error) {
	path := filepath.Join(w.Source, filepath.FromSlash(entry.Path))
	if large {
		file, past, err := direct.Open(path)
		if err == nil && !past {
			w.cached.Store(true)
		}
		if err != nil {
			err = fmt.Errorf("the source does not open %s: %w", entry.Path, errors.Unwrap(err))
		}
		return file, err
	}
	file, err := os.Open(path)
	if err != nil {
		err = fmt.Errorf("the source does not open %s: %w", entry.Path, errors.Unwrap(err))
	}
	return file, err
}

func (w *work) create(entry fileset.Entry, large bool) (*os.File, error) {
	path := filepath.Join(w.Made, filepath.FromSlash(entry.Path))
	var file *os.File
	var err error
	past := true
	if large {
		file, past, err = direct.Create(path, 0o644)
	} else {
		file, err = os.OpenFile(path, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o644)
	}
	if err != nil {
		return nil, fmt.Errorf("the destination does not take %s: %w", entry.Path, errors.Unwrap(err))
	}
	if !past {
		w.cached.Store(true)
	}
	if large {
		if err := direct.Reserve(file, int64(entry.Size)); err != nil {
			_ = file.Close()
			return nil, fmt.Errorf("the destination has no room for %s: %w", entry.Path, err)
		}
	}
	return file, nil
}

// moveInOrder moves a small file through the system's cache, which begins to write
// it at once.
func (w *work) moveInOrder(entry fileset.Entry, from, to *os.File) error {
	for offset := int64(0); offset < int64(entry.Size) || entry.Size == 0; offset += int64(block) {
		held := w.buffers.Get().(*[]byte)
		buffer := *held
		length := int(min(int64(block), int64(entry.Size)-offset))
		err := move(chunk{entry.Path, buffer[:length], offset, length}, from, to)
		w.buffers.Put(held)
		if err != nil {
			return err
		}
		w.bytes.Add(int64(length))
		if entry.Size == 0 {
			break
		}
	}
	if to != nil {
		direct.BeginWriting(to)
	}
	return nil
}

// moveBlocks moves a large file, several blocks of it at once.
func (w *work) moveBlocks(ctx context.Context, entry fileset.Entry, from, to *os.File) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var next atomic.Int64
	var group sync.WaitGroup
	for range window {
		group.Go(func() {
			held := w.buffers.Get().(*[]byte)
			defer w.buffers.Put(held)
			buffer := *held
			for ctx.Err() == nil {
				offset := (next.Add(1) - 1) * int64(block)
				if offset >= int64(entry.Size) {
					return
				}
				length := int(min(int64(block), int64(entry.Size)-offset))
				// Direct I/O moves whole pages; the last one is cut off again.
				pages := direct.Up(length)
				if err := move(chunk{entry.Path, buffer[:pages], offset, length}, from, to); err != nil {
					cancel(err)
					return
				}
				w.bytes.Add(int64(length))
			}
		})
	}
	group.Wait()
	if err := context.Cause(ctx); err != nil {
		return err
	}
	if to != nil && entry.Size%direct.Align != 0 {
		return to.Truncate(int64(entry.Size))
	}
	return nil
}

// chunk is a stretch of a file, in a buffer that may be longer than it.
type chunk struct {
	path   string
	buffer []byte
	offset int64
	length int
}

// move reads a block, or takes data that cannot be compressed where there is no source,
// and writes it, where there is a destination.
func move(c chunk, from, to *os.File) error {
	if from != nil {
		read, err := direct.ReadAt(from, c.buffer, c.offset)
		if err != nil && !errors.Is(err, io.EOF) {
			return fmt.Errorf("reading %s at %d: %w", c.path, c.offset, errors.Unwrap(err))
		}
		if read < c.length {
			return fmt.Errorf("%s: %w: it ends at %d; copy when nobody writes to it", c.path, ErrChanged,
				c.offset+int64(read))
		}
	}
	if to == nil {
		return nil
	}
	data := c.buffer
	if from == nil {
		data = uncompressible(data)
	}
	if _, err := to.WriteAt(data, c.offset); err != nil {
		return fmt.Errorf("writing %s at %d: %w", c.path, c.offset, errors.Unwrap(err))
	}
	return nil
}

// uncompressible is as much data that cannot be compressed as the buffer holds. It is asked for only where
// data is made up: the first call prepares all of it, which takes a second that no copy should be charged with.
func uncompressible(buffer []byte) []byte {
	source := payload.Compressible(0)
	if source.Fits(len(buffer)) {
		return source.Next(len(buffer))
	}
	source.Fill(buffer)
	return buffer
}
