package stream

import (
	"math"
	"strings"
	"testing"

	"opengauge/core/unit"
)

// Worked by hand: width x height x bits a pixel x frames / 8.
func TestRatesOfGeometries(t *testing.T) {
	for name, c := range map[string]struct {
		source string
		want   float64
	}{
		"1080, 8 bit, 4:2:2, 25": {"video: {frame: 1920x1080, fps: 25, bits: 8, chroma: \"4:2:2\"}",
			1920 * 1080 * 16 * 25 / 8},
		"1080, 10 bit, 4:2:2, 59.94": {"video: {frame: 1920x1080, fps: 60000/1001, bits: 10, chroma: \"4:2:2\"}",
			310_729_271},
		"1080, 8 bit, 4:2:0, 30":  {"video: {frame: 1920x1080, fps: 30, bits: 8, chroma: \"4:2:0\"}", 93_312_000},
		"2160, 10 bit, 4:2:2, 25": {"video: {frame: 3840x2160, fps: 25, bits: 10, chroma: \"4:2:2\"}", 518_400_000},
		"2160, 10 bit, 4:2:2, 60": {"video: {frame: 3840x2160, fps: 60, bits: 10, chroma: \"4:2:2\"}",
			1_244_160_000},
		"4096, 12 bit, 4:4:4, 24": {"video: {frame: 4096x2160, fps: 24, bits: 12, chroma: \"4:4:4\"}", 955_514_880},
		"4320, 10 bit, 4:2:0, 60": {"video: {frame: 7680x4320, fps: 60, bits: 10, chroma: \"4:2:0\"}",
			3_732_480_000},
		"with alpha, 16 bit, 24": {"video: {frame: 2048x1080, fps: 24, bits: 16, chroma: \"4:4:4:4\"}",
			424_673_280},
		"grey, 12 bit, 1000":   {"video: {frame: 1280x800, fps: 1000, bits: 12, chroma: grey}", 1_536_000_000},
		"packed to 32 bit, 24": {"images: {frame: 2048x1556, fps: 24, bits-per-pixel: 32}", 305_922_048},
		"images with a header of 8 K": {"images: {frame: 4096x2160, fps: 24, bits: 16, chroma: \"4:4:4\", " +
			"header: 8KiB}", 1_274_019_840 + 8192*24},
		"2 channels, 48 kHz, 24 bit":  {"audio: {channels: 2, rate: 48kHz, bits: 24}", 288_000},
		"64 channels, 96 kHz, 24 bit": {"audio: {channels: 64, rate: 96kHz, bits: 24}", 18_432_000},
		"as given":                    {"data-rate: 1Gbit/s", 125_000_000},
	} {
		streams, err := Parse("x.yaml", []byte("streams:\n  - name: x\n    "+c.source+"\n"))
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if got := float64(streams[0].Rate); !(math.Abs(got-c.want) <= 1) {
			t.Errorf("%s: %.0f bytes a second, want %.0f", name, got, c.want)
		}
		if streams[0].Formula == "" {
			t.Errorf("%s: the formula is not said", name)
		}
	}
}

// steady is a series at one rate.
func steady(seconds int, rate unit.BytesPerSecond) []Stretch {
	series := make([]Stretch, seconds)
	for i := range series {
		series[i] = Stretch{1, rate}
	}
	return series
}

// A stall of three seconds fails a stream that the average would pass.
func TestAStallThatTheAverageHides(t *testing.T) {
	series := steady(60, 500e6)
	for i := 30; i < 33; i++ {
		series[i].Rate = 0
	}
	s := Stream{Rate: 400e6, Buffer: 1000e6} // 475 MB/s on average
	got := Carry(Series{Recorded: series}, s, 1)
	if got.Carried || got.LongestStallSeconds != 3 || got.BufferNeeded != 1200e6 || got.UntilSeconds != 32.5 {
		t.Errorf("with a buffer of 2.5 s: %+v", got)
	}
	s.Buffer = 1200e6
	if got := Carry(Series{Recorded: series}, s, 1); !got.Carried || got.UntilSeconds != 60 {
		t.Errorf("with a buffer of 3 s: %+v", got)
	}
	s.Buffer = 0
	if got := Carry(Series{Recorded: steady(10, 400e6)}, s, 1); !got.Carried {
		t.Errorf("exactly what it needs, without a buffer: %+v", got)
	}
}

func TestUntilTheWriteAreaIsFull(t *testing.T) {
	series := append(steady(100, 2000e6), steady(100, 190e6)...)
	s := Stream{Rate: 300e6, Buffer: 1100e6}
	got := Carry(Series{Recorded: series}, s, 1)
	if got.Carried || !(math.Abs(got.UntilSeconds-110) <= 1e-9) || got.LongestStallSeconds != 100 ||
		got.BufferNeeded != 11000e6 {
		t.Errorf("%+v", got)
	}
	if most := Most(Series{Recorded: series[:100]}, s); most != 6 {
		t.Errorf("%d at once while it lasts, want 6", most)
	}
	if most := Most(Series{Recorded: series}, s); most != 0 {
		t.Errorf("%d at once over all of it", most)
	}
	if most := Most(Series{Recorded: steady(10, 1e12)}, Stream{Rate: 1}); most < 99_999 {
		t.Errorf("%d of next to nothing", most)
	}
}

