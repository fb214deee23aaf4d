package predict_test

import (
	"fmt"

	"opengauge/core/bench/link"
	"opengauge/core/judge/predict"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// A drive that one chain did not hold back, behind a narrower one.
func ExampleExpect() {
	wide, _ := link.ParseChain("pcie 3.0 x4")
	narrow, _ := link.ParseChain("usb 3.2 gen 1")
	s := &session.Session{Chain: wide}
	e := predict.Expect(s, load.New(load.Read, load.Sequential, unit.MiB, 8), 2000e6, narrow)
	fmt.Println(e.Binds, e.Hop, unit.Decimal.Between(e.Range.Low, e.Range.High))
	// Output:
	// hop hop 1 411 to 463
}
