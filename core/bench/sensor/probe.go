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
	"math"
	"net"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"
)

// ProbeForms says how a probe is written.
const ProbeForms = "csv:FILE#COLUMN, http://HOST/PAGE#METRIC, scpi://HOST:PORT?ask=COMMAND or " +
	"serial:DEVICE?baud=115200&line=PATTERN, with NAME= or NAME:QUANTITY= before it"

// ParseProbe reads how an external instrument is reached: "csv:FILE#COLUMN",
// "http://HOST/PAGE#METRIC", "scpi://HOST:PORT?ask=COMMAND" or
// "serial:DEVICE?baud=115200&line=PATTERN". "NAME=" or "NAME:QUANTITY=" may stand before
// it; it is a temperature otherwise. Where a source says several things, each is
// "NAME:QUANTITY=SELECTOR" behind the "#", with ";" between: a selector is a column, a
// metric, the number of a field, or the name or number of a group of the pattern.
func ParseProbe(text string) (Source, error) {
	name, quantity, address := probeName(text)
	source, err := parseAddress(name, quantity, address)
	if err != nil {
		return nil, fmt.Errorf("probe %q: %w; write %s", text, err, ProbeForms)
	}
	return source, nil
}

// ParseProbes reads several, whose readings have to be told apart.
func ParseProbes(texts []string) ([]Source, error) {
	var sources []Source
	owners := map[string]string{}
	for _, text := range texts {
		source, err := ParseProbe(text)
		if err != nil {
			return nil, err
		}
		if instrument, ok := source.(Instrument); ok {
			for _, figure := range instrument.Figures() {
				if other, taken := owners[figure.Key]; taken {
					return nil, fmt.Errorf("the probes %q and %q both say %q; put another NAME= before one of them", other, text,
						figure.Name)
				}
				owners[figure.Key] = text
			}
		}
		sources = append(sources, source)
	}
	return sources, nil
}

// probeName takes the name and the quantity off a probe. A file may have "=" in its own
// name.
func probeName(text string) (name, quantity, address string) {
	before, after, named := strings.Cut(text, "=")
	name, quantity, both := strings.Cut(before, ":")
	if !named || strings.ContainsAny(name, "/#?") || both && !isQuantity(quantity) {
		return "", "", text
	}
	return name, quantity, after
}

// parseAddress makes the source that an address names.
func parseAddress(name, quantity, address string) (Source, error) {
	switch {
	case strings.HasPrefix(address, "csv:"):
		return parseCSV(name, quantity, strings.TrimPrefix(address, "csv:"))
	case strings.HasPrefix(address, "serial:"):
		return parseSerial(name, quantity, strings.TrimPrefix(address, "serial:"))
	}
	parsed, err := url.Parse(address)
	if err != nil {
		return nil, errors.New("it is no address")
	}
	switch parsed.Scheme {
	case "http", "https":
		metrics := parsed.Fragment
		parsed.Fragment = ""
		parsed.RawFragment = ""
		if metrics == "" || parsed.Host == "" {
			return nil, errors.New("it names no host or no metric")
		}
		read, err := parseFigures(metrics, name, quantity)
		return &pageProbe{figures: read, address: parsed.String()}, err
	case "scpi":
		ask := parsed.Query().Get("ask")
		if parsed.Port() == "" || ask == "" || strings.ContainsAny(ask, "\r\n") {
			return nil, errors.New("it names no port or no command to ask")
		}
		name = cmp.Or(name, sourceName(parsed.Fragment, parsed.Host))
		read, err := parseFigures(cmp.Or(parsed.Fragment, "1"), name, quantity)
		return &scpiProbe{figures: read, address: parsed.Host, ask: ask}, err
	}
	return nil, errors.New("it is of no known kind")
}

// sourceName names a figure that the user left unnamed: after its source, if that has a single
// figure.
func sourceName(figures, source string) string {
	if figures == "" {
		return source
	}
	return ""
}

func parseCSV(name, quantity, rest string) (Source, error) {
	at := strings.LastIndex(rest, "#")
	if at <= 0 || at == len(rest)-1 {
		return nil, errors.New("it names no file or no column")
	}
	read, err := parseFigures(rest[at+1:], name, quantity)
	return &csvProbe{figures: read, file: rest[:at]}, err
}

// title names a source by its figures.
func (f figures) title() string {
	var names []string
	for _, each := range f {
		if !slices.Contains(names, each.Name) {
			names = append(names, each.Name)
		}
	}
	return "the probe " + strings.Join(names, ", ")
}

// tailLength is how much of the end of a growing file is read.
const tailLength = 64 << 10

// csvProbe reads the last whole line of a file that a logger writes.
type csvProbe struct {
	figures
	file string
	// last is the line that was read last, and since when it is the last one.
	last  string
	since time.Time
	// fault is why some of that line cannot be used.
	fault error
}

func (p *csvProbe) Name() string { return p.title() }

