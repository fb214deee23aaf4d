package session

import (
	"strings"
	"testing"
)

func TestNewIDsDifferAndBeginWithALetter(t *testing.T) {
	seen := map[string]bool{}
	for range 10_000 {
		id := NewID()
		if len(id) != 10 || id[0] < 'a' || id[0] > 'z' || seen[id] {
			t.Fatalf("id %q is odd or came twice", id)
		}
		seen[id] = true
	}
}

func TestParseConditions(t *testing.T) {
	got, err := ParseConditions([]string{"fan=on", "cable-length=0.5 m", "note=a=b"})
	if err != nil || got["fan"] != "on" || got["cable-length"] != "0.5 m" || got["note"] != "a=b" {
		t.Errorf("got %v, %v", got, err)
	}
	for _, bad := range [][]string{{"fan"}, {"=on"}, {"Fan=on"}, {"fan="}, {"fan=on", "fan=off"}, {"9=x"},
		{"fan=\x1b[31m"}} {
		if got, err := ParseConditions(bad); err == nil {
			t.Errorf("%q gives %v, want an error", bad, got)
		}
	}
}

func TestCheckName(t *testing.T) {
	for _, good := range []string{"", "stick-fan", "Morgens, mit Lüfter"} {
		if err := CheckName(good); err != nil {
			t.Errorf("%q: %v", good, err)
		}
	}
	for _, bad := range []string{"latest", " x", "a\nb", "\x1b]0;x\x07", strings.Repeat("x", 81)} {
		if CheckName(bad) == nil {
			t.Errorf("%q is accepted", bad)
		}
	}
}

func TestSeverities(t *testing.T) {
	if !Fault.Reaches(Caution) || !Caution.Reaches(Caution) || Note.Reaches(Caution) {
		t.Error("severities are out of order")
	}
	if _, err := ParseSeverity("panic"); err == nil {
		t.Error("an unknown severity gives no error")
	}
}
