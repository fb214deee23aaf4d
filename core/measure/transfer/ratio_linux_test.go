package transfer

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"opengauge/core/load/fileset"
	"opengauge/core/stat"
	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

// BenchmarkAgainstTheSystemsCopy holds copies against the system's own copy command
// with a flush at the end, one after the other in the same run. More than 1 is
// faster. OPENGAUGE_COPY_IN says on which storage.
func BenchmarkAgainstTheSystemsCopy(b *testing.B) {
	root := os.Getenv("OPENGAUGE_COPY_IN")
	for _, c := range []struct {
		name string
		size unit.Bytes
	}{{"large-file", unit.GiB}, {"mixed-folder", 512 * unit.MiB}, {"small-files", 32 * unit.MiB}} {
		b.Run(c.name, func(b *testing.B) {
			set, err := fileset.New(c.name, c.size, 3)
			if err != nil {
				b.Fatal(err)
			}
			folder, err := os.MkdirTemp(root, "opengauge-ratio-")
			if err != nil {
				b.Fatal(err)
			}
			defer os.RemoveAll(folder)
			source := filepath.Join(folder, "set")
			if err := Make(b.Context(), source, set, nil); err != nil {
				b.Fatal(err)
			}
			mover := NewFolders(source, filepath.Join(folder, "copy"))
			var ratios []float64
			for range 5 {
				systems := systemsCopy(b, source, filepath.Join(folder, "systems"), set)
				made, err := mover.Do(b.Context(), Copying, set, Options{Parallel: 1, Sample: time.Second})
				if err != nil {
					b.Fatal(err)
				}
				ratios = append(ratios, systems.Seconds()/made.ElapsedSeconds)
				if err := mover.Clean(); err != nil {
					b.Fatal(err)
				}
			}
			b.ReportMetric(stat.Median(ratios), "of-the-system's-speed")
			b.ReportMetric(0, "ns/op")
		})
	}
}

// systemsCopy copies a folder with the system's command, from storage to storage.
func systemsCopy(b *testing.B, source, destination string, set fileset.Set) time.Duration {
	b.Helper()
	w := &work{Folders: &Folders{Source: source}, set: set}
	if !w.dropSource() {
		b.Fatal("the cache cannot be emptied")
	}
	began := time.Now()
	if out, err := exec.Command("cp", "-r", source, destination).CombinedOutput(); err != nil {
		b.Fatalf("%v: %s", err, out)
	}
	if err := direct.FlushFolder(destination); err != nil {
		b.Fatal(err)
	}
	took := time.Since(began)
	if err := os.RemoveAll(destination); err != nil {
		b.Fatal(err)
	}
	return took
}