func (p *csvProbe) Figures() []Figure { return p.list() }

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
	last, size, err := lastLine(file)
	if err != nil {
		return Reading{}, err
	}
	isNew, err := p.grows(fmt.Sprint(size, last))
	if !isNew || err != nil {
		return Reading{}, cmp.Or(err, p.fault)
	}
	fields, err := csv.NewReader(strings.NewReader(last)).Read()
	var made Reading
	made, p.fault = p.reading(func(column string) (float64, error) {
		at := slices.Index(header, column)
		switch {
		case at < 0:
			return 0, fmt.Errorf("it has no column %q, but %s", column, strings.Join(header, ", "))
		case err != nil || at >= len(fields):
			return 0, errors.New("its last line does not fit its header")
		}
		return number(fields[at])
	})
	return made, p.fault
}

// loggerPause is how long a logger may write nothing before it counts as stopped.
const loggerPause = 10 * time.Second

// grows reports whether the logger wrote since it was last asked, as a value that was read before is no
// current one. It fails where the logger has stopped.
func (p *csvProbe) grows(last string) (isNew bool, err error) {
	if last != p.last || p.since.IsZero() {
		p.last = last
		p.since = time.Now()
		return true, nil
	}
	if still := time.Since(p.since); still > loggerPause {
		return false, fmt.Errorf("the file has not grown for %.0f s: its logger may have stopped", still.Seconds())
	}
	return false, nil
}

// number reads a number as instruments write them.
func number(text string) (float64, error) {
	text = strings.TrimSpace(text)
	value, err := strconv.ParseFloat(text, 64)
	if err != nil || math.IsNaN(value) || math.IsInf(value, 0) {
		return 0, fmt.Errorf("%.40q is no number", text)
	}
	return value, nil
}

// lastLine is the last line of a file that ends with a line break: one that is
// being written is left alone.
func lastLine(file *os.File) (line string, size int64, err error) {
	info, err := file.Stat()
	if err != nil {
		return "", 0, err
	}
	tail := make([]byte, min(info.Size(), tailLength))
	if _, err := file.ReadAt(tail, info.Size()-int64(len(tail))); err != nil && err != io.EOF {
		return "", 0, err
	}
	end := bytes.LastIndexByte(tail, '\n')
	if end < 0 {
		return "", 0, errors.New("it has no whole line")
	}
	tail = bytes.TrimRight(tail[:end], "\r\n")
	return string(tail[bytes.LastIndexByte(tail, '\n')+1:]), info.Size(), nil
}

// pageProbe reads a metric from a page in OpenMetrics or Prometheus text.
type pageProbe struct {
	figures
	address string
}

func (p *pageProbe) Name() string { return p.title() }

func (p *pageProbe) Figures() []Figure { return p.list() }

// largestPage is the most that is read of a page, far above any page of metrics.
const largestPage = 8_000_000

// pages fetches pages from the host that a probe names, and from no other: a page that redirects could have
// this machine ask a host that only it can reach.
var pages = &http.Client{CheckRedirect: func(to *http.Request, before []*http.Request) error {
	if to.URL.Host != before[0].URL.Host || to.URL.Scheme != before[0].URL.Scheme {
		return fmt.Errorf("it redirects to %s, and another host is not asked; name that page if you mean it", to.URL.Host)
	}
	const most = 5
	if len(before) > most {
		return errors.New("it redirects without end")
	}
	return nil
}}

func (p *pageProbe) Read(ctx context.Context) (Reading, error) {
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, p.address, nil)
	if err != nil {
		return Reading{}, err
	}
	response, err := pages.Do(request)
	if err != nil {
		return Reading{}, err
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return Reading{}, fmt.Errorf("the server answers %s", response.Status)
	}
	content, err := io.ReadAll(io.LimitReader(response.Body, largestPage+1))
	if err != nil {
		return Reading{}, err
	}
	if len(content) > largestPage {
		return Reading{}, fmt.Errorf("the page has more than %d MB, which is no page of metrics", largestPage/1_000_000)
	}
	return p.reading(func(metric string) (float64, error) { return metricValue(content, metric) })
}

// scpiProbe asks an instrument over TCP (SCPI-99, Volume 1; IEEE 488.2, 8).
type scpiProbe struct {
	figures
	address, ask string
}

func (p *scpiProbe) Name() string { return p.title() }

func (p *scpiProbe) Figures() []Figure { return p.list() }

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
	fields := strings.FieldsFunc(answer, func(r rune) bool { return r == ',' || r == ';' })
	return p.reading(func(selector string) (float64, error) { return fieldOf(fields, selector) })
}

// fieldOf is the number in a field, counted from 1.
func fieldOf(fields []string, selector string) (float64, error) {
	at, ok := ordinal(selector)
	if !ok {
		return 0, fmt.Errorf("%q is not the number of a field, counted from 1", selector)
	}
	if at > len(fields) {
		return 0, fmt.Errorf("the instrument answers %d fields, and not %d", len(fields), at)
	}
	value, err := number(fields[at-1])
	if err != nil {
		return 0, fmt.Errorf("the instrument answers %w", err)
	}
	return value, nil
}