func TestListsThatCannotBeRead(t *testing.T) {
	for source, want := range map[string]string{
		"streams: []": "empty", "boats: []": "unknown key", "streams:\n  - data-rate: 1MB/s": "needs a \"name\"",
		"streams:\n  - {name: x}": "needs one of",
		"streams:\n  - {name: x, data-rate: 1MB/s, audio: {rate: 48kHz}}":          "needs one of",
		"streams:\n  - {name: x, video: {frame: 1920, fps: 25}}":                   "like 1920x1080",
		"streams:\n  - {name: x, video: {frame: 10x10, fps: 1/0}}":                 "frames a second",
		"streams:\n  - {name: x, video: {frame: 10x10, fps: 25, chroma: \"4:1\"}}": "chroma",
		"streams:\n  - {name: x, audio: {rate: 48}}":                               "like 96kHz",
		"streams:\n  - {name: x, data-rate: 0MB/s}":                                "no data",
		"streams:\n  - {name: x, data-rate: 5Mb}":                                  "not a rate",
	} {
		if _, err := Parse("x.yaml", []byte(source)); err == nil || !strings.Contains(err.Error(), want) ||
			!strings.HasPrefix(err.Error(), "x.yaml:") {
			t.Errorf("%q: %v, want %q in it", source, err, want)
		}
	}
	if _, err := Set("nonesuch"); err == nil || !strings.Contains(err.Error(), "recorders") {
		t.Errorf("an unknown list: %v", err)
	}
}

func TestShippedListsAreSound(t *testing.T) {
	for _, name := range SetNames() {
		if streams, err := Set(name); err != nil || len(streams) < 3 {
			t.Errorf("%s: %d streams, %v", name, len(streams), err)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add("streams:\n  - {name: x, video: {frame: 1920x1080, fps: 25}}")
	f.Add("streams:\n  - {name: x, audio: {channels: 2, rate: 48kHz}}")
	f.Fuzz(func(t *testing.T, source string) {
		streams, err := Parse("f.yaml", []byte(source))
		for _, s := range streams {
			if err == nil && (s.Rate <= 0 || math.IsInf(float64(s.Rate), 0) || s.AtOnce < 1) {
				t.Errorf("a stream of %v", s)
			}
		}
	})
}

// What a buffer alone carries ends after the recording, and what is not known is not said
// to be for good.
func TestHowLongStreamsAreCarried(t *testing.T) {
	short := Series{Recorded: steady(5, 210e6)}
	lasting := Series{Recorded: append(steady(60, 2000e6), steady(60, 190e6)...), Onward: steady(1, 190e6)}
	turns := Series{Recorded: steady(50, 600e6), Onward: append(steady(30, 800e6), steady(20, 100e6)...)}
	for _, c := range []struct {
		name    string
		series  Series
		rate    unit.BytesPerSecond
		atOnce  int
		buffer  unit.Bytes
		carried bool
		lasting bool
		until   float64
	}{
		{"more than it gives, and a buffer", short, 78e6, 4, 255e6, false, false, 10},
		{"less than it gives, while recorded", short, 50e6, 4, 64e6, true, false, 5},
		{"less than it settles at", lasting, 180e6, 1, 64e6, true, true, 120},
		{"more than it settles at", lasting, 300e6, 1, 11e9, false, false, 160},
		{"dips that the buffer holds", turns, 500e6, 1, 8e9, true, true, 50},
		{"dips that it does not", turns, 500e6, 1, 7e9, false, false, 97.5},
	} {
		got := Carry(c.series, Stream{Rate: c.rate, Buffer: c.buffer}, c.atOnce)
		if got.Carried != c.carried || got.Lasting != c.lasting || !(math.Abs(got.UntilSeconds-c.until) <= 0.02*c.until) {
			t.Errorf("%s: %+v, want until %v", c.name, got, c.until)
		}
	}
	if most := Most(short, Stream{Rate: 78e6, Buffer: 2 * unit.GiB}); most != 2 {
		t.Errorf("%d of 78 MB/s at once from 210 MB/s, whatever the buffer; want 2", most)
	}
	if most := Most(lasting, Stream{Rate: 90e6, Buffer: unit.GiB}); most != 2 {
		t.Errorf("%d of 90 MB/s at once in the long run, want 2", most)
	}
}

// By small steps, the same is true as by the jump over turns that are alike.
func TestManyTurnsAreJumpedOver(t *testing.T) {
	turn := append(steady(30, 800e6), steady(20, 100e6)...)
	s := Stream{Rate: 530e6, Buffer: 30e9}
	jumped := Carry(Series{Recorded: steady(10, 600e6), Onward: turn}, s, 1)
	long := steady(10, 600e6)
	for range 400 {
		long = append(long, turn...)
	}
	stepped := Carry(Series{Recorded: long}, s, 1)
	if jumped.Carried || stepped.Carried || !(math.Abs(jumped.UntilSeconds-stepped.UntilSeconds) <= 1e-6) {
		t.Errorf("until %v s, and step by step %v s", jumped.UntilSeconds, stepped.UntilSeconds)
	}
}

func TestAmountsOfStreams(t *testing.T) {
	s := Stream{Rate: 100e6}
	for _, c := range []struct {
		outcome Outcome
		amount  unit.Bytes
		want    Held
	}{
		{Outcome{AtOnce: 1, Carried: true, UntilSeconds: 60}, 5 * unit.GB, Yes},
		{Outcome{AtOnce: 1, Carried: true, UntilSeconds: 60}, 7 * unit.GB, NotKnown},
		{Outcome{AtOnce: 1, Carried: true, Lasting: true, UntilSeconds: 60}, 700 * unit.GB, Yes},
		{Outcome{AtOnce: 2, UntilSeconds: 60}, 13 * unit.GB, No},
		{Outcome{AtOnce: 2, UntilSeconds: 60}, 11 * unit.GB, Yes},
	} {
		if got := c.outcome.For(c.amount, s); got != c.want {
			t.Errorf("%s of %+v: %s, want %s", c.amount.Decimal(), c.outcome, got, c.want)
		}
	}
}
