package energy

import (
	"math"

	"opengauge/core/record/session"
)

// Record is a [Draw] for documents.
type Record struct {
	Pass  int    `json:"pass"`
	Meter string `json:"meter"`
	// Of is "storage" or "machine".
	Of           string   `json:"of"`
	MeanWatts    float64  `json:"mean_watts"`
	PeakWatts    float64  `json:"peak_watts"`
	IdleWatts    *float64 `json:"idle_watts,omitempty"`
	CoveredShare float64  `json:"covered_share"`
	// JoulesPerGB and BytesPerJoule count the storage alone, or a whole machine above its idle power.
	JoulesPerGB   *float64 `json:"joules_per_gigabyte,omitempty"`
	BytesPerJoule *float64 `json:"bytes_per_joule,omitempty"`
}

// Records returns the records of all passes of a session that a meter covers.
func Records(s *session.Session) []Record {
	records := []Record{}
	for i := range s.Passes {
		for _, d := range Of(s, &s.Passes[i]) {
			if d.Told() {
				records = append(records, d.record(s.Passes[i].Index))
			}
		}
	}
	return records
}

func (d Draw) record(pass int) Record {
	r := Record{Pass: pass, Meter: d.Key, Of: "storage", MeanWatts: d.MeanWatts, PeakWatts: d.PeakWatts,
		CoveredShare: min(d.CoveredSeconds/d.ElapsedSeconds, 1)}
	if d.Machine {
		r.Of = "machine"
	}
	if !math.IsNaN(d.IdleWatts) {
		r.IdleWatts = &d.IdleWatts
	}
	if joules, known := d.JoulesPerGB(); known {
		bytes, _ := d.BytesPerJoule()
		r.JoulesPerGB = &joules
		r.BytesPerJoule = &bytes
	}
	return r
}
