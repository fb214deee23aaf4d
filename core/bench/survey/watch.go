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

// Watch looks at the links of one device while it is measured.
type Watch struct {
	machine *Machine
	name    string
	// away says that a device of another system is not there, of which no message comes.
	away bool
	// words are the names by which the kernel speaks of the device and of what
	// it is behind.
	words []string
}

// Watch prepares to look at a device's links.
func (m *Machine) Watch(d Device) *Watch {
	w := &Watch{machine: m, name: d.Name, words: []string{d.Name}}
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
	if w.machine.other != nil {
		if d, ok := w.machine.named(w.name); ok {
			w.machine.other.counted(d, reading.Counters)
		}
		return reading
	}
	if folder, err := w.machine.Resolve(path.Join("sys/block", w.name)); err == nil {
		w.machine.counters(folder, w.name, reading.Counters)
	}
	return reading
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

// presence tells of a device of another system that went or came: Linux says so itself.
func (w *Watch) presence(tell func(kind, detail string)) {
	if w.machine.other == nil {
		return
	}
	switch _, there := w.machine.named(w.name); {
	case !there && !w.away:
		w.away = true
		tell(event.Removed, w.name+" is not there any more")
	case there && w.away:
		w.away = false
		tell(event.Added, w.name+" is there again")
	}
}

// states are the standards that the hops run at; none where the device is gone.
func (w *Watch) states() map[string]string {
	states := map[string]string{}
	if w.machine.other != nil {
		d, _ := w.machine.named(w.name)
		for _, hop := range d.Hops {
			states[hop.Name] = hop.Standard
		}
		return states
	}
	if folder, err := w.machine.Resolve(path.Join("sys/block", w.name)); err == nil {
		for _, hop := range w.machine.hops(folder, deepest) {
			states[hop.Name] = hop.Standard
		}
	}
	return states
}

// compare tells of hops that run at another rate than before.
func (w *Watch) compare(before map[string]string, tell func(kind, detail string)) map[string]string {
	now := w.states()
	if len(now) == 0 { // the device is gone, which others tell
		return before
	}
	for _, name := range slices.Sorted(maps.Keys(now)) {
		if was, ok := before[name]; ok && was != now[name] {
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
		return event.Removed, strings.HasSuffix(m.text, "/"+w.name)
	case "add":
		return event.Added, strings.HasSuffix(m.text, "/"+w.name)
	case "":
	default:
		return "", false
	}
	text := strings.ToLower(m.text)
	switch {
	case strings.Contains(text, "timeout"), strings.Contains(text, "timed out"), strings.Contains(text, "timing out"):
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
