package transfer

import (
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"

	"opengauge/core/load/fileset"
	"opengauge/core/storage/address"
	"opengauge/core/unit"
)

func TestEstimate(t *testing.T) {
	set, err := fileset.New("large-file", 10*unit.GB, 1)
	if err != nil {
		t.Fatal(err)
	}
	both := [][2]int{{0, 1}, {1, 0}}
	for name, each := range map[string]struct {
		request Request
		want    Estimate
	}{
		"once": {Request{Sets: []fileset.Set{set}, Pairs: both[:1], Repeat: 1}, Estimate{10e9, 10e9, 60 * time.Second}},
		"both": {Request{Sets: []fileset.Set{set}, Pairs: both, Repeat: 3}, Estimate{60e9, 20e9, 280 * time.Second}},
		"one's own": {Request{Sets: []fileset.Set{set}, Pairs: both[:1], Repeat: 1, Own: "x"},
			Estimate{10e9, 0, 40 * time.Second}},
		"nothing": {Request{}, Estimate{0, 0, time.Second}},
	} {
		each.request.Ends = make([]Endpoint, 2)
		if got := each.request.Estimate(); got != each.want {
			t.Errorf("%s: %+v, want %+v", name, got, each.want)
		}
	}
}

func TestWhatCanBeAnEnd(t *testing.T) {
	folder := t.TempDir()
	file := filepath.Join(folder, "film.bin")
	if err := os.WriteFile(file, []byte("x"), 0o600); err != nil {
		t.Fatal(err)
	}
	open := func(named, own string) (Endpoint, error) {
		end, stop, err := FolderEnd(named, own, nil)
		if stop != nil {
			stop()
		}
		return end, err
	}
	if end, err := open(folder, ""); err != nil || end.Path != folder || end.Kind != "folder" {
		t.Errorf("a folder is %+v, %v", end, err)
	}
	if end, err := open(file, file); err != nil || end.Path != folder {
		t.Errorf("the file that is copied is %+v, %v", end, err)
	}
	misused := address.Misused{}
	if _, err := open(file, ""); !errors.As(err, &misused) {
		t.Errorf("a file as an end gives %v", err)
	}
	if _, err := open(filepath.Join(folder, "none"), ""); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("what is not there gives %v", err)
	}
}
