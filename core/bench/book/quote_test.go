package book

import (
	"math"
	"strings"
	"testing"

	"opengauge/core/unit"
)

func TestQuotedFigures(t *testing.T) {
	parsed, err := Parse("b", []byte(`currency: EUR
drives:
  dunlin: {link: pcie 3.0 x4, price: 100, price-date: 2026-04-01, price-kind: street, extras: {sled: 12, postage: 4.5}}
quoted:
  - {part: dunlin, load: "write sequential 1 MiB, depth 8", value: 2900MB/s, source: a review, date: 2026-04-02}
  - {part: dunlin, load: "read random 4 KiB, depth 32", value: 410000 IOPS, source: maker, set: sheets}
  - {part: dunlin, load: "read random 4 KiB, depth 1", value: 84us, source: maker}
`))
	if err != nil {
		t.Fatal(err)
	}
	part, _ := parsed.Part("dunlin")
	if parsed.Currency != "EUR" || part.Costs() != 116.5 || part.PriceKind != "street" || part.PriceDate != "2026-04-01" {
		t.Errorf("%+v costs %v", part, part.Costs())
	}
	q := parsed.Quoted
	if len(q) != 3 || q[0].Rate != 2900e6 || q[0].Date != "2026-04-02" || q[1].IOPS != 410000 || q[1].Set != "sheets" ||
		!(math.Abs(q[2].Latency-84e-6) <= 1e-12) {
		t.Fatalf("%+v", q)
	}
	if got := q[0].Text(unit.Decimal); got != "2\u00a0900 MB/s" {
		t.Errorf("%q", got)
	}
}

func TestQuotedFiguresThatCannotBe(t *testing.T) {
	for value, want := range map[string]string{
		"2900": "no figure with its unit", "": "no figure", "-3 IOPS": "not a number", "NaN IOPS": "not a number",
		"2900Mb/s": "no figure", "0us": "no figure", "fast": "no figure", "1e12 IOPS": "not a number",
	} {
		if q, err := ParseQuote("dunlin", "read random 4 KiB, depth 1", value); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%q: %+v, %v", value, q, err)
		}
	}
	if _, err := ParseQuote(" ", "read random 4 KiB, depth 1", "1MB/s"); err == nil {
		t.Error("a figure of nothing")
	}
	if _, err := ParseQuote("dunlin", "fast", "1MB/s"); err == nil {
		t.Error("a figure at no load")
	}
	for source, want := range map[string]string{
		"quoted:\n  - {part: a, load: x, value: 1MB/s}":                                     "source",
		"quoted:\n  - {part: a, load: \"x\", value: 1MB/s, source: b}":                      "not a load",
		"currency: euros and cents":                                                         "no currency",
		"drives:\n  a: {link: sata 3, price: 1, price-kind: guessed}":                       "kind of price",
		"drives:\n  a: {link: sata 3, price: 1, price-date: last week}":                     "no day",
		"drives:\n  a: {link: sata 3, price: 1, extras: {sled: -1}}":                        "not a price",
		"quoted:\n  - {part: a, load: \"read random 4 KiB, depth 1\", value: 1, source: b}": "unit",
	} {
		if _, err := Parse("b", []byte(source)); err == nil || !strings.Contains(err.Error(), want) ||
			!strings.HasPrefix(err.Error(), "b:") {
			t.Errorf("%q: %v, want %q in it", source, err, want)
		}
	}
}

func FuzzParseQuote(f *testing.F) {
	f.Add("write sequential 1 MiB, depth 8", "2900MB/s")
	f.Add("read random 4 KiB, depth 32", "410000 IOPS")
	f.Add("read random 4 KiB, depth 1", "84us")
	f.Fuzz(func(t *testing.T, load, value string) {
		q, err := ParseQuote("dunlin", load, value)
		set := 0
		for _, v := range []float64{float64(q.Rate), q.IOPS, q.Latency} {
			if v > 0 && !math.IsInf(v, 0) {
				set++
			}
		}
		if err == nil && set != 1 {
			t.Errorf("%q, %q is %+v", load, value, q)
		}
	})
}
