package compare_test

import (
	"fmt"

	"opengauge/core/judge/compare"
	"opengauge/core/load"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Two sessions side by side: what differs, and whether that is more than chance.
func ExampleNew() {
	of := func(name, fan string, rates ...float64) *session.Session {
		s := &session.Session{ID: name, Name: name, Conditions: map[string]string{"fan": fan}}
		for i, rate := range rates {
			s.Passes = append(s.Passes, session.Pass{Index: i, Repeat: i, BytesPerSecond: unit.BytesPerSecond(rate),
				ElapsedSeconds: 5, AskedSeconds: 5, Load: load.New(load.Write, load.Sequential, unit.MiB, 8)})
		}
		return s
	}
	c, err := compare.New([]*session.Session{
		of("fan-off", "off", 500e6, 505e6, 495e6), of("fan-on", "on", 900e6, 903e6, 897e6),
	}, compare.Terms{})
	if err != nil {
		fmt.Println(err)
		return
	}
	contrast := c.Rows[0].Contrasts[1]
	fmt.Printf("%s: %.2f times, %s\n", c.Rows[0].Label, contrast.Ratio, contrast.Verdict)
	fmt.Println(c.Verdicts[0])
	// Output:
	// write sequential 1 MiB, depth 8: 1.80 times, better
	// fan-on against fan-off: 80 % faster at write sequential 1 MiB, depth 8 (+76 % to +84 %); only fan differs.
}
