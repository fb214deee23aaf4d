package sensor

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"math"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"opengauge/core/unit"
)

func probe(t *testing.T, text string) Source {
	t.Helper()
	source, err := ParseProbe(text)
	if err != nil {
		t.Fatal(err)
	}
	return source
}

// reads checks what a probe says, or a part of why it cannot.
func reads(t *testing.T, text, name string, want float64, fault string) {
	t.Helper()
	reading, err := probe(t, text).Read(context.Background())
	switch {
	case fault != "":
		if err == nil || !strings.Contains(err.Error(), fault) {
			t.Errorf("%s: error is %v, want %q in it", text, err, fault)
		}
	case err != nil || reading.Temperatures[name] != unit.Celsius(want):
		t.Errorf("%s says %v, %v; want %s at %v", text, reading.Temperatures, err, name, want)
	}
}

func TestAFileThatGrows(t *testing.T) {
	file := filepath.Join(t.TempDir(), "a log.csv")
	write := func(content string) {
		if err := os.WriteFile(file, []byte(content), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write("time,case,\"air, left\"\n1,41.5,22\n2,42.25,22.5\n3,99")
	reads(t, "csv:"+file+"#case", "case", 42.25, "")
	reads(t, "air=csv:"+file+"#air, left", "air", 22.5, "")
	reads(t, "csv:"+file+"#none", "", 0, "has no column \"none\", but time, case, air, left")
	write("time,case\n" + strings.Repeat("1,40\n", 40_000) + "2,43\n")
	reads(t, "csv:"+file+"#case", "case", 43, "")
	write("time,case\n1\n")
	reads(t, "csv:"+file+"#case", "", 0, "does not fit")
	write("time,case\n1,warm\n")
	reads(t, "csv:"+file+"#case", "", 0, "\"warm\" is no number")
	write("time,case\n1,255\n")
	reads(t, "csv:"+file+"#case", "", 0, "cannot be true")
	write("")
	reads(t, "csv:"+file+"#case", "", 0, "header")
	reads(t, "csv:"+file+".none#case", "", 0, "no such file")
}

func TestAPageOfMetrics(t *testing.T) {
	page := "# TYPE case_celsius gauge\ncase_celsius{sensor=\"left\"} 41.5\n# TYPE plain untyped\nplain 12\n# EOF\n"
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/metrics" {
			w.WriteHeader(http.StatusNotFound)
			return
		}
		_, _ = w.Write([]byte(page))
	}))
	defer server.Close()
	reads(t, server.URL+"/metrics#case_celsius", "case_celsius", 41.5, "")
	reads(t, "case="+server.URL+"/metrics#plain", "case", 12, "")
	reads(t, server.URL+"/metrics#none", "", 0, "no metric \"none\"")
	reads(t, server.URL+"/other#plain", "", 0, "404")
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		t.Error("another host is asked than was named")
		_, _ = w.Write([]byte(page))
	}))
	defer other.Close()
	redirecting := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/away":
			http.Redirect(w, r, other.URL+"/metrics", http.StatusFound)
		case "/here":
			http.Redirect(w, r, "/metrics", http.StatusFound)
		case "/round":
			http.Redirect(w, r, "/round", http.StatusFound)
		case "/endless":
			for line := bytes.Repeat([]byte("plain 12\n"), 1000); ; {
				if _, err := w.Write(line); err != nil {
					return
				}
			}
		default:
			_, _ = w.Write([]byte(page))
		}
	}))
	defer redirecting.Close()
	reads(t, redirecting.URL+"/here#plain", "plain", 12, "")
	reads(t, redirecting.URL+"/away#plain", "", 0, "another host is not asked")
	reads(t, redirecting.URL+"/round#plain", "", 0, "without end")
	reads(t, redirecting.URL+"/endless#plain", "", 0, "no page of metrics")
	page = "no page\x00 of metrics"
	reads(t, server.URL+"/metrics#plain", "", 0, "cannot be read")
}

func TestAnInstrument(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Skip("nothing can be listened to here: ", err)
	}
	defer listener.Close()
	answers := map[string]string{"MEAS:TEMP?": "+4.150E+01,C\n", "WHAT?": "\"error\"\n", "HANG?": ""}
	go func() {
		for {
			connection, err := listener.Accept()
			if err != nil {
				return
			}
			asked, _ := bufio.NewReader(connection).ReadString('\n')
			_, _ = connection.Write([]byte(answers[strings.TrimSpace(asked)]))
			_ = connection.Close()
		}
	}()
	address := "scpi://" + listener.Addr().String() + "?ask="
	reads(t, "case="+address+"MEAS:TEMP?", "case", 41.5, "")
	reads(t, address+"WHAT?", "", 0, "is no number")
	reads(t, address+"HANG?", "", 0, "the instrument's answer")
}

