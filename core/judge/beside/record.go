package beside

import (
	"math"

	"opengauge/core/record/session"
)

// Record is a pair, for documents. What is not known is left out.
type Record struct {
	Session string `json:"session"`
	Load    string `json:"load"`
	Figure  string `json:"figure"`
	Unit    string `json:"unit"`
	// Better is "higher" or "lower", of the other figure.
	Better          string   `json:"better"`
	StorageAlone    *float64 `json:"storage_alone_bytes_per_second,omitempty"`
	StorageTogether *float64 `json:"storage_together_bytes_per_second,omitempty"`
	StorageLoses    *float64 `json:"storage_loses_share,omitempty"`
	OtherAlone      *float64 `json:"other_alone,omitempty"`
	OtherTogether   *float64 `json:"other_together,omitempty"`
	OtherLoses      *float64 `json:"other_loses_share,omitempty"`
}

// Records are the pairs in sessions.
func Records(sessions []*session.Session) []Record {
	records := []Record{}
	for _, p := range Of(sessions) {
		r := Record{Session: p.Session, Load: p.Pass, Figure: p.Figure.Name, Unit: p.Figure.Unit, Better: p.Figure.Better,
			StorageAlone: known(p.Storage.Alone), StorageTogether: known(p.Storage.Together), OtherAlone: known(p.Other.Alone),
			OtherTogether: known(p.Other.Together)}
		if share, ok := p.Storage.Loses(false); ok {
			r.StorageLoses = &share
		}
		if share, ok := p.Other.Loses(p.Lower); ok {
			r.OtherLoses = &share
		}
		records = append(records, r)
	}
	return records
}

func known(value float64) *float64 {
	if math.IsNaN(value) {
		return nil
	}
	return &value
}
