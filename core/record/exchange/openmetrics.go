package exchange

import (
	"bytes"
	"io"
	"maps"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"opengauge/core/load"
	"opengauge/core/record/session"
)

// metricsWriter writes the figures of passes as OpenMetrics 1.0 text. The samples of one
// metric have to stand together, so they are collected and written at the end.
type metricsWriter struct {
	out io.Writer
	// samples are the lines of each gauge, in the order of gauges.
	samples [len(gauges)]bytes.Buffer
}

// gauge is a metric of passes.
type gauge struct {
	name, help string
	value      func(*session.Pass) (float64, bool)
}

var gauges = [...]gauge{
	{"opengauge_pass_throughput_bytes_per_second", "Bytes that a pass moved a second.",
		func(p *session.Pass) (float64, bool) { return float64(p.BytesPerSecond), true }},
	{"opengauge_pass_operations_per_second", "Operations that a pass completed a second.",
		func(p *session.Pass) (float64, bool) { return p.IOPS, true }},
	{"opengauge_pass_latency_p50_seconds", "Median time of an operation.",
		func(p *session.Pass) (float64, bool) { return p.Latency.P50, true }},
	{"opengauge_pass_latency_p99_seconds", "Time within which 99 of 100 operations completed.",
		func(p *session.Pass) (float64, bool) { return p.Latency.P99, true }},
	{"opengauge_pass_errors", "Operations that failed.",
		func(p *session.Pass) (float64, bool) { return float64(p.Errors), true }},
	{"opengauge_pass_highest_temperature_celsius", "The highest temperature of any sensor during the pass.",
		highestTemperature},
}

func highestTemperature(p *session.Pass) (float64, bool) {
	highest := 0.0
	known := false
	for _, sample := range p.Samples {
		for _, value := range sample.TemperaturesCelsius {
			if !known || float64(value) > highest {
				highest = float64(value)
				known = true
			}
		}
	}
	return highest, known
}

func (w *metricsWriter) Add(s *session.Session) error {
	for i := range s.Passes {
		pass := &s.Passes[i]
		labels := labelsOf(s, pass)
		for number, each := range gauges {
			if value, ok := each.value(pass); ok {
				w.samples[number].WriteString(each.name + labels + " " + formatMetric(value) + "\n")
			}
		}
	}
	return nil
}

// labelsOf returns the labels of a pass in braces, in the order of their names. Dimensions in which its load
// is as usual are left out.
func labelsOf(s *session.Session, pass *session.Pass) string {
	labels := map[string]string{
		"fill":      strconv.FormatFloat(pass.FillShare, 'g', -1, 64),
		"name":      s.Name,
		"pass":      strconv.Itoa(pass.Index),
		"session":   s.ID,
		"simulated": strconv.FormatBool(s.Simulated),
		"target":    s.Target.Address,
	}
	for _, d := range load.Dimensions {
		if d.Text(pass.Load) != "" {
			labels[d.Column], _ = writeCell(reflect.ValueOf(d.Value(pass.Load))) // which only a map can fail
		}
	}
	var out strings.Builder
	for i, name := range slices.Sorted(maps.Keys(labels)) {
		out.WriteByte("{,"[min(i, 1)])
		out.WriteString(name + `="` + labelEscapes.Replace(labels[name]) + `"`)
	}
	out.WriteByte('}')
	return out.String()
}

// labelEscapes escapes the characters that would end a label (OpenMetrics 1.0, ABNF,
// escaped-char).
var labelEscapes = strings.NewReplacer(`\`, `\\`, "\n", `\n`, `"`, `\"`)

// formatMetric writes a number as a float, with a point or an exponent (OpenMetrics 1.0,
// Numbers).
func formatMetric(value float64) string {
	switch {
	case math.IsNaN(value):
		return "NaN"
	case math.IsInf(value, 1):
		return "+Inf"
	case math.IsInf(value, -1):
		return "-Inf"
	}
	text := strconv.FormatFloat(value, 'g', -1, 64)
	if !strings.ContainsAny(text, ".e") {
		text += ".0"
	}
	return text
}

func (w *metricsWriter) Close() error {
	var out bytes.Buffer
	for number, each := range gauges {
		if w.samples[number].Len() > 0 {
			out.WriteString("# HELP " + each.name + " " + each.help + "\n# TYPE " + each.name + " gauge\n")
			_, _ = w.samples[number].WriteTo(&out) // into memory
		}
	}
	out.WriteString("# EOF\n")
	_, err := out.WriteTo(w.out)
	return err
}
