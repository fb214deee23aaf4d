package plan

import (
	"fmt"
	"time"

	"opengauge/core/load"
)

// ParseWithin reads how well a throughput has to be known: "1%".
func ParseWithin(text string) (float64, error) {
	share, err := load.ParseShare(text)
	if err != nil || share < 0.0001 || share > 0.5 {
		return 0, fmt.Errorf("%q is not a precision between 0.01%% and 50%%", text)
	}
	return share, nil
}

func parseHoldSeconds(text string) (float64, error) {
	hold, err := ParseHold(text)
	return hold.Seconds(), err
}

// ParseHold reads how long a pass counts: "5s", "500ms", "10m".
func ParseHold(text string) (time.Duration, error) {
	hold, err := time.ParseDuration(text)
	if err != nil {
		return 0, fmt.Errorf("%q is not a time; write one like 5s, 500ms or 10m", text)
	}
	if hold < ShortestHold || hold > LongestHold {
		return 0, fmt.Errorf("a pass of %s is not between %s and %s", text, ShortestHold, LongestHold)
	}
	return hold, nil
}
