package book

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"opengauge/core/document"
	"opengauge/core/load"
	"opengauge/core/unit"
)

// Quote is a figure of a part that somebody else published. It is never mixed with measurements: it stands
// beside them, marked.
type Quote struct {
	// Part is a part of the bench book, or a name that others use.
	Part string    `json:"part"`
	Load load.Load `json:"load"`
	// One of these is set.
	Rate    unit.BytesPerSecond `json:"bytes_per_second,omitempty"`
	IOPS    float64             `json:"iops,omitempty"`
	Latency float64             `json:"latency_seconds,omitempty"`
	// Source says where it was published, Date when, and Set which collection of figures
	// it belongs to; the last two may be empty.
	Source string `json:"source"`
	Date   string `json:"date,omitempty"`
	Set    string `json:"set,omitempty"`
}

// ParseQuote reads a figure: a load as tables write it, and a value with its unit: a rate
// ("2900MB/s"), "95000 IOPS", or a latency ("84us").
func ParseQuote(part, loadText, value string) (Quote, error) {
	q := Quote{Part: strings.TrimSpace(part)}
	var err error
	if q.Part == "" {
		return q, fmt.Errorf("a quoted figure needs the part that it is about")
	}
	if q.Load, err = load.Parse(loadText); err != nil {
		return q, err
	}
	number, isIOPS := strings.CutSuffix(strings.TrimSpace(value), "IOPS")
	latency, notLatency := time.ParseDuration(value)
	switch {
	case isIOPS:
		q.IOPS, err = strconv.ParseFloat(strings.TrimSpace(number), 64)
		if err != nil || !(q.IOPS > 0 && q.IOPS < 1e9) {
			return q, fmt.Errorf("%q is not a number of operations a second", value)
		}
	case notLatency == nil && latency > 0:
		q.Latency = latency.Seconds()
	default:
		if q.Rate, err = unit.ParseRate(value); err != nil || q.Rate <= 0 {
			return q, fmt.Errorf("%q is no figure with its unit; write one like 2900MB/s, 95000 IOPS or 84us", value)
		}
	}
	return q, nil
}

// Text is the figure with its unit.
func (q Quote) Text(n unit.Notation) string {
	switch {
	case q.IOPS > 0:
		return unit.Grouped(int64(q.IOPS+0.5)) + " IOPS"
	case q.Latency > 0:
		return unit.Latency(q.Latency)
	}
	return n.Rate(q.Rate)
}

func (b *Book) addQuote(n document.Node) error {
	var part, loadText, value string
	q := Quote{}
	if _, err := n.Read(
		document.Text("part", &part).Needed(`a quoted figure needs the "part" that it is about`),
		document.Text("load", &loadText).Needed(`a quoted figure needs a "load", as tables write it`),
		document.Text("value", &value).Needed(`a quoted figure needs a "value" with its unit`),
		document.Text("source", &q.Source).Needed(`a quoted figure needs its "source"`),
		document.Into("date", &q.Date, ParseDate), document.Text("set", &q.Set),
	); err != nil {
		return err
	}
	made, err := ParseQuote(part, loadText, value)
	if err != nil {
		return n.Errorf("%s", err)
	}
	made.Source, made.Date, made.Set = q.Source, q.Date, q.Set
	b.Quoted = append(b.Quoted, made)
	return nil
}
