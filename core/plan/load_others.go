package plan

import (
	"fmt"
	"strconv"

	"opengauge/core/document"
	"opengauge/core/unit"
)

// mostOthers bounds how many targets contend.
const mostOthers = 16

func parseContend(node document.Node) (*Contend, error) {
	fields, err := node.Fields("with", "operation", "access", "block", "depth", "hold")
	if err != nil {
		return nil, err
	}
	c := &Contend{}
	for _, key := range []string{"with", "operation", "access", "block", "depth"} {
		if _, given := fields[key]; !given {
			return nil, node.Errorf("the key %q is missing", key)
		}
	}
	err = firstOf(
		func() error { return list(node, fields, "with", &c.With, parseAddress) },
		func() error { return optional(fields, "operation", &c.Operation, parseReadOrWrite) },
		func() error { return optional(fields, "access", &c.Access, ParseAccess) },
		func() error { return optional(fields, "block", &c.Block, ParseBlock) },
		func() error { return optional(fields, "depth", &c.Depth, ParseDepth) },
		func() error { return optional(fields, "hold", &c.HoldSeconds, parseHoldSeconds) },
	)
	if err == nil && (len(c.With) == 0 || len(c.With) > mostOthers) {
		err = fields["with"].Errorf("expected 1 to %d other targets", mostOthers)
	}
	return c, err
}

func parseAddress(text string) (string, error) {
	if text == "" {
		return "", fmt.Errorf("expected a target, like /media/other")
	}
	return text, nil
}

func parseStart(node document.Node) (*Start, error) {
	fields, err := node.Fields("reads", "block", "at-once")
	if err != nil {
		return nil, err
	}
	s := &Start{Block: 16 * unit.KiB, AtOnce: 4}
	if _, given := fields["reads"]; !given {
		return nil, node.Errorf("the key \"reads\" is missing: how many pieces are read")
	}
	err = firstOf(
		func() error { return optional(fields, "reads", &s.Reads, parseReads) },
		func() error { return optional(fields, "block", &s.Block, ParseBlock) },
		func() error { return optional(fields, "at-once", &s.AtOnce, ParseWorkers) },
	)
	return s, err
}

func parseReads(text string) (int, error) {
	reads, err := strconv.Atoi(text)
	if err != nil || reads < 1 || reads > 10_000_000 {
		return 0, fmt.Errorf("%q is not how many pieces are read, from 1 to 10 000 000", text)
	}
	return reads, nil
}
