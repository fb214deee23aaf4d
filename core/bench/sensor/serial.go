package sensor

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"time"

	"go.bug.st/serial"

	"opengauge/core/unit"
)

// serialProbe reads the lines of an instrument on a serial line, which writes them of its own
// accord or when it is asked. One goroutine reads lines as they come; Read returns them with their
// times.
type serialProbe struct {
	figures
	device  string
	mode    serial.Mode
	pattern *regexp.Regexp // or nil, where each line is a number
	ask     string
	// open opens the line.
	open func(device string, mode *serial.Mode) (serial.Port, error)

	mutex   sync.Mutex
	port    serial.Port
	ended   chan struct{} // closed once nobody reads the port any more
	moments []Moment
	latest  Reading
	at      time.Time // of the latest
	asked   time.Time // when it was asked last, if it is
	since   time.Time // when the port was opened
	strange int       // lines since the last reading that do not fit
	failed  error
	refused error  // a figure that cannot be true, beside others that are
	last    string // why the last of those lines cannot be used
	heard   hearing
	to      func(at time.Time, reading Reading) // or nil
}

const (
	usualBaud = 115200
	// longestLine is far above the length of an instrument's line, in bytes.
	longestLine = 4 << 10
	// mostMoments are kept between two readings, and closest is how close they may be: who
	// says more is listened to now and then.
	mostMoments = 512
	closest     = 2 * time.Millisecond
	// listenFor is how long one read of the port waits.
	listenFor = 100 * time.Millisecond
)

