package image

import (
	"image/color"

	"gonum.org/v1/plot/vg"

	"opengauge/present/figure"
)

// dark is a sheet on which each colour of the looks is the one for dark paper.
type dark struct{ vg.CanvasSizer }

// SetColor sets the counterpart of a colour, as thin as that is.
func (d dark) SetColor(c color.Color) { d.CanvasSizer.SetColor(darkOf(c)) }

// darkOf returns the counterpart of a tone on dark paper; other colours stay.
func darkOf(c color.Color) color.Color {
	if c == nil {
		return nil
	}
	plain := color.NRGBAModel.Convert(c).(color.NRGBA)
	for _, tone := range figure.Tones {
		if tone.Light == hex(plain) {
			made := figure.Paint(tone.Dark)
			made.A = plain.A
			return made
		}
	}
	return plain
}
