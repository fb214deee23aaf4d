package cli

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/bench/sensor"
)

// usualReadings is the number of readings of each figure that probe shows where nobody says.
const usualReadings = 10

// mostReadings bounds the readings that are asked for.
const mostReadings = 100_000

func newProbe(env *environment) *cobra.Command {
	readings := usualReadings
	cmd := &cobra.Command{
		Use:   "probe PROBE...",
		Short: "Show what external instruments say, before anything is measured",
		Long: `Probe reads instruments as measure does, and shows each reading with its time and unit:
whether a meter is understood, in its unit, and how often it speaks. What is refused is
shown too, with the reason. It ends after ten readings of each figure, or once no
instrument says anything more that can be used.

A PROBE is written as for measure --probe:
  ` + strings.ReplaceAll(sensor.ProbeForms, ", ", ",\n  ") + `.
A QUANTITY may have the unit of the instrument's numbers, or a factor, in brackets:
power[mW], voltage[x0.1]. Without line= a line of a serial instrument is one number with
its unit; "#2" picks the second of several.`,
		Example: `  opengauge probe "usb:power=serial:/dev/ttyUSB0?baud=9600"
  opengauge probe "serial:/dev/ttyUSB0#usb:voltage=1;usb:current[mA]=2" --readings 3
  opengauge probe "case=csv:log.csv#case" --json`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(cmd *cobra.Command, arguments []string) error {
			if readings < 1 || readings > mostReadings {
				return usageError{fmt.Errorf("--readings %d is not a number from 1 to %d", readings, mostReadings)}
			}
			sources, err := sensor.ParseProbes(arguments)
			if err != nil {
				return usageError{err}
			}
			return env.probe(cmd.Context(), sources, readings)
		},
	}
	cmd.Flags().IntVar(&readings, "readings", usualReadings, "how many readings of each figure to show")
	cmd.Flags().BoolVar(&env.json, "json", false, "print the result as JSON")
	return cmd
}

// probeRecord is the document of probe --json.
type probeRecord struct {
	Format   string         `json:"format"`
	Readings []probeReading `json:"readings"`
	// Refused are the reasons why instruments could not be read, in the order of time.
	Refused []probeRefusal `json:"refused"`
}

// probeReading is one value of one figure. Times count from the start of the command.
type probeReading struct {
	TSeconds float64 `json:"t_seconds"`
	Name     string  `json:"name"`
	Key      string  `json:"key"`
	Quantity string  `json:"quantity"`
	Value    float64 `json:"value"`
	Unit     string  `json:"unit"`
}

type probeRefusal struct {
	TSeconds float64 `json:"t_seconds"`
	Reason   string  `json:"reason"`
}

// listening collects the readings of probes and shows them as they come.
type listening struct {
	mutex   sync.Mutex
	began   time.Time
	show    func(string)
	figures map[string]sensor.Figure
	counts  map[string]int
	most    int
	record  probeRecord
	changed chan bool // whether by a reading
}

func (e *environment) probe(ctx context.Context, sources []sensor.Source, most int) error {
	l := &listening{
		began: time.Now(), show: func(string) {}, figures: map[string]sensor.Figure{}, counts: map[string]int{},
		most: most, changed: make(chan bool, 1),
		record: probeRecord{Format: "opengauge.probe/1", Readings: []probeReading{}, Refused: []probeRefusal{}},
	}
	if !e.json {
		screen := e.screen()
		l.show = func(line string) { screen.Printf("%s\n", line) }
	}
	poller := sensor.NewPoller(sources)
	for _, figure := range poller.Figures() {
		l.figures[figure.Key] = figure
	}
	poller.Follow(l.hear)
	stop := poller.Start(l.refuse)
	l.wait(ctx)
	stop()
	if e.json {
		if err := e.writeJSON(l.record); err != nil {
			return err
		}
	}
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	return l.missing()
}

// hear takes a reading.
func (l *listening) hear(at time.Time, r sensor.Reading) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	values := maps.Clone(r.Values)
	if values == nil {
		values = map[string]float64{}
	}
	for key, celsius := range r.Temperatures {
		values[key] = float64(celsius)
	}
	for _, key := range slices.Sorted(maps.Keys(values)) {
		figure, ok := l.figures[key]
		if !ok || l.counts[key] >= l.most {
			continue
		}
		l.counts[key]++
		made := probeReading{
			TSeconds: at.Sub(l.began).Seconds(), Name: figure.Name, Key: key, Quantity: figure.Quantity,
			Value: values[key], Unit: figure.Unit,
		}
		l.record.Readings = append(l.record.Readings, made)
		l.show(fmt.Sprintf("%8.2f s  %-16s %-14s %10.4g %s", made.TSeconds, made.Name, made.Quantity, made.Value, made.Unit))
	}
	l.note(true)
}

// refuse takes the reason why an instrument cannot be read.
func (l *listening) refuse(reason string) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	at := time.Since(l.began).Seconds()
	l.record.Refused = append(l.record.Refused, probeRefusal{at, reason})
	l.show(fmt.Sprintf("%8.2f s  %s", at, reason))
	l.note(false)
}

func (l *listening) note(isReading bool) {
	select {
	case l.changed <- isReading:
	default:
	}
}

// wait returns once each figure has its readings, or nothing was said for a while.
func (l *listening) wait(ctx context.Context) {
	const (
		silence = 7 * time.Second // a source has five for a reading
		refused = 2 * time.Second // behind a reason it may speak in the next
	)
	patience := silence
	for !l.isComplete() {
		select {
		case <-ctx.Done():
			return
		case isReading := <-l.changed:
			patience = silence
			if !isReading {
				patience = refused
			}
		case <-time.After(patience):
			return
		}
	}
}

func (l *listening) isComplete() bool {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	for key := range l.figures {
		if l.counts[key] < l.most {
			return false
		}
	}
	return true
}

// missing is an error that names the figures without a reading.
func (l *listening) missing() error {
	var silent []string
	for _, key := range slices.Sorted(maps.Keys(l.figures)) {
		if l.counts[key] == 0 {
			silent = append(silent, l.figures[key].Name+" ("+l.figures[key].Quantity+")")
		}
	}
	if len(silent) == 0 {
		return nil
	}
	return fmt.Errorf("no reading of %s; look at the reasons above, the baud rate, and the form of the probe",
		strings.Join(silent, ", "))
}
