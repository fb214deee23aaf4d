package transfer

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"opengauge/core/load/fileset"
	"opengauge/core/record/session"
	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

// laid makes a set in a folder and gives what copies it elsewhere.
func laid(t testing.TB, set fileset.Set) *Folders {
	t.Helper()
	source := filepath.Join(t.TempDir(), "set")
	if err := Make(t.Context(), source, set, nil); err != nil {
		t.Fatal(err)
	}
	return NewFolders(source, filepath.Join(t.TempDir(), "copy"))
}

func TestACopyIsTheSame(t *testing.T) {
	for _, name := range fileset.Names() {
		set, err := fileset.New(name, 12*unit.MiB+777, 5)
		if err != nil {
			t.Fatal(err)
		}
		mover := laid(t, set)
		made, err := mover.Do(t.Context(), Copying, set, Options{Parallel: 2, Sample: 20 * time.Millisecond,
			Verify: true})
		if err != nil {
			t.Fatal(err)
		}
		again, err := fileset.FromFolder(mover.Made)
		if err != nil || again.Bytes() != set.Bytes() || len(again.Entries) != len(set.Entries) {
			t.Errorf("%s: the copy has %d files of %d bytes, %v", name, len(again.Entries), again.Bytes(), err)
		}
		sum := unit.Bytes(0)
		for _, sample := range made.Samples {
			sum += sample.Bytes
		}
		if made.Verified != len(set.Entries) || made.Differing != 0 || made.Bytes != set.Bytes() ||
			sum != made.Bytes || made.ElapsedSeconds <= 0 {
			t.Errorf("%s: %d verified, %d differ, %d bytes, samples of %d", name, made.Verified, made.Differing,
				made.Bytes, sum)
		}
		if err := mover.Clean(); err != nil {
			t.Error(err)
		}
		if left, _ := os.ReadDir(filepath.Dir(mover.Made)); len(left) != 0 {
			t.Errorf("%s: left behind: %v", name, left)
		}
		if after, err := fileset.FromFolder(mover.Source); err != nil || after.Bytes() != set.Bytes() {
			t.Errorf("%s: the source was changed", name)
		}
	}
}

func TestVerifyFindsWhatDiffers(t *testing.T) {
	set, _ := fileset.New("small-files", unit.MiB, 5)
	mover := laid(t, set)
	made, err := mover.Do(t.Context(), Copying, set, Options{Parallel: 1, Sample: time.Second})
	if err != nil {
		t.Fatal(err)
	}
	damaged := filepath.Join(mover.Made, filepath.FromSlash(set.Entries[3].Path))
	content, _ := os.ReadFile(damaged)
	content[len(content)/2] ^= 1
	if err := os.WriteFile(damaged, content, 0o644); err != nil {
		t.Fatal(err)
	}
	w, seen := &work{Folders: mover, set: set}, session.Copy{}
	if err := w.verify(t.Context(), &seen); seen.Verified != made.Files || seen.Differing != 1 || err != nil {
		t.Errorf("%d checked, %d differ, %v", seen.Verified, seen.Differing, err)
	}
	if seen.VerifiedFromCache == direct.Forgets {
		t.Errorf("read from the cache: %v", seen.VerifiedFromCache)
	}
}

