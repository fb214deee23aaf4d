package spool

import (
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// record makes a record of a text.
func record(t *testing.T, kind Kind, number int, text string) Record {
	t.Helper()
	made, err := New(kind, number, map[string]string{"text": text})
	if err != nil {
		t.Fatal(err)
	}
	return made
}

// abandoned is a spool of a program that died after it wrote these records.
func abandoned(t *testing.T, logbook, id string, records ...Record) string {
	t.Helper()
	f, err := Create(logbook, id)
	if err != nil {
		t.Fatal(err)
	}
	for _, each := range records {
		if err := f.Append(each); err != nil {
			t.Fatal(err)
		}
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	return f.Path()
}

func TestWhatADeadProgramLeftIsTakenIn(t *testing.T) {
	logbook := filepath.Join(t.TempDir(), "log*book[1].db")
	living, err := Create(logbook, "living")
	if err != nil {
		t.Fatal(err)
	}
	if err := living.Append(record(t, Begin, 0, "it lives")); err != nil {
		t.Fatal(err)
	}
	path := abandoned(t, logbook, "dead", record(t, Begin, 0, "began"), record(t, Pass, 0, "first"),
		record(t, Pass, 1, "second"))
	// Its last line was cut off.
	file, err := os.OpenFile(path, os.O_WRONLY|os.O_APPEND, 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := file.WriteString(`{"kind":"pass","number":2,"docu`); err != nil {
		t.Fatal(err)
	}
	_ = file.Close()
	// One died before it wrote anything, and one as it wrote the first line.
	for name, text := range map[string]string{"early": "", "torn": `{"format":"openga`} {
		if err := os.WriteFile(nameOf(logbook, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}

	// Another is so young that its program may be about to write to it.
	young := nameOf(logbook, "young")
	if err := os.WriteFile(young, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	old := time.Now().Add(-time.Minute)
	if err := os.Chtimes(nameOf(logbook, "early"), old, old); err != nil {
		t.Fatal(err)
	}
	busy := errors.New("the logbook is busy")
	if err := TakeIn(logbook, func(Waiting) error { return busy }); !errors.Is(err, busy) {
		t.Errorf("a busy logbook: %v", err)
	}
	var taken []Waiting
	if err := TakeIn(logbook, func(w Waiting) error { taken = append(taken, w); return nil }); err != nil {
		t.Fatal(err)
	}
	if len(taken) != 1 || taken[0].Session != "dead" || taken[0].Damaged != 0 || len(taken[0].Records) != 3 {
		t.Fatalf("taken in are %+v", taken)
	}
	for i, want := range []string{"began", "first", "second"} {
		var held map[string]string
		if err := json.Unmarshal(taken[0].Records[i].Document, &held); err != nil || held["text"] != want {
			t.Errorf("record %d is %v, %v", i, held, err)
		}
	}
	if taken[0].Records[2].Number != 1 || taken[0].Records[2].Kind != Pass {
		t.Errorf("the last record is %+v", taken[0].Records[2])
	}
	if left, _ := filepath.Glob(filepath.Join(filepath.Dir(logbook), "*spool*")); len(left) != 2 ||
		left[0] != living.Path() || left[1] != young {
		t.Errorf("left are %v", left)
	}
	if err := living.Remove(); err != nil {
		t.Error(err)
	}
}

// What is damaged is not taken in, and not thrown away.
func TestDamagedRecordsAreSetAside(t *testing.T) {
	logbook := filepath.Join(t.TempDir(), "logbook.db")
	path := abandoned(t, logbook, "dead", record(t, Begin, 0, "began"), record(t, Pass, 0, "first"),
		record(t, Pass, 1, "second"))
	text, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, []byte(strings.Replace(string(text), "first", "fjrst", 1)), 0o600); err != nil {
		t.Fatal(err)
	}
	var taken []Waiting
	err = TakeIn(logbook, func(w Waiting) error { taken = append(taken, w); return nil })
	if err == nil || !strings.Contains(err.Error(), "1 records of session dead are damaged") {
		t.Errorf("damage is told as %v", err)
	}
	if len(taken) != 1 || len(taken[0].Records) != 2 || taken[0].Records[1].Number != 1 {
		t.Errorf("taken in are %+v", taken)
	}
	if _, err := os.Stat(path + ".damaged"); err != nil {
		t.Error(err)
	}
	if err := TakeIn(logbook, func(Waiting) error { t.Error("it is taken in again"); return nil }); err != nil {
		t.Error(err)
	}
	other := nameOf(logbook, "other")
	if err := os.WriteFile(other, []byte("somebody's lines\nand more\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := TakeIn(logbook, nil); err == nil || !strings.Contains(err.Error(), "no spool") {
		t.Errorf("a file of somebody else: %v", err)
	}
	if _, err := os.Stat(other); err != nil {
		t.Error("a file of somebody else was removed")
	}
}

func FuzzRead(f *testing.F) {
	f.Add(`{"format":"opengauge-spool/1","session":"k3"}` + "\n" +
		`{"kind":"pass","number":1,"crc32c":547119830,"document":{"a":1}}` + "\n")
	f.Add(`{"format":"opengauge-spool/1"}` + "\n\n\nx\n")
	f.Add("")
	f.Fuzz(func(t *testing.T, text string) {
		waiting, err := read(strings.NewReader(text))
		if lines := strings.Count(text, "\n"); err == nil && len(waiting.Records)+waiting.Damaged > lines {
			t.Errorf("%d lines give %d records and %d damaged ones", lines, len(waiting.Records), waiting.Damaged)
		}
	})
}