// parseSerial reads "DEVICE?baud=115200&mode=8N1&ask=COMMAND&line=PATTERN#FIGURES". Signs
// of the pattern that mean something here are written as in addresses: %26 for "&", %23 for
// "#".
func parseSerial(name, quantity, rest string) (Source, error) {
	rest, wanted, _ := strings.Cut(rest, "#")
	device, query, _ := strings.Cut(rest, "?")
	if device == "" {
		return nil, errors.New("it names no device")
	}
	p := &serialProbe{device: device, mode: serial.Mode{BaudRate: usualBaud, DataBits: 8}, open: serial.Open}
	for part := range strings.SplitSeq(query, "&") {
		if part == "" {
			continue
		}
		key, value, _ := strings.Cut(part, "=")
		value, err := url.PathUnescape(value)
		if err == nil {
			err = p.set(key, value)
		}
		if err != nil {
			return nil, err
		}
	}
	if wanted == "" {
		wanted = p.namedGroups()
		if wanted == "" && name == "" {
			name = device[strings.LastIndexAny(device, `/\`)+1:]
		}
	}
	if wanted == "" && p.pattern != nil {
		wanted = "1" // its first group
	}
	read, err := parseFigures(wanted, name, quantity)
	if err != nil {
		return nil, err
	}
	for _, each := range read {
		if _, ok := ordinal(each.selector); p.pattern == nil && each.selector != onlyNumber && !ok {
			return nil, fmt.Errorf("%q is not which number of the line, counted from 1; line= gives a pattern with groups",
				each.selector)
		}
		if p.pattern != nil && p.group(each.selector) < 0 {
			return nil, fmt.Errorf("its pattern has no group %q", each.selector)
		}
	}
	p.figures = read
	return p, nil
}

// set takes one of the things that an address says.
func (p *serialProbe) set(key, value string) (err error) {
	const slowest, fastest = 50, 4_000_000
	switch key {
	case "baud":
		if p.mode.BaudRate, err = strconv.Atoi(value); err != nil || p.mode.BaudRate < slowest || p.mode.BaudRate > fastest {
			return fmt.Errorf("baud=%s is not a rate from %d to %d", value, slowest, fastest)
		}
	case "mode":
		return p.setMode(value)
	case "ask":
		if p.ask = value; value == "" || strings.ContainsAny(value, "\r\n") {
			return errors.New("ask= names no command of one line")
		}
	case "line":
		if p.pattern, err = regexp.Compile(value); err != nil {
			return fmt.Errorf("line= is no pattern: %w", err)
		}
		if p.pattern.NumSubexp() == 0 {
			return errors.New("line= has no group in brackets that picks the figure")
		}
	default:
		return fmt.Errorf("%q is not known; there are baud, mode, ask and line", key)
	}
	return nil
}

// setMode reads data bits, parity and stop bits: "8N1", "7E2".
func (p *serialProbe) setMode(value string) error {
	fault := fmt.Errorf("mode=%s is not like 8N1: data bits, parity N, E or O, stop bits", value)
	if len(value) != 3 || value[0] < '5' || value[0] > '8' {
		return fault
	}
	p.mode.DataBits = int(value[0] - '0')
	parity, known := map[byte]serial.Parity{'N': serial.NoParity, 'E': serial.EvenParity, 'O': serial.OddParity}[value[1]]
	stop, both := map[byte]serial.StopBits{'1': serial.OneStopBit, '2': serial.TwoStopBits}[value[2]]
	if !known || !both {
		return fault
	}
	p.mode.Parity = parity
	p.mode.StopBits = stop
	return nil
}

// namedGroups lists the named groups of the pattern as figures: "volts_voltage" is the voltage
// "volts"; a group that names no quantity has the probe's.
func (p *serialProbe) namedGroups() string {
	var found []string
	if p.pattern == nil {
		return ""
	}
	for _, name := range p.pattern.SubexpNames() {
		if name == "" {
			continue
		}
		figure := name
		for _, q := range quantities {
			if own, ok := strings.CutSuffix(name, "_"+strings.ReplaceAll(q.Name, "-", "_")); ok && q.Name != Number {
				figure = own + ":" + q.Name
			}
		}
		if figure != name {
			found = append(found, figure+"="+name)
		} else {
			found = append(found, name)
		}
	}
	return strings.Join(found, ";")
}

// group is the number of a group, or -1.
func (p *serialProbe) group(selector string) int {
	if at := p.pattern.SubexpIndex(selector); at > 0 {
		return at
	}
	if at, ok := ordinal(selector); ok && at <= p.pattern.NumSubexp() {
		return at
	}
	return -1
}

func (p *serialProbe) Name() string { return p.title() }

func (p *serialProbe) Figures() []Figure { return p.list() }

// Read returns the values since the last call.
func (p *serialProbe) Read(ctx context.Context) (Reading, error) {
	if err := p.listen(); err != nil {
		return Reading{}, err
	}
	if p.ask != "" {
		if _, err := io.WriteString(p.toAsk(), p.ask+"\n"); err != nil {
			_ = p.Close()
			return Reading{}, fmt.Errorf("asking the instrument: %w", err)
		}
	}
	for {
		reading, said, err := p.take()
		if said || err != nil {
			return reading, err
		}
		select {
		case <-ctx.Done():
			return Reading{}, p.silence()
		case <-time.After(listenFor / 4):
		}
	}
}

// toAsk is the line on which it is asked now.
func (p *serialProbe) toAsk() serial.Port {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	p.asked = time.Now()
	return p.port
}

// listen opens the line, if it is not open.
func (p *serialProbe) listen() error {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if p.port != nil {
		return nil
	}
	mode := p.mode
	port, err := p.open(p.device, &mode)
	if err != nil {
		return fmt.Errorf("could not open %s: %w", p.device, err)
	}
	if err := port.SetReadTimeout(listenFor); err != nil {
		return errors.Join(err, port.Close())
	}
	p.port = port
	p.since = time.Now()
	p.failed = nil
	p.moments = nil
	p.heard = hearing{}
	p.ended = make(chan struct{})
	go p.follow(port, p.ended)
	return nil
}

// follow reads lines until the port is closed, or gone.
func (p *serialProbe) follow(port serial.Port, ended chan struct{}) {
	defer close(ended)
	var rest []byte
	buffer := make([]byte, longestLine)
	for {
		read, err := port.Read(buffer)
		if err != nil {
			p.mutex.Lock()
			p.failed = fmt.Errorf("%s cannot be read any more: %w", p.device, err)
			p.mutex.Unlock()
			return
		}
		rest = append(rest, buffer[:read]...)
		for {
			end := bytes.IndexAny(rest, "\r\n") // either ends a line, and between both is an empty one
			if end < 0 {
				break
			}
			p.hear(time.Now(), string(rest[:end]))
			rest = rest[end+1:]
		}
		if len(rest) > longestLine {
			p.hear(time.Now(), string(rest[:40]))
			rest = rest[:0]
		}
		rest = bytes.Clone(rest)
	}
}

// owed says whether it was asked, and has not answered yet.
func (p *serialProbe) owed() bool { return p.at.Before(p.asked) }

// hear takes a line that came at a time.
func (p *serialProbe) hear(now time.Time, line string) {
	if strings.TrimSpace(line) == "" {
		return
	}
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if !p.owed() && now.Sub(p.at) < closest {
		return
	}
	reading, isReadable, err := p.understand(line)
	useless := len(reading.Values)+len(reading.Temperatures) == 0
	if p.pattern == nil || !useless || !isText(line) { // others may be lines that a pattern passes by
		p.heard.note(useless)
	}
	if err != nil {
		p.strange++
		p.last = err.Error()
	}
	if err != nil && isReadable {
		p.refused = err
	}
	if useless || p.heard.mostlyUseless() {
		return
	}
	p.latest = reading
	p.at = now
	if p.to != nil {
		p.to(now, reading)
	}
	if len(p.moments) < mostMoments {
		p.moments = append(p.moments, Moment{At: now, Values: reading.Values})
	}
}

// understand reads the figures of a line. A line that cannot be read may be meant for somebody else, or be
// noise; an error of one that can is of a figure that cannot be true.
func (p *serialProbe) understand(line string) (made Reading, isReadable bool, err error) {
	if p.pattern == nil {
		isReadable = true
		made, err = p.readingWith(func(selector string) (float64, string, error) {
			value, unit, err := numberIn(line, selector)
			if err != nil {
				isReadable = false
				err = fmt.Errorf("%.60q: %w", line, err)
			}
			return value, unit, err
		})
		return made, isReadable, err
	}
	parts := p.pattern.FindStringSubmatch(line)
	if parts == nil {
		return Reading{}, false, fmt.Errorf("%.60q does not fit line=", line)
	}
	made, err = p.reading(func(selector string) (float64, error) { return number(parts[p.group(selector)]) })
	return made, true, err
}

// hearing remembers whether the latest lines could be used.
type hearing struct {
	useless [16]bool
	lines   int
}

func (h *hearing) note(useless bool) {
	h.useless[h.lines%len(h.useless)] = useless
	h.lines++
}

// mostlyUseless reports whether more lines than not could not be used: then those that could are chance.
func (h *hearing) mostlyUseless() bool {
	const fewest = 4
	known := min(h.lines, len(h.useless))
	bad := 0
	for _, useless := range h.useless[:known] {
		if useless {
			bad++
		}
	}
	return known >= fewest && 2*bad > known
}

// cast lets readings go to a function as they come.
func (p *serialProbe) cast(to func(at time.Time, reading Reading)) {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	p.to = to
}

// take returns the values since it was last called; said is false if there are none, or none newer
// than the question.
func (p *serialProbe) take() (reading Reading, said bool, err error) {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if p.failed != nil {
		err := p.failed
		p.port = closePort(p.port)
		p.failed = nil
		return Reading{}, false, err
	}
	if p.heard.mostlyUseless() && p.strange > 0 {
		p.moments = nil
		return Reading{}, false, p.useless()
	}
	if len(p.moments) == 0 || p.owed() {
		return Reading{}, false, nil
	}
	reading = p.latest
	reading.Moments = p.moments
	err = p.refused
	p.moments = nil
	p.strange = 0
	p.refused = nil
	return reading, true, err
}

func closePort(port serial.Port) serial.Port {
	_ = port.Close() // it is gone already
	return nil
}

// silence is the error of an instrument that sent no reading, with the strange lines it sent
// instead.
func (p *serialProbe) silence() error {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if p.strange > 0 {
		return p.useless()
	}
	last := p.since
	if p.at.After(last) {
		last = p.at
	}
	return fmt.Errorf("%s has said nothing for %.0f s", p.device, time.Since(last).Seconds())
}

// useless is the error of lines that cannot be used, which are told of once.
func (p *serialProbe) useless() error {
	count := p.strange
	p.strange = 0
	p.refused = nil
	return fmt.Errorf("%s of %s that say nothing that can be used, the last: %s", unit.Count(count, "line"), p.device,
		p.last)
}

// Close ends listening. It may be read again, which opens the line anew.
func (p *serialProbe) Close() error {
	p.mutex.Lock()
	port := p.port
	ended := p.ended
	p.port = nil
	p.mutex.Unlock()
	if port == nil {
		return nil
	}
	err := port.Close()
	<-ended
	return err
}

var (
	_ Source    = (*serialProbe)(nil)
	_ io.Closer = (*serialProbe)(nil)
	_ caster    = (*serialProbe)(nil)
)
