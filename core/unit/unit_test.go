package unit

import (
	"testing"
	"time"
)

func TestParseBytes(t *testing.T) {
	for text, want := range map[string]Bytes{
		"512": 512, "512B": 512, "4KiB": 4096, " 1 MiB ": 1 << 20, "1.5KiB": 1536,
		"4kb": 4000, "500 GB": 500e9, "2TiB": 2 << 40, "0": 0,
	} {
		got, err := ParseBytes(text)
		if err != nil || got != want {
			t.Errorf("ParseBytes(%q) = %d, %v; want %d", text, got, err, want)
		}
	}
}

func TestParseBytesRefuses(t *testing.T) {
	for _, text := range []string{"", "KiB", "-1", "1Gb", "1 Gbit", "8Mbit", "4 QiB", "1.2.3KiB", "0.3B", "NaN",
		"1e9", "99999999TiB"} {
		if got, err := ParseBytes(text); err == nil {
			t.Errorf("ParseBytes(%q) = %d, want an error", text, got)
		}
	}
}

func TestBytesAreWrittenInBothUnits(t *testing.T) {
	for _, c := range []struct {
		size            Bytes
		block, capacity string
	}{
		{4096, "4 KiB", "4.1 kB (4 KiB)"},
		{MiB, "1 MiB", "1.05 MB (1 MiB)"},
		{1000, "1000 B", "1 kB (1000 B)"},
		{512 * GB, "500000000 KiB", "512 GB (477 GiB)"},
		{999_999, "999999 B", "1 MB (977 KiB)"},
		{0, "0 B", "0 B (0 B)"},
	} {
		if got := c.size.String(); got != c.block {
			t.Errorf("%d is written %q, want %q", c.size, got, c.block)
		}
		if got := c.size.Capacity(); got != c.capacity {
			t.Errorf("capacity of %d is written %q, want %q", c.size, got, c.capacity)
		}
	}
}

func TestRateInEachNotation(t *testing.T) {
	const rate = BytesPerSecond(1.042e9)
	for notation, want := range map[Notation]string{Decimal: "1\u00a0042 MB/s", Binary: "994 MiB/s",
		Bits: "8.34 Gbit/s"} {
		if got := notation.Rate(rate); got != want {
			t.Errorf("notation %d writes %q, want %q", notation, got, want)
		}
	}
	for _, name := range NotationNames {
		if _, err := ParseNotation(name); err != nil {
			t.Error(err)
		}
	}
	if _, err := ParseNotation("furlongs"); err == nil {
		t.Error("an unknown notation gives no error")
	}
}

func TestParseRate(t *testing.T) {
	for text, want := range map[string]BytesPerSecond{"450MB/s": 450e6, "1 GiB/s": 1 << 30, "10Gbit/s": 1.25e9,
		"100 Mbit/s": 12.5e6} {
		got, err := ParseRate(text)
		if err != nil || got != want {
			t.Errorf("ParseRate(%q) = %v, %v; want %v", text, got, err, want)
		}
	}
	for _, text := range []string{"450", "450MB", "10 Gb/s", "fastbit/s", "-1Gbit/s"} {
		if got, err := ParseRate(text); err == nil {
			t.Errorf("ParseRate(%q) = %v, want an error", text, got)
		}
	}
}

func TestLatencyAndSpan(t *testing.T) {
	for seconds, want := range map[float64]string{
		0: "0 s", 750e-9: "750 ns", 84.21e-6: "84.2 µs", 0.0009999: "1 ms", 1.234e-3: "1.23 ms", 2.5: "2.5 s",
	} {
		if got := Latency(seconds); got != want {
			t.Errorf("Latency(%v) = %q, want %q", seconds, got, want)
		}
	}
	for span, want := range map[time.Duration]string{
		200 * time.Millisecond: "under 1 s", 45 * time.Second: "45 s", 125 * time.Second: "2 min 05 s",
		5 * time.Minute: "5 min", 200 * time.Minute: "3 h 20 min",
	} {
		if got := Span(span); got != want {
			t.Errorf("Span(%v) = %q, want %q", span, got, want)
		}
	}
}

func TestCelsius(t *testing.T) {
	for text, want := range map[string]Celsius{"45C": 45, "45 °C": 45, "21.5": 21.5, "-5C": -5} {
		if got, err := ParseCelsius(text); err != nil || got != want {
			t.Errorf("ParseCelsius(%q) = %v, %v; want %v", text, got, err, want)
		}
	}
	for _, text := range []string{"", "45F", "-300C", "warm"} {
		if got, err := ParseCelsius(text); err == nil {
			t.Errorf("ParseCelsius(%q) = %v, want an error", text, got)
		}
	}
	if got := Celsius(45.5).String(); got != "45.5 °C" {
		t.Errorf("45.5 is written %q", got)
	}
}

func FuzzParseBytes(f *testing.F) {
	for _, seed := range []string{"4KiB", "1 Gb", "500GB", "..", "1e3", "99999999999999999999"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		size, err := ParseBytes(text)
		if err == nil && size < 0 {
			t.Errorf("ParseBytes(%q) = %d, below zero", text, size)
		}
		if _, err := ParseRate(text + "/s"); err == nil && text == "" {
			t.Error("nothing is a rate")
		}
	})
}

func TestBetween(t *testing.T) {
	for notation, want := range map[Notation]string{Decimal: "961 to 1\u00a0084", Bits: "7.69 to 8.67"} {
		if got := notation.Between(961e6, 1084e6); got != want {
			t.Errorf("%s: %q, want %q", notation.Unit(), got, want)
		}
	}
	if got := Decimal.Between(125e6, 125e6); got != "125" {
		t.Errorf("a range without width is %q", got)
	}
}
