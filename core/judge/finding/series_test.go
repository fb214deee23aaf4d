package finding_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"opengauge/core/judge/finding"
	"opengauge/core/load"
	"opengauge/core/record/series"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

var writes = series.About{Operation: load.Write, Access: load.Sequential, Block: unit.MiB, Depth: 8}

func read(t testing.TB, text string, about series.About) *session.Session {
	t.Helper()
	s, err := series.Read("r.csv", strings.NewReader(text), about)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// table writes a recording with a line a second.
func table(header string, lines int, line func(second int) string) string {
	var text strings.Builder
	text.WriteString(header + "\n")
	for second := range lines {
		text.WriteString(line(second) + "\n")
	}
	return text.String()
}

// sawTooth is a drive that slows itself at 70 degrees, again and again.
func sawTooth(second int) (rate, celsius float64) {
	switch at := second % 100; {
	case second < 120:
		return 1000e6, 30 + 40*float64(second)/120
	case at >= 20 && at < 80:
		return 400e6, 70 - 8*float64(at-20)/60
	case at >= 80:
		return 1000e6, 62 + 4*float64(at-80)/20
	default:
		return 1000e6, 66 + 4*float64(at)/20
	}
}

func kindsIn(s *session.Session) string {
	var names []string
	for _, f := range finding.Detect(s, unit.Decimal) {
		names = append(names, f.Kind)
	}
	return strings.Join(names, " ")
}

func events(s *session.Session) string {
	var texts []string
	for _, e := range s.Events {
		texts = append(texts, e.Kind+": "+e.Detail)
	}
	return strings.Join(texts, "\n")
}

func TestARecordingIsExplained(t *testing.T) {
	const columns = "t_seconds,bytes_per_second,iops,p50_seconds,p99_seconds,errors,temperature_celsius," +
		"temperature_celsius:bridge"
	s := read(t, table(columns, 500, func(second int) string {
		rate, celsius := sawTooth(second)
		return fmt.Sprintf("%d,%.0f,950,0.001,0.002,0,%.1f,41", second, rate, celsius)
	}), writes)
	if got := kindsIn(s); got != "heat-throttle" {
		t.Errorf("found %q", got)
	}
	pass := s.Passes[0]
	if len(pass.Samples) != 500 || pass.ElapsedSeconds != 500 ||
		pass.Samples[3].TemperaturesCelsius["bridge"] != 41 || pass.Samples[3].IOPS != 950 || len(s.Events) != 0 {
		t.Errorf("%d samples over %v s, events %q", len(pass.Samples), pass.ElapsedSeconds, events(s))
	}
}

// Whatever is wrong with a recording of a healthy drive is named, and makes no
// finding.
func TestFaultyRecordings(t *testing.T) {
	healthy := func(second int) string { return fmt.Sprintf("%d,1.0e9,%.1f", second, 30+float64(min(second, 300))/10) }
	const header = "t_seconds,bytes_per_second,temperature_celsius"
	cases := []struct {
		name, want string
		line       func(int) string
	}{
		{"nothing wrong", "", healthy},
		{"a gap", "nothing was recorded for 90 s", func(s int) string {
			if s > 200 {
				s += 89
			}
			return healthy(s)
		}},
		{"repeated times", "120 lines at the time", func(s int) string {
			if s < 240 {
				s = s / 2 * 2
			}
			return healthy(s)
		}},
		{"a clock that steps back", "stepped back by 59 min 59 s", func(s int) string {
			line := healthy(s)
			if s > 250 {
				line = strings.Replace(line, fmt.Sprint(s), fmt.Sprint(s-3600), 1)
			}
			return line
		}},
		{"a clock that starts late", "", func(s int) string {
			return strings.Replace(healthy(s), fmt.Sprint(s), fmt.Sprintf("%d", 1700000000+s), 1)
		}},
		{"no numbers", "60 lines without", func(s int) string {
			if s%10 == 0 {
				return fmt.Sprintf("%d,NaN,30", s)
			}
			return healthy(s)
		}},
		{"a sensor at 255", "6 temperatures that cannot be true", func(s int) string {
			if s%100 == 50 {
				return fmt.Sprintf("%d,1e9,255", s)
			}
			return healthy(s)
		}},
		{"a sensor at 0", "6 temperatures that cannot be true", func(s int) string {
			if s%100 == 50 {
				return fmt.Sprintf("%d,1e9,0", s)
			}
			return healthy(s)
		}},
		{"lines cut short", "6 lines without", func(s int) string {
			if s%100 == 50 {
				return fmt.Sprint(s)
			}
			return healthy(s)
		}},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			s := read(t, table(header, 600, c.line), writes)
			if got := kindsIn(s); got != "" {
				t.Errorf("found %q", got)
			}
			if told := events(s); !strings.Contains(told, c.want) || c.want == "" && told != "" {
				t.Errorf("told %q, want %q", told, c.want)
			}
			if total := s.Passes[0].Samples[len(s.Passes[0].Samples)-1].TSeconds; total > 800 || total < 400 {
				t.Errorf("the recording lasts %v s", total)
			}
		})
	}
}

