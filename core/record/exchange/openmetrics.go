package exchange

import (
	"io"
	"maps"
	"slices"
	"strconv"

	dto "github.com/prometheus/client_model/go"
	"github.com/prometheus/common/expfmt"

	"opengauge/core/record/session"
)

// metricsWriter collects the figures of passes and writes them as OpenMetrics 1.0
// text. A family has to stand together, so they are written at the end.
type metricsWriter struct {
	out      io.Writer
	families []*dto.MetricFamily
}

// gauge is a figure of a pass that becomes a metric.
type gauge struct {
	name, help string
	value      func(*session.Pass) (float64, bool)
}

var gauges = []gauge{
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
	highest, known := 0.0, false
	for _, sample := range p.Samples {
		for _, value := range sample.TemperaturesCelsius {
			if !known || float64(value) > highest {
				highest, known = float64(value), true
			}
		}
	}
	return highest, known
}

func (w *metricsWriter) Add(s *session.Session) error {
	if w.families == nil {
		for _, each := range gauges {
			kind := dto.MetricType_GAUGE
			w.families = append(w.families, &dto.MetricFamily{Name: &each.name, Help: &each.help, Type: &kind})
		}
	}
	for i := range s.Passes {
		pass := &s.Passes[i]
		labels := labelsOf(s, pass)
		for number, each := range gauges {
			if value, ok := each.value(pass); ok {
				family := w.families[number]
				family.Metric = append(family.Metric, &dto.Metric{Label: labels, Gauge: &dto.Gauge{Value: &value}})
			}
		}
	}
	return nil
}

func labelsOf(s *session.Session, pass *session.Pass) []*dto.LabelPair {
	values := map[string]string{
		"session": s.ID, "name": s.Name, "target": s.Target.Address, "simulated": strconv.FormatBool(s.Simulated),
		"pass": strconv.Itoa(pass.Index), "operation": string(pass.Operation), "access": string(pass.Access),
		"block_bytes": strconv.FormatInt(int64(pass.Block), 10), "depth": strconv.Itoa(pass.Depth),
		"fill": strconv.FormatFloat(pass.FillShare, 'g', -1, 64),
	}
	var labels []*dto.LabelPair
	for _, name := range slices.Sorted(maps.Keys(values)) {
		value := values[name]
		labels = append(labels, &dto.LabelPair{Name: &name, Value: &value})
	}
	return labels
}

func (w *metricsWriter) Close() error {
	for _, family := range w.families {
		if len(family.Metric) == 0 {
			continue
		}
		if _, err := expfmt.MetricFamilyToOpenMetrics(w.out, family); err != nil {
			return err
		}
	}
	_, err := expfmt.FinalizeOpenMetrics(w.out)
	return err
}