func TestProbesThatAreNone(t *testing.T) {
	for text, want := range map[string]string{
		"csv:file": "no file or no column", "csv:#x": "no file or no column", "csv:a#": "no file or no column",
		"http://host/page": "no metric", "http://#m": "no host",
		"scpi://host?ask=T?": "no port", "scpi://host:5025": "no port or no command",
		"ftp://host#x": "of no known kind", "": "of no known kind", "http://[::1": "no address",
	} {
		if _, err := ParseProbe(text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q gives %v, want %q in it", text, err, want)
		}
	}
}

// moody is a source that works, fails, and works again.
type moody struct {
	mutex sync.Mutex
	fail  bool
	reads int
}

func (m *moody) Name() string { return "the moody one" }

func (m *moody) set(fail bool) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	m.fail = fail
}

func (m *moody) Read(context.Context) (Reading, error) {
	m.mutex.Lock()
	defer m.mutex.Unlock()
	m.reads++
	if m.fail {
		return Reading{}, errors.New("out of order")
	}
	return Reading{Temperatures: map[string]unit.Celsius{"case": 40}, Values: map[string]float64{"fan_rpm": 900}}, nil
}

// A probe that fails is told of, once, and is not the end.
func TestPollerOutlivesItsSources(t *testing.T) {
	source, told := &moody{}, make(chan string, 16)
	source.set(true)
	p := NewPoller([]Source{source})
	defer p.Start(func(detail string) { told <- detail })()
	wait := func(want string) {
		t.Helper()
		select {
		case got := <-told:
			if !strings.Contains(got, want) {
				t.Errorf("told %q, want %q in it", got, want)
			}
		case <-time.After(10 * time.Second):
			t.Fatalf("nobody told of %q", want)
		}
	}
	wait("cannot be read: out of order")
	if len(p.Temperatures()) != 0 {
		t.Error("a source that fails has a temperature")
	}
	source.set(false)
	wait("can be read again")
	for range 50 {
		if p.Temperatures()["case"] == 40 && p.Readings()["fan_rpm"] == 900 {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Errorf("the poller knows %v and %v", p.Temperatures(), p.Readings())
}

func TestQuantitiesOfProbes(t *testing.T) {
	file := filepath.Join(t.TempDir(), "meter.csv")
	content := "watts,wall,rpm,fps,hot,cold\n1,2,3,4,5,6\n4.5,61,900,58.25,188,-61\n"
	if err := os.WriteFile(file, []byte(content), 0o600); err != nil {
		t.Fatal(err)
	}
	source := probe(t, "csv:"+file+"#usb:power=watts;wall:machine-power=wall;lid:fan=rpm;"+
		"game:number(frames/s,higher)=fps;"+
		"hot;cold;none")
	reading, err := source.Read(context.Background())
	for key, want := range map[string]float64{"usb_power_watts": 4.5, "wall_machine_watts": 61, "lid_fan_rpm": 900,
		"game": 58.25} {
		if got := reading.Values[key]; got != want {
			t.Errorf("%s is %v, want %v", key, got, want)
		}
	}
	if len(reading.Temperatures) != 0 || len(reading.Values) != 4 {
		t.Errorf("what cannot be true was read: %v, %v", reading.Temperatures, reading.Values)
	}
	for _, want := range []string{"hot: 188 degrees Celsius cannot be true", "cold: -61 degrees", "no column \"none\""} {
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("the error is %v, want %q in it", err, want)
		}
	}
	game := source.(Instrument).Figures()[3]
	if game != (Figure{Name: "game", Key: "game", Quantity: Number, Unit: "frames/s", Better: Higher}) {
		t.Errorf("a number is %+v", game)
	}
}

func TestQuantitiesThatAreNone(t *testing.T) {
	for text, want := range map[string]string{
		"a:power=csv:f#x;y:speed=z":                   `"speed" is no quantity; there are temperature, power`,
		"a:number=csv:f#x":                            `"number" is no quantity`,
		"a:number(frames/s,faster)=csv:f#x":           "is no quantity",
		"a:power=csv:f#x;x":                           `two of its figures are called "a"`,
		"serial:":                                     "names no device",
		"serial:/dev/x?baud=12":                       "baud=12 is not a rate",
		"serial:/dev/x?mode=9N1":                      "mode=9N1 is not like 8N1",
		"serial:/dev/x?line=[0-9]":                    "no group in brackets",
		"serial:/dev/x?line=(":                        "line= is no pattern",
		"serial:/dev/x?speed=9600":                    `"speed" is not known`,
		"serial:/dev/x?line=(a)#volts:voltage=second": `no group "second"`,
		"scpi://h:1?ask=T?#x:power=first":             "",
	} {
		_, err := ParseProbe(text)
		if want == "" && err != nil || want != "" && (err == nil || !strings.Contains(err.Error(), want)) {
			t.Errorf("%q gives %v, want %q in it", text, err, want)
		}
	}
	for _, text := range []string{"power:x=csv:f#x", "csv:a=b#x", "x=y:power=csv:f#x"} {
		if _, err := ParseProbe(text); (err == nil) != (text == "csv:a=b#x") {
			t.Errorf("%q gives %v", text, err)
		}
	}
	_, err := ParseProbes([]string{"a=csv:f#x", "a=csv:g#y"})
	if err == nil || !strings.Contains(err.Error(), "both say") {
		t.Errorf("two probes of one name give %v", err)
	}
	if _, err := ParseProbes([]string{"a=csv:f#x", "a:power=csv:g#y"}); err != nil {
		t.Errorf("a power and a temperature of one name give %v", err)
	}
}

// A logger that stopped is told from one that says the same again.
func TestALoggerThatStops(t *testing.T) {
	file := filepath.Join(t.TempDir(), "log.csv")
	if err := os.WriteFile(file, []byte("case\n40\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	p := probe(t, "csv:"+file+"#case").(*csvProbe)
	read := func() error { _, err := p.Read(context.Background()); return err }
	if err := read(); err != nil {
		t.Fatal(err)
	}
	p.since = p.since.Add(-loggerPause - time.Second)
	if err := read(); err == nil || !strings.Contains(err.Error(), "has not grown for 11 s") {
		t.Errorf("a file that stands still gives %v", err)
	}
	if err := os.WriteFile(file, []byte("case\n40\n40\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := read(); err != nil {
		t.Errorf("a file that says the same again gives %v", err)
	}
	if again, err := p.Read(context.Background()); err != nil || len(again.Temperatures) > 0 {
		t.Errorf("a line that was read before is read again: %v, %v", again, err)
	}
	if err := os.WriteFile(file, []byte("case\nwarm\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if first, second := read(), read(); first == nil || second == nil {
		t.Errorf("a line that cannot be used is an error once alone: %v, %v", first, second)
	}
}

// Whatever somebody writes is a probe with figures of keys of their own, or an error.
func FuzzParseProbe(f *testing.F) {
	for _, text := range []string{"case=csv:f#x", "a:power=csv:f#u:voltage=v;u:current=i", "scpi://h:1?ask=T?#x:power=1",
		"serial:/dev/x?baud=9600&mode=7E1&ask=P&line=(?P<a_voltage>[0-9]+)", "n:number(frames/s,higher)=http://h/p#m"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		source, err := ParseProbe(text)
		if err != nil {
			return
		}
		keys := map[string]bool{}
		for _, figure := range source.(Instrument).Figures() {
			if figure.Key == "" || keys[figure.Key] || figure.Unit == "" {
				t.Errorf("%q has the figure %+v", text, figure)
			}
			keys[figure.Key] = true
		}
	})
}

// A line without a pattern is read where it can be read in one way alone, and refused where not.
func TestNumbersOfLines(t *testing.T) {
	for _, c := range []struct {
		probe, line string
		want        float64
		fault       string
	}{
		{"u:power", "4.20 W", 4.2, ""}, {"u:power", "Power: 850.0 mW", 0.85, ""}, {"u:power", "12 µW", 12e-6, ""},
		{"u:power", "12 uW", 12e-6, ""}, {"u:power", "+1.5e0W", 1.5, ""}, {"u:power", ".5", 0.5, ""},
		{"u:power[mW]", "850", 0.85, ""}, {"u:power[mW]", "850 mW", 0.85, ""}, {"u:power[x0.1]", "42", 4.2, ""},
		{"u:power[mW]", "0.85 W", 0, `it writes "W", and the probe says mW`},
		{"u:power", "850.0 MW", 0, "no unit of power"}, {"u:power", "45 mA", 0, "no unit of power"},
		{"u:power", "5.00V 45.0mA", 0, "has 2 numbers"}, {"u:power", "CH1 4.20 W", 0, "has 2 numbers"},
		{"u:power", "4,200 W", 0, "one number or two"}, {"u:power", "4.200.000 W", 0, "one number or two"},
		{"u:power", "CH1", 0, "has 1 numbers"}, {"u:power", "no reading", 0, "has 0 numbers"},
		{"u:power", "\x92 4 \xff", 0, "baud rate"}, {"u:power", "~{ 4", 0, "baud rate"}, {"u:power", "é4", 0, "baud rate"},
		{"t", "31.5 C", 31.5, ""}, {"t", "88.7 °F", 31.5, ""}, {"t:temperature[K]", "304.65", 31.5, ""},
		{"t:temperature[mC]", "31500", 31.5, ""},
		{"u:current[mA]", "45.0", 0.045, ""}, {"u:power", "99999 W", 0, "cannot be true"},
		{"u:power#2", "5.00V 4.5W", 4.5, ""}, {"u:power#1", "CH1 4.20 W", 4.2, ""}, {"u:power#2", "4.5W", 0, "and not 2"},
		{"u:power#1", "5.00V 45.0mA", 0, "no unit of power"}, {"n:number(frames/s,higher)", "58.2", 58.2, ""},
	} {
		name, which, _ := strings.Cut(c.probe, "#")
		if which != "" {
			which = "#" + which
		}
		p := probe(t, name+"=serial:/dev/none"+which).(*serialProbe)
		reading, _, err := p.understand(c.line)
		got := math.NaN()
		for _, value := range reading.Values {
			got = value
		}
		for _, value := range reading.Temperatures {
			got = float64(value)
		}
		switch {
		case c.fault != "":
			if err == nil || !strings.Contains(err.Error(), c.fault) || !math.IsNaN(got) {
				t.Errorf("%s of %q: %v, %v; want %q", c.probe, c.line, got, err, c.fault)
			}
		case err != nil || !(math.Abs(got-c.want) <= 1e-9*max(1, c.want)):
			t.Errorf("%s of %q: %v, %v; want %v", c.probe, c.line, got, err, c.want)
		}
	}
}

// A source most of whose lines cannot be used is unreadable: those that can be are chance.
func TestALineOfNoise(t *testing.T) {
	p := probe(t, "u:power=serial:/dev/none").(*serialProbe)
	got := 0
	p.cast(func(time.Time, Reading) { got++ })
	for i := range 60 {
		line := "\xf0\x8e)("
		if i%3 == 2 {
			line = "7"
		}
		p.at = time.Time{} // as if they came slowly
		p.hear(time.Now(), line)
	}
	if _, said, err := p.take(); said && err == nil || got > 1 {
		t.Errorf("%d readings of noise, %v", got, err)
	}
	for range 20 {
		p.at = time.Time{}
		p.hear(time.Now(), "4.2 W")
	}
	if got < 10 {
		t.Errorf("%d readings of a line that got better", got)
	}
}

// Lines that a pattern passes by, and noise now and then, are no fault of the readings between them.
func TestLinesBetweenReadings(t *testing.T) {
	for name, text := range map[string]string{
		"a pattern": "u:power=serial:/dev/none?line=^P=([0-9.]+)$", "no pattern": "u:power=serial:/dev/none",
	} {
		p := probe(t, text).(*serialProbe)
		for range 4 {
			for _, line := range []string{"P=4.5", "P=4.6", "V=5.00 A=0.9"} {
				p.at = time.Time{} // as if they came slowly
				p.hear(time.Now(), line)
			}
		}
		reading, said, err := p.take()
		if !said || err != nil || reading.Values["u_power_watts"] != 4.6 || len(reading.Moments) != 8 {
			t.Errorf("%s: %v in %d moments, %v", name, reading.Values, len(reading.Moments), err)
		}
	}
}

// Units and factors that are none are refused with those that there are.
func TestScalesThatAreNone(t *testing.T) {
	for text, want := range map[string]string{
		"u:power[mA]=serial:/dev/x": "is no unit of power; there are W, kW, mW, µW",
		"u:power[]=serial:/dev/x":   "is no quantity",
		"u:power[x0]=serial:/dev/x": "no factor", "u:power[x1e99]=serial:/dev/x": "no factor",
		"u:sound[W]=serial:/dev/x": "is no unit of sound", "u:power=serial:/dev/x#volts": "not which number",
	} {
		if _, err := ParseProbe(text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q gives %v, want %q in it", text, err, want)
		}
	}
}

// meter is an instrument that is asked for its watts.
type meter struct{ moody }

func (m *meter) Figures() []Figure {
	return []Figure{{Name: "usb", Key: "usb_power_watts", Quantity: Power}}
}

func (m *meter) Read(ctx context.Context) (Reading, error) {
	if _, err := m.moody.Read(ctx); err != nil {
		return Reading{}, err
	}
	return Reading{Values: map[string]float64{"usb_power_watts": 4}}, nil
}

// Whoever drains the readings gets one from behind the moment that counts, unless the instrument fails.
func TestTheLastSecondsAreCovered(t *testing.T) {
	m := &meter{}
	p := NewPoller([]Source{m})
	defer p.Start(func(string) {})()
	for p.Readings()["usb_power_watts"] != 4 {
		time.Sleep(time.Millisecond)
	}
	end := time.Now()
	taken := p.Drain(end)
	if last := len(taken) - 1; last < 1 || taken[last].At.Before(end) {
		t.Errorf("the readings up to %s are %v", end, taken)
	}
	m.set(true)
	for len(p.Readings()) > 0 { // until the last one is no current one any more
		time.Sleep(time.Millisecond)
	}
	if p.isOwed(time.Now()) {
		t.Error("an instrument that fails is waited for")
	}
}
