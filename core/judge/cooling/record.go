package cooling

import (
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Record is how one rest cooled the storage, for documents.
type Record struct {
	// Rest is its number in the session, from 0.
	Rest           int          `json:"rest"`
	Sensor         string       `json:"sensor"`
	FromCelsius    unit.Celsius `json:"from_celsius"`
	ToCelsius      unit.Celsius `json:"to_celsius"`
	ElapsedSeconds float64      `json:"elapsed_seconds"`
	// Fit is left out where what was read does not tell how it goes on.
	Fit *FitRecord `json:"fit,omitempty"`
}

// FitRecord is an exponential through the readings.
type FitRecord struct {
	TimeConstantSeconds float64 `json:"time_constant_seconds"`
	Low                 float64 `json:"low_seconds"`
	High                float64 `json:"high_seconds"`
	FloorCelsius        float64 `json:"floor_celsius"`
}

// Records are those of all rests of a session in which a thermometer fell.
func Records(s *session.Session) []Record {
	records := []Record{}
	for _, c := range Of(s) {
		r := Record{Rest: c.Rest, Sensor: c.Sensor, FromCelsius: c.From, ToCelsius: c.To, ElapsedSeconds: c.ElapsedSeconds}
		if c.Fit != nil {
			r.Fit = &FitRecord{c.Fit.TimeConstantSeconds, c.Fit.Low, c.Fit.High, c.Fit.FloorCelsius}
		}
		records = append(records, r)
	}
	return records
}
