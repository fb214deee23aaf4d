package sensor

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"strconv"
	"strings"
)

// errMetricLine is the error of a line that is no sample.
var errMetricLine = errors.New("not a sample of the text format")

// metricValue returns the first value of a metric on a page of metrics, in the text format
// of Prometheus (exposition formats, text 0.0.4) or of OpenMetrics 1.0. Lines behind the
// value are not read.
func metricValue(page []byte, metric string) (float64, error) {
	lines := bufio.NewScanner(bytes.NewReader(page))
	lines.Buffer(nil, len(page)+1)
	for number := 1; lines.Scan(); number++ {
		line := strings.TrimSpace(lines.Text())
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		name, value, err := parseSample(line)
		if err != nil {
			return 0, fmt.Errorf("the page cannot be read: line %d: %w", number, err)
		}
		if name == metric {
			return value, nil
		}
	}
	return 0, fmt.Errorf("the page has no metric %q", metric)
}

// parseSample parses a line: a name, labels in braces if there are any, a value, and an
// optional time. The name may stand in quotes as the first thing within the braces.
func parseSample(line string) (name string, value float64, err error) {
	end := strings.IndexAny(line, "{ \t")
	if end < 0 {
		return "", 0, errMetricLine
	}
	name = line[:end]
	rest := line[end:]
	if strings.HasPrefix(rest, "{") {
		quoted, after, err := skipLabels(rest[1:])
		if err != nil {
			return "", 0, err
		}
		if name == "" {
			name = quoted
		}
		rest = after
	}
	fields := strings.Fields(rest)
	if name == "" || len(fields) == 0 || strings.ContainsAny(fields[0], "pP_") { // no hexadecimal numbers
		return "", 0, errMetricLine
	}
	value, err = strconv.ParseFloat(fields[0], 64)
	return name, value, err
}

// skipLabels skips labels and their closing brace. It returns the metric's name, if that is among
// them in quotes, and the rest of the line.
func skipLabels(text string) (name, rest string, err error) {
	for {
		text = strings.TrimLeft(text, " \t,")
		if after, closed := strings.CutPrefix(text, "}"); closed {
			return name, after, nil
		}
		key := text
		if !strings.HasPrefix(text, `"`) {
			at := strings.IndexByte(text, '=')
			if at < 0 {
				return "", "", errMetricLine
			}
			key = text[:at]
			text = strings.TrimLeft(text[at+1:], " \t")
		}
		value, after, err := unquote(text)
		if err != nil {
			return "", "", err
		}
		text = strings.TrimLeft(after, " \t")
		if quoted := strings.HasPrefix(key, `"`); quoted && !strings.HasPrefix(text, "=") {
			name = value
		} else if quoted { // the name of a label
			if _, text, err = unquote(strings.TrimLeft(text[1:], " \t")); err != nil {
				return "", "", err
			}
		}
	}
}

// unquote reads a text in quotes, in which a backslash escapes a quote, a backslash, or an n
// for the end of a line.
func unquote(text string) (value, rest string, err error) {
	if !strings.HasPrefix(text, `"`) {
		return "", "", errMetricLine
	}
	var out strings.Builder
	for i := 1; i < len(text); i++ {
		switch c := text[i]; {
		case c == '"':
			return out.String(), text[i+1:], nil
		case c == '\\' && i+1 < len(text):
			i++
			if text[i] == 'n' {
				out.WriteByte('\n')
			} else {
				out.WriteByte(text[i])
			}
		default:
			out.WriteByte(c)
		}
	}
	return "", "", errMetricLine
}
