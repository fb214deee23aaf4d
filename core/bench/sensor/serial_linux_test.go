package sensor

import (
	"context"
	"errors"
	"fmt"
	"math"
	"os"
	"strings"
	"testing"
	"time"

	"golang.org/x/sys/unix"
)

// pair opens a pseudo-terminal: what is written to one end comes out of the other, which
// has a name as a serial line has.
func pair(t *testing.T) (instrument *os.File, device string) {
	t.Helper()
	descriptor, err := unix.Open("/dev/ptmx", unix.O_RDWR|unix.O_NOCTTY|unix.O_CLOEXEC, 0)
	if err != nil {
		t.Skip("there are no pseudo-terminals here: ", err)
	}
	instrument = os.NewFile(uintptr(descriptor), "ptmx")
	t.Cleanup(func() { _ = instrument.Close() })
	number, err := unix.IoctlGetInt(descriptor, unix.TIOCGPTN)
	if err == nil {
		err = unix.IoctlSetPointerInt(descriptor, unix.TIOCSPTLCK, 0)
	}
	if err != nil {
		t.Fatal(err)
	}
	return instrument, fmt.Sprintf("/dev/pts/%d", number)
}

func serialLine(t *testing.T, text string) *serialProbe {
	t.Helper()
	p, ok := probe(t, text).(*serialProbe)
	if !ok {
		t.Fatalf("%s is no serial line", text)
	}
	t.Cleanup(func() { _ = p.Close() })
	return p
}

// within reads for that long at the most.
func within(p Source, stretch time.Duration) (Reading, error) {
	ctx, cancel := context.WithTimeout(context.Background(), stretch)
	defer cancel()
	return p.Read(ctx)
}

// A meter that says its figures of its own accord, ten times a second.
func TestAMeterOnASerialLine(t *testing.T) {
	meter, device := pair(t)
	p := serialLine(t, "serial:"+device+`?baud=9600&mode=7E1&line=V=(?P<bus_voltage>[0-9.]+) A=(?P<bus_current>[0-9.]+) T=(?P<case>\S+)`)
	var keys []string
	for _, f := range p.Figures() {
		keys = append(keys, f.Key+" in "+f.Unit)
	}
	if got := strings.Join(keys, ", "); got != "bus_volts in V, bus_amperes in A, case in °C, bus_power_watts in W" {
		t.Errorf("its figures are %s", got)
	}
	done := make(chan struct{})
	go func() {
		defer close(done)
		_, _ = meter.WriteString("half a li") // it was in the middle of something
		for i := range 12 {
			fmt.Fprintf(meter, "V=5.00 A=%.2f T=31.5\r\n", 0.1*float64(i))
			time.Sleep(100 * time.Millisecond)
		}
	}()
	if _, err := within(p, 5*time.Second); err != nil {
		t.Fatal(err)
	}
	<-done
	reading, err := within(p, 5*time.Second)
	if err != nil || len(reading.Moments) < 6 {
		t.Fatalf("%d moments, %v", len(reading.Moments), err)
	}
	last := reading.Moments[len(reading.Moments)-1]
	watts := last.Values["bus_power_watts"]
	if !(math.Abs(watts-5.5) <= 1e-9) || reading.Values["bus_power_watts"] != watts ||
		reading.Temperatures["case"] != 31.5 {
		t.Errorf("it says %v and %v", reading.Values, reading.Temperatures)
	}
	first := reading.Moments[0]
	apart := last.At.Sub(first.At).Seconds() / float64(len(reading.Moments)-1)
	if !(apart > 0.05) || !(apart < 0.2) {
		t.Errorf("its readings are %.3f s apart, want their own 0.1 s", apart)
	}
}

// One that is asked answers when it is asked, and not before.
func TestAnInstrumentThatIsAsked(t *testing.T) {
	meter, device := pair(t)
	p := serialLine(t, "wall:machine-power=serial:"+device+"?ask=POWER?")
	go func() {
		command := make([]byte, 64)
		for watts := 40; ; watts++ {
			read, err := meter.Read(command)
			if err != nil {
				return
			}
			if strings.TrimSpace(string(command[:read])) == "POWER?" {
				fmt.Fprintf(meter, "%d.5 W\n", watts)
			}
		}
	}()
	for _, want := range []float64{40.5, 41.5} {
		reading, err := within(p, 5*time.Second)
		if got := reading.Values["wall_machine_watts"]; err != nil || got != want {
			t.Fatalf("it says %v, %v; want %v", got, err, want)
		}
	}
	if f := p.Figures()[0]; f.Of != Machine {
		t.Errorf("a wall meter is of %q", f.Of)
	}
}

// An answer is taken however soon after the one before it comes; what is said besides is not.
func TestAQuickAnswerIsTaken(t *testing.T) {
	p := serialLine(t, "wall:machine-power=serial:/dev/none?ask=POWER?")
	for watts := 40; watts < 60; watts++ {
		p.toAsk()
		now := time.Now()
		p.hear(now, fmt.Sprintf("%d.5 W", watts))
		p.hear(now, "99.5 W") // at once after it
		reading, said, err := p.take()
		if got := reading.Values["wall_machine_watts"]; !said || err != nil || got != float64(watts)+0.5 ||
			len(reading.Moments) != 1 {
			t.Fatalf("asked again it says %v of %d moments, %v; want %d.5", got, len(reading.Moments), err, watts)
		}
	}
}

