package session

import (
	"fmt"
	"slices"

	"opengauge/core/unit"
)

// Visit says for which visit of which review a session was measured.
type Visit struct {
	// Name is the review's name, and Cell the name of the combination of parts.
	Name string `json:"name"`
	Cell string `json:"cell"`
	// Visit is how often the cell was put together by then, from 1, and Order at which
	// place among all visits of the review.
	Visit int `json:"visit"`
	Order int `json:"order"`
	// Definition tells the review as it was then from a changed one.
	Definition string `json:"definition"`
	// Measurement is its name in the review, and Turn which time of it at this visit, from 1.
	Measurement string `json:"measurement"`
	Turn        int    `json:"turn"`
	// Day is shared by visits that were made one after the other: a date.
	Day string `json:"day"`
	// Control says that the cell was visited only to see whether it is still as fast.
	Control bool `json:"control,omitempty"`
	// StartCelsius is how warm it was when it began, and AmbientCelsius the air around it;
	// nil is not known.
	StartCelsius   *unit.Celsius `json:"start_celsius,omitempty"`
	AmbientCelsius *unit.Celsius `json:"ambient_celsius,omitempty"`
	// FreeBytes is how much was free where it was measured; 0 is not known.
	FreeBytes unit.Bytes `json:"free_bytes,omitempty"`
	// WrittenBytes is how much the review had written to the storage before.
	WrittenBytes unit.Bytes `json:"written_bytes_before"`
	// Unprepared lists differences from the first visit, in words.
	Unprepared []string `json:"unprepared,omitempty"`
	// Seen is the survey's view of the parts, and Asked the words of hands.
	Seen  []string `json:"seen,omitempty"`
	Asked []string `json:"asked,omitempty"`
}

func (v *Visit) check() error {
	if v == nil {
		return nil
	}
	for _, text := range slices.Concat([]string{v.Name, v.Cell, v.Definition, v.Measurement, v.Day}, v.Unprepared,
		v.Seen, v.Asked) {
		if err := CheckPrintable("review", text); err != nil {
			return err
		}
	}
	if v.Name == "" || v.Cell == "" || v.Visit < 1 || v.Order < 1 || v.Turn < 1 || v.WrittenBytes < 0 {
		return fmt.Errorf("visit %d of cell %q of review %q, turn %d, order %d, is none: names are needed, and "+
			"numbers from 1",
			v.Visit, v.Cell, v.Name, v.Turn, v.Order)
	}
	return nil
}
