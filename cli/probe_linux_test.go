package cli_test

import (
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"opengauge/lab/witness"
)

// meterSaying returns the serial line of a meter that says lines over and over.
func meterSaying(t *testing.T, lines ...string) (device string) {
	t.Helper()
	meter, end := witness.Terminal(t, 24, 80)
	over := make(chan struct{})
	t.Cleanup(func() { close(over) })
	go func() {
		for i := 0; ; i++ {
			select {
			case <-over:
				return
			case <-time.After(100 * time.Millisecond):
			}
			if _, err := meter.WriteString(lines[i%len(lines)]); err != nil {
				return
			}
		}
	}()
	return end.Name()
}

// What an instrument says is shown with its time and unit, and what is refused with its reason.
func TestProbesAreTriedBeforehand(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	type shown struct {
		Readings []struct {
			TSeconds float64 `json:"t_seconds"`
			Name     string
			Value    float64
			Unit     string
		}
		Refused []struct{ Reason string }
	}
	device := meterSaying(t, "5.00V 840.0mA\r\n")
	got := decode[shown](t, d.must("probe", "serial:"+device+"#usb:voltage=1;usb:current=2", "--readings", "3", "--json"))
	units := map[string]float64{}
	for i, r := range got.Readings {
		units[r.Unit] = r.Value
		if i > 0 && r.TSeconds < got.Readings[i-1].TSeconds {
			t.Errorf("reading %d is at %v s, before the one before it", i, r.TSeconds)
		}
	}
	if len(got.Readings) != 9 || units["V"] != 5 ||
		!(math.Abs(units["A"]-0.84) < 1e-9) || !(math.Abs(units["W"]-4.2) < 1e-9) {
		t.Errorf("it shows %+v", got)
	}
	text := d.must("probe", "lid=csv:"+loggerFile(t)+"#case", "--readings", "1")
	if !strings.Contains(strings.Join(strings.Fields(text), " "), "s lid temperature 32 °C") {
		t.Errorf("a thermometer is shown as %q", text)
	}
	for name, c := range map[string]struct{ probe, line, want string }{
		"two numbers":   {"usb:power=serial:%s", "5.00V 45.0mA\n", "has 2 numbers"},
		"a comma":       {"usb:power=serial:%s", "4,200 W\n", "one number or two"},
		"another unit":  {"usb:power=serial:%s", "45.0 mA\n", "no unit of power"},
		"noise":         {"usb:power=serial:%s?baud=1200", "\x92\xf3 4\xff\n", "baud rate"},
		"beyond belief": {"usb:power=serial:%s", "99999\n", "cannot be true"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel() // it mostly waits
			got := newDesk(t).run("probe", fmt.Sprintf(c.probe, meterSaying(t, c.line)), "--readings", "2")
			if got.code != 1 || !strings.Contains(got.stdout, c.want) ||
				!strings.Contains(got.stderr, "no reading of usb (power)") {
				t.Errorf("exit %d, %s%s", got.code, got.stdout, got.stderr)
			}
		})
	}
	for _, arguments := range [][]string{{"probe"}, {"probe", "x"}, {"probe", "csv:f#x", "--readings", "0"}} {
		if got := d.run(arguments...); got.code != 2 {
			t.Errorf("%q: exit %d", arguments, got.code)
		}
	}
}
