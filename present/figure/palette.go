package figure

// Colours of the looks, as #rrggbb. Meaning is never told by colour alone.
const (
	Ink         = "#1c2733"
	Paper       = "#fbfaf7"
	Throughput  = "#0f766e"
	Writes      = "#4f46e5"
	Temperature = "#d55e00"
	CeilingGrey = "#6b7280"
	NoteGrey    = CeilingGrey
	Caution     = "#b45309"
	Fault       = "#b3123b"
)

// Tone is a colour of the looks with its counterpart on dark paper, both as #rrggbb. Name
// is that of its variable in a page's style.
type Tone struct{ Name, Light, Dark string }

// Tones are all of them: figures are drawn in the light ones, and whoever renders them
// may put the dark ones in their place.
var Tones = []Tone{
	{"ink", Ink, "#e8e6df"},
	{"paper", Paper, "#161c23"},
	{"teal", Throughput, "#2fb3a6"},
	{"indigo", Writes, "#9a94ff"},
	{"vermilion", Temperature, "#ff8f3f"},
	{"grey", CeilingGrey, "#9aa3af"},
	{"amber", Caution, "#f0a04b"},
	{"crimson", Fault, "#ff6f8d"},
}

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
