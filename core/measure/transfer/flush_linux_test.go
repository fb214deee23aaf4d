package transfer

import (
	"path/filepath"
	"testing"
	"time"

	"opengauge/core/load/fileset"
	"opengauge/core/unit"
	"opengauge/lab/witness"
)

// A copy is over when its destination has all of it, and was told to keep it, by the
// kernel's counters of the device.
func TestACopyIsFlushed(t *testing.T) {
	device := witness.Loop(t, 128*unit.MiB)
	folder := witness.MountExt4(t, device, "noatime")
	set, _ := fileset.New("small-files", 8*unit.MiB, 5)
	source := filepath.Join(t.TempDir(), "set")
	if err := Make(t.Context(), source, set, nil); err != nil {
		t.Fatal(err)
	}
	for _, kind := range []Work{Copying, Writing} {
		_, before := witness.Sectors(t, device)
		flushes := witness.Flushes(t, device)
		made, err := NewFolders(source, filepath.Join(folder, "made-"+string(kind))).Do(t.Context(), kind, set,
			Options{Parallel: 1, Sample: time.Second})
		if err != nil || made.FlushSeconds <= 0 {
			t.Fatalf("%+v, %v", made, err)
		}
		_, after := witness.Sectors(t, device)
		if written := after - before; written < set.Bytes() {
			t.Errorf("%s: %s of %s had been written to the device at its end", kind, written.Decimal(),
				set.Bytes().Decimal())
		}
		if witness.Flushes(t, device) == flushes {
			t.Errorf("%s: the device was not told to flush", kind)
		}
	}
}
