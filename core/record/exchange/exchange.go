// Package exchange writes sessions in open formats and reads them back: JSON, CSV and Parquet
// tables of passes and samples, and OpenMetrics text.
//
// Its functions are safe for concurrent use; the writers and readers passed to them belong to the
// caller.
package exchange

import (
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"opengauge/core/record/session"
)

// Format is how sessions are written.
type Format string

// The formats. OpenMetrics is written only: it has no place for most of a session.
const (
	JSON        Format = "json"
	CSV         Format = "csv"
	Parquet     Format = "parquet"
	OpenMetrics Format = "openmetrics"
)

// FormatNames lists the formats.
var FormatNames = []string{string(JSON), string(CSV), string(Parquet), string(OpenMetrics)}

// Table is which rows a table has.
type Table string

// The tables.
const (
	Passes  Table = "passes"
	Samples Table = "samples"
)

// TableNames lists the tables.
var TableNames = []string{string(Passes), string(Samples)}

// Compression of a JSON file, by the ending of its name.
type Compression string

// The compressions. Parquet compresses by itself.
const (
	Plain Compression = ""
	Gzip  Compression = ".gz"
	Zstd  Compression = ".zst"
)

// FormatOf gives the format and the compression that a file's name asks for.
func FormatOf(name string) (Format, Compression, error) {
	ending := strings.ToLower(filepath.Ext(name))
	compression := Plain
	if ending == string(Gzip) || ending == string(Zstd) {
		compression = Compression(ending)
		ending = strings.ToLower(filepath.Ext(strings.TrimSuffix(strings.ToLower(name), ending)))
	}
	format, ok := map[string]Format{".json": JSON, ".csv": CSV, ".parquet": Parquet, ".txt": OpenMetrics,
		".om": OpenMetrics}[ending]
	switch {
	case !ok:
		return "", Plain, fmt.Errorf("%q does not say its format; end it in .json, .json.gz, .json.zst, .csv, "+
			".parquet or .txt (OpenMetrics)", name)
	case compression != Plain && format == Parquet:
		return "", Plain, fmt.Errorf("%q: Parquet compresses by itself; leave out the %s", name, compression)
	}
	return format, compression, nil
}

// ParseFormat reads the name of a format.
func ParseFormat(name string) (Format, error) {
	for _, known := range FormatNames {
		if name == known {
			return Format(known), nil
		}
	}
	return "", fmt.Errorf("unknown format %q; use %s", name, strings.Join(FormatNames, ", "))
}

// ParseTable reads "passes" or "samples".
func ParseTable(name string) (Table, error) {
	for _, known := range TableNames {
		if name == known {
			return Table(known), nil
		}
	}
	return "", fmt.Errorf("unknown table %q; use %s", name, strings.Join(TableNames, ", "))
}

// Writer writes sessions one after the other. Its output is whole once it was closed.
type Writer interface {
	Add(s *session.Session) error
	Close() error
}

// NewWriter writes so many sessions in a format. A table is asked for of CSV and
// Parquet only.
func NewWriter(w io.Writer, format Format, compression Compression, table Table, count int) (Writer, error) {
	out, err := newCompressor(w, compression)
	if err != nil {
		return nil, err
	}
	var made Writer
	switch format {
	case JSON:
		made = newJSONWriter(out, count)
	case OpenMetrics:
		made = &metricsWriter{out: out}
	case CSV:
		if table == Samples {
			made, err = newCSVWriter(out, sampleColumns, sampleRows)
		} else {
			made, err = newCSVWriter(out, passColumns, passRows)
		}
	default:
		if table == Samples {
			made = newParquetWriter(out, sampleRows)
		} else {
			made = newParquetWriter(out, passRows)
		}
	}
	if err != nil {
		return nil, err
	}
	return closing{made, out}, nil
}

// closing closes an underlying writer after the writer itself.
type closing struct {
	Writer
	through io.Closer
}

func (c closing) Close() error {
	if err := c.Writer.Close(); err != nil {
		return err
	}
	return c.through.Close()
}
