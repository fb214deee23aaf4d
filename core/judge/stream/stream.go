// Package stream holds media streams: the data rate that follows from their geometry,
// and whether a recorded series carries them through a buffer.
//
// It only reads sessions, and its functions may be called by several goroutines at
// once.
package stream

import (
	"fmt"

	"opengauge/core/unit"
)

// Stream is something that has to be read or written without a gap.
type Stream struct {
	Name string `json:"name"`
	// Rate is of one of it.
	Rate unit.BytesPerSecond `json:"bytes_per_second"`
	// Formula is the derivation of the rate, with its figures.
	Formula string `json:"formula"`
	// AtOnce is how many of it are wanted at once.
	AtOnce int `json:"at_once"`
	// Buffer is in front of the storage, for each of them.
	Buffer unit.Bytes `json:"buffer_bytes"`
}

// Video is uncompressed video, or a sequence of uncompressed images.
type Video struct {
	Width, Height int
	// FramesPerSecond may be a fraction, as 30000/1001 is.
	FramesPerSecond float64
	// Bits of a sample.
	Bits   int
	Chroma Chroma
	// BitsPerPixel is the size of a pixel where samples are padded; 0 is Bits for each of its samples.
	BitsPerPixel float64
	// Header is the size of each frame's header and padding.
	Header unit.Bytes
}

// Chroma is how colour is sampled (ITU-R BT.601, BT.2020): samples a pixel.
type Chroma string

// The samplings.
const (
	Full      Chroma = "4:4:4"
	Half      Chroma = "4:2:2"
	Quarter   Chroma = "4:2:0"
	Grey      Chroma = "grey"
	WithAlpha Chroma = "4:4:4:4"
)

// samples is how many samples a pixel has on average, all planes together.
var samples = map[Chroma]float64{Full: 3, Half: 2, Quarter: 1.5, Grey: 1, WithAlpha: 4}

// Rate is width x height x bits a pixel x frames a second / 8.
func (v Video) Rate() unit.BytesPerSecond {
	frame := float64(v.Width)*float64(v.Height)*v.bitsPerPixel()/8 + float64(v.Header)
	return unit.BytesPerSecond(frame * v.FramesPerSecond)
}

func (v Video) bitsPerPixel() float64 {
	if v.BitsPerPixel > 0 {
		return v.BitsPerPixel
	}
	return float64(v.Bits) * samples[v.Chroma]
}

// Formula writes the rate's inputs.
func (v Video) Formula() string {
	pixel := fmt.Sprintf("%d bit x %.3g samples (%s)", v.Bits, samples[v.Chroma], v.Chroma)
	if v.BitsPerPixel > 0 {
		pixel = fmt.Sprintf("%.4g bit a pixel", v.BitsPerPixel)
	}
	frame := fmt.Sprintf("%d x %d x %s", v.Width, v.Height, pixel)
	if v.Header > 0 {
		frame = fmt.Sprintf("(%s + %s)", frame, v.Header)
	}
	return fmt.Sprintf("%s x %.5g frames a second", frame, v.FramesPerSecond)
}

// Audio is uncompressed sound.
type Audio struct {
	Channels int
	// SampleRate is in samples a second, Bits of a sample as stored.
	SampleRate float64
	Bits       int
}

// Rate is channels x samples a second x bits / 8.
func (a Audio) Rate() unit.BytesPerSecond {
	return unit.BytesPerSecond(float64(a.Channels) * a.SampleRate * float64(a.Bits) / 8)
}

// Formula writes the rate's inputs.
func (a Audio) Formula() string {
	return fmt.Sprintf("%d channels x %s samples a second x %d bit", a.Channels, unit.Grouped(int64(a.SampleRate)),
		a.Bits)
}
