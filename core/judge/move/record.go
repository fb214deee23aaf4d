package move

import (
	"opengauge/core/unit"
)

// Record is a time of a session's load, as documents have it.
type Record struct {
	Session string `json:"session"`
	Load    string `json:"load"`
	Time
}

// LevelRecord is what a session's load goes through, as documents have it.
type LevelRecord struct {
	Session string  `json:"session"`
	Load    string  `json:"load"`
	Levels  []Phase `json:"levels"`
	// Recorded is how far the recording goes, and Before what the session had written
	// before it began.
	Recorded unit.Bytes `json:"recorded_bytes"`
	Before   unit.Bytes `json:"written_before_bytes,omitempty"`
}

// Record gives the times of amounts, for a document.
func (c *Curve) Record(session string, amounts []unit.Bytes) []Record {
	records := []Record{}
	for _, amount := range amounts {
		records = append(records, Record{Session: session, Load: c.Key.String(), Time: c.For(amount)})
	}
	return records
}

// LevelRecord gives what the curve goes through, for a document.
func (c *Curve) LevelRecord(session string) LevelRecord {
	return LevelRecord{Session: session, Load: c.Key.String(), Levels: c.Phases, Recorded: c.Recorded(),
		Before: c.Before}
}