func TestRecordingsThatAreNone(t *testing.T) {
	cases := []struct{ text, want string }{
		{"", "is empty"},
		{"t_seconds,mb_per_second\n1,2\n", "no column \"bytes_per_second\", but t_seconds, mb_per_second"},
		{"t_seconds,t_seconds,bytes_per_second\n", "is there twice"},
		{"t_seconds,bytes_per_second\n", "0 lines of it"},
		{"t_seconds,bytes_per_second\n1,NaN\n2,x\n3,-4\n", "0 lines of it"},
		{table("t_seconds,bytes_per_second", 9, func(s int) string { return fmt.Sprintf("%d,1042", s) }),
			"look like MB/s"},
		{table("t_seconds,bytes_per_second", 9, func(s int) string { return fmt.Sprintf("%d,1e15", s) }),
			"faster than any storage"},
		{table("t_seconds,bytes_per_second", 9, func(s int) string { return fmt.Sprintf("%d,0", s) }),
			"nothing ever moved"},
		{"t_seconds,bytes_per_second\n1,\"2", "r.csv: "},
	}
	for _, c := range cases {
		if _, err := series.Read("r.csv", strings.NewReader(c.text), writes); err == nil ||
			!strings.Contains(err.Error(), c.want) {
			t.Errorf("%.40q gives %v, want %q in it", c.text, err, c.want)
		}
	}
}

func TestManyRowsArePutTogether(t *testing.T) {
	const rows = 1_000_000
	s := read(t, table("t_seconds,bytes_per_second", rows, func(second int) string {
		if second >= rows/2 {
			return fmt.Sprintf("%d,2e8", second)
		}
		return fmt.Sprintf("%d,1e9", second)
	}), writes)
	if samples := len(s.Passes[0].Samples); samples > 200_000 || !strings.Contains(events(s), "8 lines each") {
		t.Errorf("%d samples, %q", samples, events(s))
	}
	if moved := float64(s.Passes[0].Bytes); !(math.Abs(moved/(0.6e9*rows)-1) <= 0.001) {
		t.Errorf("%.4g bytes moved, want %.4g", moved, 0.6e9*rows)
	}
	if got := kindsIn(s); got != "unsteady" { // a write area or an allowance
		t.Errorf("found %q", got)
	}
}

func TestCeiling(t *testing.T) {
	about := writes
	about.Ceiling = 1.02e9
	s := read(t, table("t_seconds,bytes_per_second", 60, func(s int) string { return fmt.Sprintf("%d,1e9", s) }), about)
	if got := kindsIn(s); got != "link-bound" {
		t.Errorf("found %q", got)
	}
}
