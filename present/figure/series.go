package figure

// Series is implemented by figures over time. A page draws them anew from their points when
// a reader touches them, to look up, to enlarge, and to leave lines out.
type Series interface {
	Figure
	Lanes() []Lane
}

// Lane is lines that share an axis, over seconds.
type Lane struct {
	// Unit is that of the axis, which begins at zero.
	Unit   string `json:"unit"`
	Writes bool   `json:"writes"`
	// Warm says that it is of temperatures.
	Warm  bool   `json:"warm"`
	Lines []Line `json:"lines"`
	Spans []Span `json:"spans"`
}

// Stroke is how a line is told from others: the name of its tone, and the lengths of its
// dashes and gaps in pixels; none is a whole line.
type Stroke struct {
	Tone   string    `json:"tone"`
	Dashes []float64 `json:"dashes"`
}

// Stroke is that of a line of the lane.
func (l Lane) Stroke(number int) Stroke {
	stroke := Stroke{Tone: toneOf(lineColours[(number+1)%len(lineColours)]), Dashes: []float64{}}
	switch {
	case l.Warm && len(l.Lines) <= manySensors:
		stroke.Tone = toneOf(Temperature)
	case len(l.Lines) == 1 && l.Writes:
		stroke.Tone = toneOf(Writes)
	case len(l.Lines) == 1:
		stroke.Tone = toneOf(Throughput)
	}
	for _, length := range lineDashes[number%len(lineDashes)] {
		stroke.Dashes = append(stroke.Dashes, float64(length/pixels(1)))
	}
	return stroke
}

// toneOf is the name of a colour of the looks.
func toneOf(colour string) string {
	for _, tone := range Tones {
		if tone.Light == colour {
			return tone.Name
		}
	}
	return ""
}

// Lanes are throughput and, if any were recorded, temperatures and power.
func (h HeatTrace) Lanes() []Lane {
	lanes := []Lane{{Unit: h.Unit, Writes: h.Writes, Lines: []Line{h.Throughput}, Spans: h.Spans}}
	if len(h.Temperatures) > 0 {
		lanes = append(lanes, Lane{Unit: "°C", Warm: true, Lines: h.Temperatures, Spans: h.Spans})
	}
	if len(h.Power) > 0 {
		lanes = append(lanes, Lane{Unit: "W", Lines: h.Power, Spans: h.Spans})
	}
	return lanes
}

// Lanes are the throughput of all panels over each other, one line each.
func (o OverTime) Lanes() []Lane {
	flow := Lane{Unit: o.Unit, Writes: o.Writes, Spans: []Span{}}
	for _, panel := range o.Panels {
		flow.Lines = append(flow.Lines, Line{Name: panel.Name, Points: panel.Throughput[0].Points})
	}
	return []Lane{flow}
}

var (
	_ Series = HeatTrace{}
	_ Series = OverTime{}
)
