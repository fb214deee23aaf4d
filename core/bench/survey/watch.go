package survey

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"opengauge/core/bench/event"
	"opengauge/core/bench/link"
)

// Watch looks at the links of one device, or of the way to a server, while it is measured.
type Watch struct {
	watched
	// away says that what no message of the kernel tells of is not there.
	away bool
	// words are the names by which the kernel speaks of it and of what it is behind.
	words []string
}

// watched is what a watch looks at.
type watched interface {
	// states are the standards that the hops run at by their names; none where it is gone.
	states() map[string]string
	// count reads counters that only ever grow.
	count(into map[string]int64)
	// lost says that it is gone, where the kernel does not tell so itself.
	lost() bool
	// named is the last part of its name.
	named() string
}

// Watch prepares to look at a device's links.
func (m *Machine) Watch(d Device) *Watch {
	if m.other != nil {
		return &Watch{watched: foreignDevice{m, d.Name}, words: []string{d.Name}}
	}
	w := &Watch{watched: kernelDevice{m, d.Name}, words: []string{d.Name}}
	for _, part := range strings.Split(d.folder, "/") {
		if isPCIAddress(part) || isNumbered(part, "ata", "nvme", "mmc") || m.isUSB(d.folder, part) {
			w.words = append(w.words, part)
		}
	}
	return w
}

// isNumbered says whether a name is one of those with a number: "ata1".
func isNumbered(name string, names ...string) bool {
	bare := strings.TrimRight(name, "0123456789")
	return bare != name && slices.Contains(names, bare)
}

// isUSB says whether a part of a device's folder is a USB device.
func (m *Machine) isUSB(folder, part string) bool {
	before, _, _ := strings.Cut(folder, "/"+part+"/")
	return m.Exists(before, part, "bDeviceClass")
}

// Reading gives the links' states and counters now.
func (w *Watch) Reading() link.Reading {
	reading := link.Reading{States: w.states(), Counters: map[string]int64{}}
	w.count(reading.Counters)
	return reading
}

// kernelDevice is a device of Linux.
type kernelDevice struct {
	machine *Machine
	name    string
}

func (d kernelDevice) named() string { return d.name }

func (d kernelDevice) lost() bool { return false } // the kernel says so itself

func (d kernelDevice) states() map[string]string {
	folder, err := d.machine.Resolve(path.Join("sys/block", d.name))
	if err != nil {
		return map[string]string{}
	}
	return statesOf(d.machine.hops(folder, deepest))
}

func (d kernelDevice) count(into map[string]int64) {
	if folder, err := d.machine.Resolve(path.Join("sys/block", d.name)); err == nil {
		d.machine.counters(folder, d.name, into)
	}
}

// foreignDevice is one of another system.
type foreignDevice struct {
	machine *Machine
	name    string
}

func (d foreignDevice) named() string { return d.name }

func (d foreignDevice) lost() bool {
	_, there := d.machine.named(d.name)
	return !there
}

func (d foreignDevice) states() map[string]string {
	found, _ := d.machine.named(d.name)
	return statesOf(found.Hops)
}

func (d foreignDevice) count(into map[string]int64) {
	if found, ok := d.machine.named(d.name); ok {
		d.machine.other.counted(found, into)
	}
}

// statesOf are the standards of hops by their names.
func statesOf(hops []link.Hop) map[string]string {
	states := map[string]string{}
	for _, hop := range hops {
		states[hop.Name] = hop.Standard
	}
	return states
}

// counters reads what the links and the drive count of errors and slowdowns.
func (m *Machine) counters(folder, name string, into map[string]int64) {
	for above := range upwards(folder) {
		base := path.Base(above)
		if isPCIAddress(base) {
			for file, total := range map[string]string{"correctable": "TOTAL_ERR_COR",
				"nonfatal": "TOTAL_ERR_NONFATAL", "fatal": "TOTAL_ERR_FATAL"} {
				if count, ok := totalOf(m.Text(above, "aer_dev_"+file), total); ok {
					into["pcie_"+file+"_errors "+base] = count
				}
			}
		}
	}
	// SCSI counts in hexadecimal (drivers/scsi/scsi_sysfs.c).
	for file, counter := range map[string]string{"ioerr_cnt": "io_errors", "iotmo_cnt": "io_timeouts"} {
		if count, err := strconv.ParseInt(m.Text(folder, "device", file), 0, 64); err == nil {
			into[counter+" "+name] = count
		}
	}
	if h := m.health(&Device{Name: name, folder: folder}); h != nil {
		into["nvme_media_errors "+name] = h.MediaErrors
		into["nvme_error_log_entries "+name] = h.ErrorLogEntries
		into[link.LightSlowdowns+" "+name] = h.Slowdowns[0]
		into[link.HeavySlowdowns+" "+name] = h.Slowdowns[1]
		into[link.SlowSeconds+" "+name] = int64(h.SlowSeconds[0] + h.SlowSeconds[1])
	}
}

