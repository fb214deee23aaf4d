package standin

import (
	"errors"
	"fmt"
	"sort"
	"strconv"
	"strings"
	"time"

	"opengauge/core/document"
	"opengauge/core/input"
	"opengauge/core/unit"
)

// Act is one thing that a script does, so long after the start.
type Act struct {
	At time.Duration
	// Pause holds everything back for so long.
	Pause time.Duration
	// Errors is how many requests fail.
	Errors int
	// Disconnect ends every connection.
	Disconnect bool
	// Neighbour takes that share of the limits, For so long.
	Neighbour float64
	For       time.Duration
	// Restore ends a neighbour's spell.
	Restore bool
	// Limits from now on; 0 leaves one as it is.
	IOPS       float64
	Throughput unit.BytesPerSecond
	Latency    time.Duration
}

// String describes an act.
func (a Act) String() string {
	if a.Restore {
		return "the neighbour is gone"
	}
	return a.does()
}

// does describes the changes of an act, or returns "".
func (a Act) does() string {
	switch {
	case a.Pause > 0:
		return "pauses for " + a.Pause.String()
	case a.Errors > 0:
		return fmt.Sprintf("fails %d requests", a.Errors)
	case a.Disconnect:
		return "ends every connection"
	case a.Neighbour > 0:
		return fmt.Sprintf("a neighbour takes %.0f %% for %s", a.Neighbour*100, a.For)
	}
	var texts []string
	if a.IOPS > 0 {
		texts = append(texts, fmt.Sprintf("%.0f IOPS", a.IOPS))
	}
	if a.Throughput > 0 {
		texts = append(texts, unit.Decimal.Rate(a.Throughput))
	}
	if a.Latency > 0 {
		texts = append(texts, a.Latency.String()+" of latency")
	}
	if len(texts) == 0 {
		return ""
	}
	return "from now on " + strings.Join(texts, ", ")
}

// LoadScript reads a script from a file.
func LoadScript(file string) ([]Act, error) {
	source, err := input.ReadFile(file, input.Text)
	if err != nil {
		return nil, fmt.Errorf("could not read the script: %w", err)
	}
	return ParseScript(file, source)
}

// ParseScript reads a list of acts written in YAML, each with the time at which it
// happens. Errors name file, line and column.
func ParseScript(file string, source []byte) ([]Act, error) {
	root, err := document.Parse(file, source)
	if err != nil {
		return nil, err
	}
	var acts []Act
	_, err = root.Read(document.Each("script", func(n document.Node) error {
		a, err := parseAct(n)
		acts = append(acts, a)
		return err
	}).Needed(`expected a list under "script"`))
	sort.SliceStable(acts, func(i, j int) bool { return acts[i].At < acts[j].At })
	return acts, err
}

func parseAct(n document.Node) (Act, error) {
	a := Act{}
	given, err := n.Read(
		document.Into("at", &a.At, parseTime).Needed(`expected "at": how long after the start`),
		document.Into("pause", &a.Pause, parseTime),
		document.Into("errors", &a.Errors, parseCount),
		document.With("disconnect", func(document.Node) error { a.Disconnect = true; return nil }),
		document.Into("neighbour", &a.Neighbour, parseShare),
		document.Into("for", &a.For, parseTime),
		document.Into("iops", &a.IOPS, parseIOPS),
		document.Into("throughput", &a.Throughput, unit.ParseRate),
		document.Into("latency", &a.Latency, parseTime),
	)
	if err != nil {
		return a, err
	}
	kinds := given.Count("pause", "errors", "disconnect", "neighbour")
	if given.Any("iops", "throughput", "latency") {
		kinds++
	}
	switch {
	case kinds != 1 || a.does() == "":
		return a, n.Errorf("expected one of pause, errors, disconnect, neighbour, or new limits")
	case (a.Neighbour > 0) != (a.For > 0):
		return a, n.Errorf("a neighbour takes a share \"for\" a time")
	}
	return a, nil
}

func parseTime(text string) (time.Duration, error) {
	stretch, err := time.ParseDuration(text)
	if err == nil && (stretch < 0 || stretch > 7*24*time.Hour) {
		err = errors.New("out of range")
	}
	if err != nil {
		return 0, fmt.Errorf("%q is not a time; write one like 10s", text)
	}
	return stretch, nil
}

func parseCount(text string) (int, error) {
	count, err := strconv.Atoi(text)
	if err != nil || count < 1 || count > 1_000_000 {
		return 0, fmt.Errorf("%q is not how many requests fail", text)
	}
	return count, nil
}

func parseShare(text string) (float64, error) {
	share, err := strconv.ParseFloat(strings.TrimSuffix(text, "%"), 64)
	if err != nil || !strings.HasSuffix(text, "%") || !(share > 0 && share < 100) {
		return 0, fmt.Errorf("%q is not a share; write one like 60%%", text)
	}
	return share / 100, nil
}

func parseIOPS(text string) (float64, error) {
	iops, err := strconv.ParseFloat(text, 64)
	if err != nil || !(iops > 0 && iops < 1e9) {
		return 0, fmt.Errorf("%q is not a number of operations a second", text)
	}
	return iops, nil
}
