package session

import (
	"fmt"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/plan"
)

// sustained is how long a pass is that tells of more than a burst: of heat, and of
// write areas that run out.
const sustained = 45 * time.Second

// Load is what a pass asked of the storage, whatever step and plan it came from:
// passes of two sessions with the same load can be compared. A long pass is another
// load than a short one, as a short one may not show what time does.
func (p *Pass) Load() plan.Pass {
	asked := p.Asked()
	if asked.Step == "sustain" || p.ElapsedSeconds >= sustained.Seconds() {
		asked.Hold = sustained
	}
	asked.Step = ""
	asked.Workers = max(asked.Workers, 1)
	asked.Depth = max(asked.Depth, 1)
	return asked
}

// Load is what a copy asked of the storage: the same files, the same way, so many at
// once. Between more than two ends, the way is a part of it.
func (c *Copy) Load(s *Session) plan.Pass {
	step := fmt.Sprintf("%s, %s of %s in %d files", c.Work, c.Set, c.Spread.Bytes.Decimal(), c.Spread.Files)
	if c.Seed > 0 {
		step += fmt.Sprintf(", seed %d", c.Seed)
	}
	if len(s.Ends) > 2 || c.From == 1 || c.To == 0 {
		for role, end := range []int{c.From, c.To} {
			if end >= 0 {
				step += []string{", from ", ", to "}[role] + s.Ends[end].Address
			}
		}
	}
	operation := plan.Write
	if c.Work == CopySource {
		operation = plan.Read
	}
	return plan.Pass{Step: step, Operation: operation, Access: plan.Sequential, Depth: 1, Workers: c.Parallel}
}

// LoadLabel names a load for people: "write sequential 1 MiB, depth 8, sustained".
func LoadLabel(load plan.Pass) string {
	if load.Step != "" { // of a copy
		if load.Workers > 1 {
			return fmt.Sprintf("%s, %d at once", load.Step, load.Workers)
		}
		return load.Step
	}
	if load.Hold > 0 {
		return load.Label() + ", sustained"
	}
	return load.Label()
}

// Class is what a session is ranked among: the same kind of storage through the
// same narrowest hop, real or simulated.
func (s *Session) Class() string {
	class := s.storageKind()
	if hop, known := s.Chain.Binding(); known {
		class += " through " + hop.Standard
	}
	if s.Simulated {
		class = "simulated " + class
	}
	return class
}

// storageKind is the family of the link that the storage itself is on.
func (s *Session) storageKind() string {
	if last := len(s.Chain.Hops) - 1; last >= 0 {
		standard := s.Chain.Hops[last].Standard
		if found, err := link.Find(standard); err == nil {
			return found.Family
		}
		return standard
	}
	if s.Target.Kind != "" {
		return s.Target.Kind
	}
	return "storage"
}