// totalOf finds a line "NAME 12" in one of the kernel's lists of counters
// (Documentation/ABI/testing/sysfs-bus-pci-devices-aer).
func totalOf(text, name string) (int64, bool) {
	for _, line := range strings.Split(text, "\n") {
		if fields := strings.Fields(line); len(fields) == 2 && fields[0] == name {
			count, err := strconv.ParseInt(fields[1], 10, 64)
			return count, err == nil
		}
	}
	return 0, false
}

const (
	// relook is how often the links' states are read while a pass runs.
	relook = time.Second
	// listen is how often the kernel's messages are taken.
	listen = 200 * time.Millisecond
)

// Start looks at the links until the returned function is called, and tells what
// happens to them: relinks, and what the kernel says of the device.
func (w *Watch) Start(tell func(kind, detail string)) (stop func()) {
	done, ended := make(chan struct{}), make(chan struct{})
	messages := openMessages()
	go func() {
		defer close(ended)
		defer messages.close()
		states, looked := w.states(), time.Now()
		ticks := time.NewTicker(listen)
		defer ticks.Stop()
		for {
			select {
			case <-done:
				w.report(messages, tell)
				return
			case <-ticks.C:
			}
			w.report(messages, tell)
			if time.Since(looked) >= relook {
				w.presence(tell)
				states, looked = w.compare(states, tell), time.Now()
			}
		}
	}()
	return func() {
		close(done)
		<-ended
	}
}

// presence tells of what went or came and of which the kernel does not say so itself.
func (w *Watch) presence(tell func(kind, detail string)) {
	switch lost := w.lost(); {
	case lost && !w.away:
		tell(event.Removed, w.named()+" is not there any more")
		w.away = true
	case !lost && w.away:
		tell(event.Added, w.named()+" is there again")
		w.away = false
	}
}

// compare tells of hops that run at another rate than before.
func (w *Watch) compare(before map[string]string, tell func(kind, detail string)) map[string]string {
	now := w.states()
	if len(now) == 0 { // the device is gone, which others tell
		return before
	}
	for _, name := range slices.Sorted(maps.Keys(now)) {
		if was, ok := before[name]; ok && was != now[name] && !(link.State{Standard: was}).Adapts() {
			tell(event.Relink, name+": "+was+" before, "+now[name]+" now")
		}
	}
	return now
}

func (w *Watch) report(messages *messages, tell func(kind, detail string)) {
	alike := map[string]int{}
	var order []string
	type line struct{ kind, text string }
	first := map[string]line{}
	for _, m := range messages.take() {
		kind, ours := w.judge(m)
		if !ours {
			continue
		}
		form := kind + withoutDigits(m.text)
		if alike[form] == 0 {
			order, first[form] = append(order, form), line{kind, m.text}
		}
		alike[form]++
	}
	for _, form := range order {
		text := first[form].text
		if more := alike[form] - 1; more > 0 {
			text += fmt.Sprintf(" (and %d more like it)", more)
		}
		tell(first[form].kind, text)
	}
}

// withoutDigits is what lines have in common that differ in numbers alone.
func withoutDigits(text string) string {
	return strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return -1
		}
		return r
	}, text)
}

// message is one line of the kernel.
type message struct {
	text string
	// priority is as in syslog(3): 4 is a warning, lower is worse.
	priority int
	// device says that the line is of a device that came or went: "add", "remove".
	device string
}

const warning = 4

// judge says whether a line of the kernel is about the device, and what it is.
func (w *Watch) judge(m message) (kind string, ours bool) {
	if !w.mentions(m.text) {
		return "", false
	}
	switch m.device {
	case "remove":
		return event.Removed, strings.HasSuffix(m.text, "/"+w.named())
	case "add":
		return event.Added, strings.HasSuffix(m.text, "/"+w.named())
	case "":
	default:
		return "", false
	}
	text := strings.ToLower(m.text)
	switch {
	case strings.Contains(text, "timeout"), strings.Contains(text, "timed out"), strings.Contains(text, "timing out"),
		strings.Contains(text, "not responding"), strings.Contains(text, "not responded"):
		return event.Timeout, true
	case strings.Contains(text, "reset"):
		return event.Reset, true
	case strings.Contains(text, "limiting sata link speed"), strings.Contains(text, "link is slow"),
		strings.Contains(text, "link down"):
		return event.Relink, true
	}
	return event.Kernel, m.priority <= warning
}

// mentions says whether a text holds one of the device's names as a word.
func (w *Watch) mentions(text string) bool {
	words := strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" \t,;()[]/=", r) })
	for _, word := range words {
		word = strings.TrimRight(word, ":.")
		// "ata1.00" is a drive of ata1.
		port, _, _ := strings.Cut(word, ".")
		if slices.Contains(w.words, word) || strings.HasPrefix(port, "ata") && slices.Contains(w.words, port) {
			return true
		}
	}
	return false
}
