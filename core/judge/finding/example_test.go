package finding_test

import (
	"fmt"
	"strings"

	"opengauge/core/bench/link"
	"opengauge/core/judge/finding"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// What was found is said in the units that are asked for, with typed evidence.
func ExampleDetect() {
	chain, _ := link.ParseChain("usb 3.2 gen 2 > pcie 3.0 x4")
	s := &session.Session{Chain: chain}
	for i, block := range []unit.Bytes{unit.MiB, 64 * unit.KiB} {
		s.Passes = append(s.Passes, session.Pass{
			Index: i, Load: load.New(load.Read, load.Sequential, block, 8),
			ElapsedSeconds: 5, Operations: 5000, Bytes: 5_210_000_000, BytesPerSecond: 1042e6,
			Latency: session.Latency{P50: 0.008, P99: 0.008},
		})
	}
	for _, f := range finding.Detect(s, unit.Bits) {
		fmt.Println(f.Severity, f.Kind)
		fmt.Println(f.Summary[strings.LastIndex(f.Summary, "ran at"):])
		evidence, ok := finding.EvidenceOf[finding.LinkBoundEvidence](f)
		fmt.Println(evidence.Standard, ok)
	}
	// Output:
	// note link-bound
	// ran at 8.34 Gbit/s, within the 7.69 to 8.67 Gbit/s that it carries.
	// usb 3.2 gen 2 true
}