// Files of every length come out as they went in, read by somebody else.
func TestCopiesAreWhatTheyCopied(t *testing.T) {
	source, chance := t.TempDir(), rand.NewChaCha8([32]byte{7})
	for i, size := range []int{0, 1, 511, 4096, 4097, 1 << 20, 1<<20 + 1, 32 << 20, 33<<20 + 777} {
		content := make([]byte, size)
		_, _ = chance.Read(content)
		if err := os.WriteFile(filepath.Join(source, fmt.Sprintf("file-%d", i)), content, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	set, err := fileset.FromFolder(source)
	if err != nil {
		t.Fatal(err)
	}
	mover := NewFolders(source, filepath.Join(t.TempDir(), "made"))
	made, err := mover.Do(t.Context(), Copying, set, Options{Parallel: 2, Sample: time.Second})
	if err != nil || made.Bytes != set.Bytes() || made.Files != len(set.Entries) {
		t.Fatalf("%+v, %v", made, err)
	}
	for _, entry := range set.Entries {
		want, _ := os.ReadFile(filepath.Join(source, entry.Path))
		got, err := os.ReadFile(filepath.Join(mover.Made, entry.Path))
		if err != nil || !bytes.Equal(got, want) || len(got) != int(entry.Size) {
			t.Errorf("%s of %d bytes is not what was copied: %d bytes, %v", entry.Path, entry.Size, len(got), err)
		}
	}
}

func TestEachEndAlone(t *testing.T) {
	set, _ := fileset.New("mixed-folder", 16*unit.MiB, 5)
	mover := laid(t, set)
	reads, err := mover.Do(t.Context(), Reading, set, Options{Parallel: 1, Sample: time.Second})
	if err != nil || reads.Bytes != set.Bytes() || reads.FlushSeconds != 0 {
		t.Errorf("%+v, %v", reads, err)
	}
	if _, err := os.Stat(mover.Made); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("reading alone made something: %v", err)
	}
	writes, err := mover.Do(t.Context(), Writing, set, Options{Parallel: 1, Sample: time.Second})
	if made, _ := fileset.FromFolder(mover.Made); err != nil || writes.Bytes != set.Bytes() ||
		made.Bytes() != set.Bytes() {
		t.Errorf("%+v, %v", writes, err)
	}
}

func TestWhatGoesWrong(t *testing.T) {
	set, _ := fileset.New("small-files", unit.MiB, 5)
	t.Run("a source that changed", func(t *testing.T) {
		mover := laid(t, set)
		if err := os.WriteFile(filepath.Join(mover.Source, filepath.FromSlash(set.Entries[5].Path)),
			[]byte("shorter"), 0o644); err != nil {
			t.Fatal(err)
		}
		made, err := mover.Do(t.Context(), Copying, set, Options{Parallel: 1, Sample: time.Second})
		if !errors.Is(err, ErrChanged) || !made.CutShort || made.Files != 5 ||
			!strings.Contains(made.Failure, "when nobody writes to it") {
			t.Errorf("%d files, %v", made.Files, err)
		}
	})
	t.Run("a file that is gone", func(t *testing.T) {
		mover := laid(t, set)
		if err := os.Remove(filepath.Join(mover.Source, filepath.FromSlash(set.Entries[5].Path))); err != nil {
			t.Fatal(err)
		}
		if _, err := mover.Do(t.Context(), Copying, set, Options{Parallel: 1, Sample: time.Second}); err == nil ||
			!strings.Contains(err.Error(), "the source does not open "+set.Entries[5].Path) {
			t.Errorf("%v", err)
		}
	})
	t.Run("a name that the destination refuses", func(t *testing.T) {
		long := fileset.Set{Name: "long", Entries: []fileset.Entry{{Path: strings.Repeat("x", 300), Size: 10}}}
		mover := NewFolders(t.TempDir(), filepath.Join(t.TempDir(), "copy"))
		if _, err := mover.Do(t.Context(), Writing, long, Options{Parallel: 1, Sample: time.Second}); err == nil ||
			!strings.Contains(err.Error(), "the destination does not take x") ||
			!strings.Contains(err.Error(), "too long") {
			t.Errorf("%v", err)
		}
	})
	t.Run("no folder", func(t *testing.T) {
		mover := NewFolders(t.TempDir(), filepath.Join(t.TempDir(), "file", "copy"))
		if err := os.WriteFile(filepath.Dir(mover.Made), nil, 0o644); err != nil {
			t.Fatal(err)
		}
		if _, err := mover.Do(t.Context(), Writing, set, Options{Parallel: 1, Sample: time.Second}); err == nil {
			t.Error("writing into a file is no error")
		}
	})
	t.Run("interrupted", func(t *testing.T) {
		mover := laid(t, set)
		ctx, cancel := context.WithCancel(t.Context())
		cancel()
		if made, err := mover.Do(ctx, Copying, set, Options{Parallel: 1, Sample: time.Second}); !errors.Is(err,
			context.Canceled) || !made.CutShort {
			t.Errorf("%+v, %v", made, err)
		}
	})
}
