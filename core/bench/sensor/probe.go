package sensor

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/prometheus/common/expfmt"
	"github.com/prometheus/common/model"

	"opengauge/core/unit"
)

// ParseProbe reads how an external thermometer is reached: "csv:FILE#COLUMN",
// "http://HOST/PAGE#METRIC" or "scpi://HOST:PORT?ask=COMMAND". "NAME=" may stand
// before it.
func ParseProbe(text string) (Source, error) {
	name, address := "", text
	if before, after, named := strings.Cut(text, "="); named && !strings.ContainsAny(before, ":/#?") {
		name, address = before, after
	}
	fault := func(why string) (Source, error) {
		return nil, fmt.Errorf("probe %q: %s; write csv:FILE#COLUMN, http://HOST/PAGE#METRIC or "+
			"scpi://HOST:PORT?ask=COMMAND", text, why)
	}
	if rest, isFile := strings.CutPrefix(address, "csv:"); isFile {
		at := strings.LastIndex(rest, "#")
		if at <= 0 || at == len(rest)-1 {
			return fault("it names no file or no column")
		}
		return &csvProbe{name: cmp.Or(name, rest[at+1:]), file: rest[:at], column: rest[at+1:]}, nil
	}
	parsed, err := url.Parse(address)
	if err != nil {
		return fault("it is no address")
	}
	switch parsed.Scheme {
	case "http", "https":
		metric := parsed.Fragment
		parsed.Fragment = ""
		if metric == "" || parsed.Host == "" {
			return fault("it names no host or no metric")
		}
		return &pageProbe{name: cmp.Or(name, metric), address: parsed.String(), metric: metric}, nil
	case "scpi":
		ask := parsed.Query().Get("ask")
		if parsed.Port() == "" || ask == "" || strings.ContainsAny(ask, "\r\n") {
			return fault("it names no port or no command to ask")
		}
		return &scpiProbe{name: cmp.Or(name, parsed.Host), address: parsed.Host, ask: ask}, nil
	}
	return fault("it is of no known kind")
}

// temperature makes the reading of a probe.
func temperature(name string, celsius float64) (Reading, error) {
	if !unit.Celsius(celsius).Believable() {
		return Reading{}, fmt.Errorf("%v degrees Celsius cannot be true", celsius)
	}
	return Reading{Temperatures: map[string]unit.Celsius{name: unit.Celsius(celsius)}}, nil
}

// tailLength is how much of the end of a growing file is read.
const tailLength = 64 << 10

// csvProbe reads the last whole line of a file that a logger writes.
type csvProbe struct{ name, file, column string }

func (p *csvProbe) Name() string { return "the probe " + p.name }

func (p *csvProbe) Read(context.Context) (Reading, error) {
	file, err := os.Open(p.file)
	if err != nil {
		return Reading{}, err
	}
	defer file.Close()
	header, err := csv.NewReader(io.LimitReader(file, tailLength)).Read()
	if err != nil {
		return Reading{}, fmt.Errorf("its header cannot be read: %w", err)
	}
	column := slices.Index(header, p.column)
	if column < 0 {
		return Reading{}, fmt.Errorf("it has no column %q, but %s", p.column, strings.Join(header, ", "))
	}
	last, err := lastLine(file)
	if err != nil {
		return Reading{}, err
	}
	fields, err := csv.NewReader(strings.NewReader(last)).Read()
	if err != nil || column >= len(fields) {
		return Reading{}, errors.New("its last line does not fit its header")
	}
	celsius, err := strconv.ParseFloat(strings.TrimSpace(fields[column]), 64)
	if err != nil {
		return Reading{}, fmt.Errorf("%q is no temperature", fields[column])
	}
	return temperature(p.name, celsius)
}

// lastLine is the last line of a file that ends with a line break: one that is
// being written is left alone.
func lastLine(file *os.File) (string, error) {
	info, err := file.Stat()
	if err != nil {
		return "", err
	}
	tail := make([]byte, min(info.Size(), tailLength))
	if _, err := file.ReadAt(tail, info.Size()-int64(len(tail))); err != nil && err != io.EOF {
		return "", err
	}
	end := bytes.LastIndexByte(tail, '\n')
	if end < 0 {
		return "", errors.New("it has no whole line")
	}
	tail = bytes.TrimRight(tail[:end], "\r\n")
	return string(tail[bytes.LastIndexByte(tail, '\n')+1:]), nil
}

// pageProbe reads a metric from a page in OpenMetrics or Prometheus text.
type pageProbe struct{ name, address, metric string }

func (p *pageProbe) Name() string { return "the probe " + p.name }

// largestPage is far above any page of metrics.
const largestPage = 8 << 20

func (p *pageProbe) Read(ctx context.Context) (Reading, error) {
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, p.address, nil)
	if err != nil {
		return Reading{}, err
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return Reading{}, err
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return Reading{}, fmt.Errorf("the server answers %s", response.Status)
	}
	content, err := io.ReadAll(io.LimitReader(response.Body, largestPage))
	if err != nil {
		return Reading{}, err
	}
	celsius, err := metricValue(content, p.metric)
	if err != nil {
		return Reading{}, err
	}
	return temperature(p.name, celsius)
}

// metricValue finds the first value of a metric. The end mark that OpenMetrics
// adds to the older form is a comment to its parser.
func metricValue(page []byte, metric string) (float64, error) {
	parser := expfmt.NewTextParser(model.UTF8Validation)
	families, err := parser.TextToMetricFamilies(bytes.NewReader(page))
	family, ok := families[metric]
	switch {
	case !ok && err != nil:
		return 0, fmt.Errorf("the page cannot be read: %w", err)
	case !ok:
		return 0, fmt.Errorf("the page has no metric %q", metric)
	}
	for _, m := range family.Metric {
		switch {
		case m.Gauge != nil:
			return m.Gauge.GetValue(), nil
		case m.Untyped != nil:
			return m.Untyped.GetValue(), nil
		case m.Counter != nil:
			return m.Counter.GetValue(), nil
		}
	}
	return 0, fmt.Errorf("the metric %q has no value", metric)
}

// scpiProbe asks an instrument over TCP (SCPI-99, Volume 1; IEEE 488.2, 8).
type scpiProbe struct{ name, address, ask string }

func (p *scpiProbe) Name() string { return "the probe " + p.name }

func (p *scpiProbe) Read(ctx context.Context) (Reading, error) {
	var dialer net.Dialer
	connection, err := dialer.DialContext(ctx, "tcp", p.address)
	if err != nil {
		return Reading{}, err
	}
	defer connection.Close()
	if deadline, bounded := ctx.Deadline(); bounded {
		_ = connection.SetDeadline(deadline)
	}
	if _, err := io.WriteString(connection, p.ask+"\n"); err != nil {
		return Reading{}, err
	}
	answer, err := bufio.NewReader(io.LimitReader(connection, 4096)).ReadString('\n')
	if err != nil {
		return Reading{}, fmt.Errorf("the instrument's answer: %w", err)
	}
	first, _, _ := strings.Cut(strings.TrimSpace(answer), ",")
	celsius, err := strconv.ParseFloat(first, 64)
	if err != nil {
		return Reading{}, fmt.Errorf("the instrument answers %q, which is no number", strings.TrimSpace(answer))
	}
	return temperature(p.name, celsius)
}
