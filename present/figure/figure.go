// Package figure holds what each figure shows, independent of how it is drawn.
// The terminal, the page and the image renderers draw from it.
//
// Figures are values, made and drawn by any goroutine, several at once.
package figure

// Colours of the looks, as #rrggbb. Meaning is never told by colour alone.
const (
	Ink         = "#1c2733"
	Paper       = "#fbfaf7"
	Throughput  = "#0f766e"
	Writes      = "#4f46e5"
	Temperature = "#d55e00"
	CeilingGrey = "#6b7280"
	NoteGrey    = "#6b7280"
	Caution     = "#b45309"
	Fault       = "#b3123b"
)

// SeverityColour gives the colour of a severity's mark.
func SeverityColour(severity string) string {
	switch severity {
	case "fault":
		return Fault
	case "caution":
		return Caution
	default:
		return NoteGrey
	}
}

// SeverityMark gives the sign that stands before a severity's word.
func SeverityMark(severity string) string {
	switch severity {
	case "fault":
		return "■"
	case "caution":
		return "▲"
	default:
		return "●"
	}
}