// What says nothing that can be used is an error that says what came, and never a reading.
func TestSerialLinesThatAreNoHelp(t *testing.T) {
	for _, c := range []struct{ name, said, want string }{
		{"garbage", "\x00\xff\xfe nonsense\nmore of it\n", "2 lines of"},
		{"not believable", "watts 99999\n", "1 line of /dev/pts/"},
		{"not believable either", "watts 99999\n", "99999 W cannot be true of the power of the storage alone"},
		{"not a number", "watts NaN\n", "is no number"},
		{"without an end", strings.Repeat("x", 3*longestLine), "say nothing that can be used"},
		{"silence", "", "has said nothing for"},
	} {
		t.Run(c.name, func(t *testing.T) {
			meter, device := pair(t)
			raw(t, device)
			p := serialLine(t, "usb:power=serial:"+device+`?line=watts (\S+)`)
			if err := p.listen(); err != nil {
				t.Fatal(err)
			}
			go func() { _, _ = meter.WriteString(c.said) }()
			reading, err := within(p, time.Second)
			if err == nil || !strings.Contains(err.Error(), c.want) || len(reading.Values) > 0 {
				t.Errorf("it says %v, %v; want %q", reading, err, c.want)
			}
		})
	}
}

// raw keeps the terminal from changing what is written before the probe sets it up.
func raw(t *testing.T, device string) {
	t.Helper()
	line, err := os.OpenFile(device, os.O_RDWR|unix.O_NOCTTY, 0)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = line.Close() })
	settings, err := unix.IoctlGetTermios(int(line.Fd()), unix.TCGETS)
	if err != nil {
		t.Fatal(err)
	}
	settings.Lflag, settings.Iflag, settings.Oflag = 0, 0, 0
	if err := unix.IoctlSetTermios(int(line.Fd()), unix.TCSETS, settings); err != nil {
		t.Fatal(err)
	}
}

// Between figures that are true one that cannot be is said, and the others are read.
func TestOneWrongFigureAmongOthers(t *testing.T) {
	meter, device := pair(t)
	raw(t, device)
	p := serialLine(t, "usb:power=serial:"+device+"?line=^(\\S+) W$")
	if err := p.listen(); err != nil {
		t.Fatal(err)
	}
	for _, watts := range []string{"4", "40000", "5"} {
		fmt.Fprintf(meter, "%s W\n", watts)
		time.Sleep(50 * time.Millisecond) // as a meter does
	}
	var said error
	var latest float64
	moments := 0
	for began := time.Now(); latest != 5 && time.Since(began) < time.Minute; {
		reading, err := within(p, 2*time.Second)
		said = errors.Join(said, err)
		moments += len(reading.Moments)
		latest = reading.Values["usb_power_watts"]
	}
	if said == nil || !strings.Contains(said.Error(), "40000 W cannot be true") || latest != 5 || moments != 2 {
		t.Errorf("it says %v in %d moments, %v", latest, moments, said)
	}
	if _, err := within(p, 300*time.Millisecond); err == nil || strings.Contains(err.Error(), "40000") {
		t.Errorf("what was said once is said again: %v", err)
	}
}

// A flood is listened to now and then, in memory that is bounded.
func TestAFlood(t *testing.T) {
	meter, device := pair(t)
	raw(t, device)
	p := serialLine(t, "usb:power=serial:"+device+"?line=^([0-9.]+)$")
	if err := p.listen(); err != nil {
		t.Fatal(err)
	}
	lines, stop := strings.Repeat("4.25\n", 500), time.Now().Add(2*time.Second)
	for time.Now().Before(stop) {
		if _, err := meter.WriteString(lines); err != nil {
			t.Fatal(err)
		}
	}
	reading, err := within(p, 5*time.Second)
	few := len(reading.Moments) < 10
	if err != nil || len(reading.Moments) > mostMoments || few || reading.Values["usb_power_watts"] != 4.25 {
		t.Errorf("%d moments of a flood, %v, %v", len(reading.Moments), reading.Values, err)
	}
}

// A line that is pulled out is said, and opened again once it is back.
func TestALineThatGoes(t *testing.T) {
	meter, device := pair(t)
	p := serialLine(t, "usb:power=serial:"+device)
	if err := p.listen(); err != nil {
		t.Fatal(err)
	}
	if err := meter.Close(); err != nil {
		t.Fatal(err)
	}
	if _, err := within(p, 3*time.Second); err == nil || errors.Is(err, context.DeadlineExceeded) {
		t.Errorf("a line that is gone says %v", err)
	}
	if _, err := within(p, time.Second); err == nil || !strings.Contains(err.Error(), "could not open "+device) {
		t.Errorf("a line that is gone is opened: %v", err)
	}
}
