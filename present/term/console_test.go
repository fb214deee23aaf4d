package term

import (
	"strings"
	"testing"

	"opengauge/present/text"
)

// The first variable that says anything decides, and one that says nothing is no reason to
// leave letters out.
func TestLettersByTheEnvironment(t *testing.T) {
	for settings, ascii := range map[string]bool{
		"": false, "LANG=C": true, "LANG=POSIX": true, "LANG=C.UTF-8": false, "LANG=de_DE.utf8": false,
		"LANG=de_DE.ISO-8859-1": true, "LC_ALL=C LANG=C.UTF-8": true, "LC_ALL=C.UTF-8 LANG=C": false,
		"LC_CTYPE=C LANG=C.UTF-8": true, "OPENGAUGE_ASCII=1 LANG=C.UTF-8": true,
	} {
		values := map[string]string{}
		for _, setting := range strings.Fields(settings) {
			name, value, _ := strings.Cut(setting, "=")
			values[name] = value
		}
		if got := onlyASCII(func(name string) string { return values[name] }); got != ascii {
			t.Errorf("with %q only ASCII is %v", settings, got)
		}
	}
}

// A console that cannot be steered gets ASCII whatever its user says; what a writer was given
// is all taken.
func TestConsolesThatCannotBeSteered(t *testing.T) {
	t.Setenv("LANG", "C.UTF-8")
	t.Setenv("LC_ALL", "")
	t.Setenv("LC_CTYPE", "")
	var out strings.Builder
	n, err := letters(&out, false).Write([]byte("▲ 5 °C"))
	if n != len("▲ 5 °C") || err != nil || out.String() != "^ 5  C" {
		t.Errorf("it writes %q, %d, %v", out.String(), n, err)
	}
	out.Reset()
	if _, err := letters(&out, true).Write([]byte("▲")); err != nil || out.String() != "▲" {
		t.Errorf("one that can gets %q, %v", out.String(), err)
	}
}

// Sensors are told apart in ASCII too.
func TestSignsOfSensorsInASCII(t *testing.T) {
	seen := map[string]rune{}
	for _, sign := range sensorSigns + string(severalSign) {
		letter := text.ASCII(string(sign))
		if other, twice := seen[letter]; twice {
			t.Errorf("%q and %q are both %s", other, sign, letter)
		}
		seen[letter] = sign
	}
}
