package windows

import (
	"math"
	"time"
)

// Traffic is what a disk counted since the machine started.
type Traffic struct {
	Read, Written int64
	// Waited is how long requests took, each for itself.
	Waited time.Duration
}

// Fields of a disk's performance counters, whose times are in units of 100 ns.
var (
	trafficRead    = field("DISK_PERFORMANCE", "BytesRead", 0, 8)
	trafficWritten = field("DISK_PERFORMANCE", "BytesWritten", 8, 8)
	trafficReading = field("DISK_PERFORMANCE", "ReadTime", 16, 8)
	trafficWriting = field("DISK_PERFORMANCE", "WriteTime", 24, 8)
)

// TrafficOf asks a disk or a volume what it counted.
func TrafficOf(s System, path string) (Traffic, bool) {
	told, err := s.Query(path, getPerformance, nil, smallAnswer)
	if err != nil || len(told) < trafficWriting.Offset+trafficWriting.Size {
		return Traffic{}, false
	}
	a := answer(told)
	const tick = 100 * time.Nanosecond
	return Traffic{Read: int64(a.number(trafficRead)), Written: int64(a.number(trafficWritten)),
		Waited: time.Duration(a.number(trafficReading)+a.number(trafficWriting)) * tick}, true
}

// lengthBytes is all that a device says of its length.
var lengthBytes = field("GET_LENGTH_INFORMATION", "Length", 0, 8)

// LengthOf asks a disk or a volume how many bytes it holds, and says whether it answered.
func LengthOf(s System, path string) (int64, bool) {
	told, err := s.Query(path, getLength, nil, smallAnswer)
	if err != nil || len(told) < lengthBytes.Size {
		return 0, false
	}
	length := answer(told).number(lengthBytes)
	return int64(length), length > 0 && length <= math.MaxInt64
}

// SectorOf asks a disk or a volume for the smallest block that it takes; 0 is not known.
func SectorOf(s System, path string) int64 {
	a := &asker{System: s}
	if block, _ := a.blocks(path); block > 0 {
		return block
	}
	told, err := a.query(path, getGeometry, nil, smallAnswer)
	if err != nil {
		return 0
	}
	return blockSize(told.number(geometryBlock))
}
