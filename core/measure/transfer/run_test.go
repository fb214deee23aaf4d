package transfer_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/load/fileset"
	"opengauge/core/measure/transfer"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// kept is a keeper that remembers what it was told.
type kept struct{ begun, finished, discarded int }

func (k *kept) Begin(*session.Session) error  { k.begun++; return nil }
func (k *kept) Finish(*session.Session) error { k.finished++; return nil }
func (k *kept) Discard(string) error          { k.discarded++; return nil }

func quiet(transfer.Step) {}

func folderEnd(path string) transfer.Endpoint {
	return transfer.Endpoint{End: session.End{Address: path, Kind: "folder", Path: path, Chain: link.NewChain()}}
}

func entriesOf(t *testing.T, folder string) []string {
	t.Helper()
	entries, err := os.ReadDir(folder)
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, entry := range entries {
		names = append(names, entry.Name())
	}
	return names
}

func TestAMatrixOfFoldersLeavesNothing(t *testing.T) {
	var ends []transfer.Endpoint
	for range 3 {
		ends = append(ends, folderEnd(t.TempDir()))
	}
	set, _ := fileset.New("mixed-folder", 8*unit.MiB, 1)
	var pairs [][2]int
	for from := range 3 {
		for to := range 3 {
			if from != to {
				pairs = append(pairs, [2]int{from, to})
			}
		}
	}
	s, err := transfer.Run(t.Context(), transfer.Request{ID: "k3", Ends: ends, Pairs: pairs, Sets: []fileset.Set{set},
		Repeat: 2, Parallel: 1, Alone: true, Sample: time.Second}, &kept{}, quiet)
	if err != nil || len(s.Copies) != 3+3+12 {
		t.Fatalf("%d copies, %v", len(s.Copies), err)
	}
	for i, c := range s.Copies {
		if c.Index != i || c.Bytes != set.Bytes() || c.CutShort {
			t.Errorf("copy %d is %+v", i, c)
		}
	}
	for _, end := range ends {
		if left := entriesOf(t, end.Path); len(left) != 0 {
			t.Errorf("left behind: %v", left)
		}
	}
}

func TestOwnFolderIsCopiedKeptAndNeverChanged(t *testing.T) {
	source, destination := t.TempDir(), t.TempDir()
	if err := os.WriteFile(filepath.Join(source, "a"), []byte("tide"), 0o640); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink("a", filepath.Join(source, "link")); err != nil {
		t.Skip("no symbolic links here")
	}
	inside := filepath.Join(source, "inside")
	if err := os.Mkdir(inside, 0o755); err != nil {
		t.Fatal(err)
	}
	set, err := fileset.FromFolder(source)
	if err != nil {
		t.Fatal(err)
	}
	for to, notes := range map[string]string{destination: "left out: link: a symbolic link",
		inside: "is inside the source"} {
		s, err := transfer.Run(t.Context(), transfer.Request{
			ID: "k3", Ends: []transfer.Endpoint{folderEnd(source), folderEnd(to)}, Pairs: [][2]int{{0, 1}},
			Sets: []fileset.Set{set}, Own: source, Repeat: 2, Parallel: 1, Verify: true, Keep: true,
			Sample: time.Second,
		}, &kept{}, quiet)
		if err != nil || len(s.Copies) != 2 || s.Copies[1].Verified != 1 {
			t.Fatalf("%+v, %v", s.Copies, err)
		}
		if !slices.ContainsFunc(s.Events, func(e session.Event) bool { return strings.Contains(e.Detail, notes) }) {
			t.Errorf("%q is not said: %+v", notes, s.Events)
		}
		left := entriesOf(t, to)
		if len(left) != 1 || !strings.HasPrefix(left[0], "opengauge-"+transfer.Copies+"-") ||
			strings.HasSuffix(left[0], ".tmp") {
			t.Errorf("kept are %v", left)
		}
	}
	if content, err := os.ReadFile(filepath.Join(source, "a")); err != nil || string(content) != "tide" {
		t.Errorf("the source is %q, %v", content, err)
	}
}

func TestWhatIsMeasuredIsKeptWhenACopyFails(t *testing.T) {
	source, destination := t.TempDir(), t.TempDir()
	for _, name := range []string{"a", "b"} {
		if err := os.WriteFile(filepath.Join(source, name), make([]byte, 1000), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	set, _ := fileset.FromFolder(source)
	if err := os.WriteFile(filepath.Join(source, "b"), make([]byte, 500), 0o644); err != nil {
		t.Fatal(err)
	}
	s, err := transfer.Run(t.Context(), transfer.Request{
		ID: "k3", Ends: []transfer.Endpoint{folderEnd(source), folderEnd(destination)}, Pairs: [][2]int{{0, 1}},
		Sets: []fileset.Set{set}, Own: source, Repeat: 1, Parallel: 1, Sample: time.Second,
	}, &kept{}, quiet)
	if !errors.Is(err, transfer.ErrChanged) || s.State != session.Failed || len(s.Copies) != 1 ||
		!s.Copies[0].CutShort || s.Copies[0].Files != 1 {
		t.Errorf("%+v, %v", s, err)
	}
	if left := entriesOf(t, destination); len(left) != 0 {
		t.Errorf("left behind: %v", left)
	}
}

func TestNoRoomIsSaidBeforehand(t *testing.T) {
	set, _ := fileset.New("large-file", 90*unit.TiB, 1)
	keeper := &kept{}
	_, err := transfer.Run(context.Background(), transfer.Request{
		ID: "k3", Ends: []transfer.Endpoint{folderEnd(t.TempDir()), folderEnd(t.TempDir())}, Pairs: [][2]int{{0, 1}},
		Sets: []fileset.Set{set}, Repeat: 1, Parallel: 1, Sample: time.Second,
	}, keeper, quiet)
	if err == nil || !strings.Contains(err.Error(), "choose a smaller --size") || keeper.begun != 0 {
		t.Errorf("%v, %+v", err, keeper)
	}
}
