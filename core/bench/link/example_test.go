package link_test

import (
	"fmt"
	"strings"

	"opengauge/core/bench/link"
	"opengauge/core/unit"
)

// The narrowest hop binds a chain.
func ExampleParseChain() {
	chain, err := link.ParseChain("usb 3.2 gen 2 > pcie 3.0 x4")
	if err != nil {
		fmt.Println(err)
		return
	}
	hop, _ := chain.Binding()
	usable, _ := chain.Usable()
	fmt.Println(hop.Standard, unit.Decimal.Between(usable.Low, usable.High), unit.Decimal.Unit())
	// Output:
	// usb 3.2 gen 2 961 to 1 084 MB/s
}

// A name that is none gets the nearest that are.
func ExampleFind() {
	_, err := link.Find("usb 3.2 gen2x3")
	for _, part := range strings.Split(err.Error(), "; ")[:2] {
		fmt.Println(part)
	}
	// Output:
	// unknown link standard "usb 3.2 gen2x3"
	// the nearest are usb 3.2 gen 2x2, usb 3.2 gen 1x2, usb 3.2 gen 2
}
