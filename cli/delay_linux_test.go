package cli_test

import (
	"fmt"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/lab/witness"
)

// A file that answers after a known delay: no operation takes less, and on a quiet machine half
// of them take hardly more.
func TestAKnownDelayIsSeen(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		delay time.Duration
		depth int
	}{{2 * time.Millisecond, 1}, {20 * time.Millisecond, 1}, {20 * time.Millisecond, 8}} {
		t.Run(fmt.Sprintf("%s at depth %d", c.delay, c.depth), func(t *testing.T) {
			plan := planFile(t, fmt.Sprintf("{operation: read, access: random, block: 4KiB, depth: %d, hold: 1s}", c.depth))
			slow := witness.Mount(t, c.delay)
			witness.OnQuietMachine(t, func() (faults []string) {
				s := decode[session.Session](t, newProgramDesk(t).must("measure", slow.Folder, "--plan", plan, "--size", "1MiB",
					"--json"))
				pass := s.Passes[0]
				p50, held := pass.Latency.P50, slow.HoldTime().Seconds()
				if p50 < c.delay.Seconds() || !pass.Direct {
					t.Fatalf("p50 is %v s, direct I/O %v", p50, pass.Direct)
				}
				if rate := float64(c.depth) / c.delay.Seconds(); pass.IOPS > 1.01*rate {
					t.Errorf("%.0f IOPS, more than the %.0f that Little's law allows", pass.IOPS, rate)
				}
				const share, way = 1.02, 200e-6 // the kernel, and back through the file's process
				if p50 > held*share+way {
					faults = append(faults, fmt.Sprintf("p50 is %.3f ms, the file held them for %.3f ms", p50*1e3, held*1e3))
				}
				return faults
			})
		})
	}
}
