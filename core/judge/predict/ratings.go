package predict

import (
	"opengauge/core/bench/book"
	"opengauge/core/bench/link"
	"opengauge/core/unit"
)

// ratingBlock is what random ratings are of, by the custom of the trade.
const ratingBlock = 4 * unit.KiB

// Rated is what a maker's figure becomes in a chain.
type Rated struct {
	// Name says which figure: "sequential read".
	Name string `json:"name"`
	// Rating is what is stated, in bytes a second; of random ones their IOPS at 4 KiB.
	Rating unit.BytesPerSecond `json:"rating_bytes_per_second"`
	IOPS   float64             `json:"rating_iops,omitempty"`
	// Expected is what the chain lets through of it, at the most.
	Expected link.Range `json:"expected_bytes_per_second"`
	Binds    Limit      `json:"binds"`
	Hop      string     `json:"hop,omitempty"`
}

// FromRatings says what a chain lets through of what a drive's maker states, of a drive
// that nobody measured. Makers state the best case.
func FromRatings(drive book.Part, chain link.Chain) []Rated {
	r := drive.Ratings
	var made []Rated
	for _, each := range []Rated{
		{Name: "sequential read", Rating: r.SequentialRead},
		{Name: "sequential write", Rating: r.SequentialWrite},
		{Name: "random read", Rating: ofIOPS(r.RandomReadIOPS), IOPS: r.RandomReadIOPS},
		{Name: "random write", Rating: ofIOPS(r.RandomWriteIOPS), IOPS: r.RandomWriteIOPS},
	} {
		if each.Rating > 0 {
			made = append(made, each.in(chain))
		}
	}
	return made
}

func ofIOPS(iops float64) unit.BytesPerSecond {
	return unit.BytesPerSecond(iops * float64(ratingBlock))
}

func (r Rated) in(chain link.Chain) Rated {
	r.Expected, r.Binds = link.Range{Low: r.Rating, High: r.Rating}, ByDrive
	usable, known := chain.Usable()
	if !known {
		r.Binds = ByUnknown
		return r
	}
	hop, _ := chain.Binding()
	r.Expected = link.Range{Low: min(r.Rating, usable.Low), High: min(r.Rating, usable.High)}
	switch {
	case r.Rating >= usable.High:
		r.Binds, r.Hop = ByHop, hop.Name
	case r.Rating > usable.Low:
		r.Binds, r.Hop = ByEither, hop.Name
	}
	return r
}

// Likely is the one figure that stands for it.
func (r Rated) Likely() unit.BytesPerSecond { return (r.Expected.Low + r.Expected.High) / 2 }
