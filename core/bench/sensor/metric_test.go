package sensor

import (
	"bytes"
	"math"
	"testing"

	dto "github.com/prometheus/client_model/go"
	"github.com/prometheus/common/expfmt"
	"github.com/prometheus/common/model"
)

func TestMetricValue(t *testing.T) {
	const page = `# HELP psu_watts Power.
# TYPE psu_watts gauge
psu_watts{outlet="deck \\"A\\", aft}",phase="1"} 4.25 1700000000000
psu_watts{outlet="b"} 9
 bare 1e3
{"tide.level", port="deck"} -0.5
{"gulls", "a b"="c"} 3
up +Inf
# EOF
`
	for metric, want := range map[string]float64{
		"psu_watts": 4.25, "bare": 1000, "tide.level": -0.5, "gulls": 3, "up": math.Inf(1),
	} {
		if got, err := metricValue([]byte(page), metric); err != nil || got != want {
			t.Errorf("%s is %v, want %v (%v)", metric, got, want, err)
		}
	}
	for _, bad := range []string{"", "watts", "watts{", "watts{a=}", `watts{a="b} 1`, "watts 0x1p2", "watts 1_000",
		"watts many", "other 1\n", "{} 1", "# watts 1"} {
		if got, err := metricValue([]byte(bad), "watts"); err == nil {
			t.Errorf("%q gives %v", bad, got)
		}
	}
}

// Where another parser of the format finds a value, this one finds the same.
func FuzzMetricValue(f *testing.F) {
	f.Add([]byte("a{b=\"c\"} 1\n# TYPE d gauge\nd 2.5 17\n{\"e.f\",g=\"\\\\\"} -3e-4\n"))
	f.Add([]byte("# TYPE h histogram\nh_bucket{le=\"1\"} 1\nh_bucket{le=\"+Inf\"} 2\nh_sum 3\nh_count 2\n"))
	f.Add([]byte("x NaN\ny\t+Inf\nz -Inf"))
	f.Fuzz(func(t *testing.T, page []byte) {
		parser := expfmt.NewTextParser(model.UTF8Validation)
		families, err := parser.TextToMetricFamilies(bytes.NewReader(page))
		_, _ = metricValue(page, "a") // never fails badly
		if err != nil {
			return
		}
		for name, family := range families {
			want, ok := firstValue(family.Metric[0])
			if !ok {
				continue
			}
			got, err := metricValue(page, name)
			if err != nil || got != want && !(math.IsNaN(got) && math.IsNaN(want)) {
				t.Errorf("%q is %v, another parser finds %v (%v)", name, got, want, err)
			}
		}
	})
}

func firstValue(m *dto.Metric) (float64, bool) {
	switch {
	case m.Gauge != nil:
		return m.Gauge.GetValue(), true
	case m.Untyped != nil:
		return m.Untyped.GetValue(), true
	case m.Counter != nil:
		return m.Counter.GetValue(), true
	}
	return 0, false
}
