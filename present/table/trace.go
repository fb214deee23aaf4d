package table

import (
	"fmt"

	"opengauge/present/figure"
)

// mostTraceRows keeps the table behind a trace readable.
const mostTraceRows = 60

// Trace is the table behind a heat trace: its samples, thinned where they are
// many.
func Trace(trace figure.HeatTrace) Table {
	t := Table{Columns: []Column{number("seconds"), number(trace.Unit)}}
	for _, line := range trace.Temperatures {
		t.Columns = append(t.Columns, number(line.Name+", °C"))
	}
	temperatures := make([]map[float64]float64, len(trace.Temperatures))
	for at, line := range trace.Temperatures {
		temperatures[at] = make(map[float64]float64, len(line.Points))
		for _, point := range line.Points {
			temperatures[at][point.Seconds] = point.Value
		}
	}
	points := trace.Throughput.Points
	stride := max((len(points)+mostTraceRows-1)/mostTraceRows, 1)
	for at := 0; at < len(points); at += stride {
		row := []string{fmt.Sprintf("%.0f", points[at].Seconds), fmt.Sprintf("%.4g", points[at].Value)}
		for _, known := range temperatures {
			value, there := known[points[at].Seconds]
			row = append(row, temperatureCell(value, there))
		}
		t.Rows = append(t.Rows, row)
	}
	if stride > 1 {
		t.Notes = append(t.Notes, fmt.Sprintf("Every %d. sample is listed; the session has them all.", stride))
	}
	return t
}

func temperatureCell(value float64, there bool) string {
	if !there {
		return ""
	}
	return fmt.Sprintf("%.0f", value)
}
