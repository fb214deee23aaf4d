package exchange

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"

	"opengauge/core/bench/book"
	"opengauge/core/record/session"
)

// A dataset is a folder that any engine reads which reads Parquet: a folder a table, in it a
// folder a month in which sessions started (month=2026-03), in that a file. A README says
// what the columns are. The tables of passes and samples are those of [Passes] and [Samples], so
// that import reads them back.

// sessionRow is a session in the table of sessions.
type sessionRow struct {
	Session    string            `parquet:"session_id" about:"id of the session; joins the tables"`
	Name       string            `parquet:"name" about:"name that its user gave, or empty"`
	Started    time.Time         `parquet:"started,timestamp(millisecond)" about:"when it started, UTC"`
	Ended      time.Time         `parquet:"ended,timestamp(millisecond)" about:"when it ended, UTC"`
	State      string            `parquet:"state,dict" about:"complete, interrupted or failed"`
	Simulated  bool              `parquet:"simulated" about:"whether the storage was simulated"`
	Plan       string            `parquet:"plan,dict" about:"plan that was run"`
	Target     string            `parquet:"target,dict" about:"what was measured, as it was named"`
	TargetKind string            `parquet:"target_kind,dict" about:"folder, file, device, volume, network or simulated"`
	Capacity   int64             `parquet:"capacity_bytes" about:"how much the storage holds"`
	Span       int64             `parquet:"span_bytes" about:"how much of it was touched"`
	Class      string            `parquet:"class,dict" about:"what it is ranked among"`
	Host       string            `parquet:"host,dict" about:"host, by the bench book or its own name"`
	Cable      string            `parquet:"cable,dict" about:"cable, by the bench book"`
	Enclosure  string            `parquet:"enclosure,dict" about:"enclosure, by the bench book"`
	Drive      string            `parquet:"drive,dict" about:"drive, by the bench book or its own name"`
	Volume     string            `parquet:"volume,dict" about:"volume, by the bench book"`
	Chain      string            `parquet:"chain" about:"hops from host to storage, in words"`
	Conditions map[string]string `parquet:"conditions" about:"circumstances, as they were given"`
	Tags       []string          `parquet:"tags,list" about:"tags"`
	Passes     int64             `parquet:"passes" about:"how many passes it has"`
	Findings   []string          `parquet:"findings,list" about:"kinds of its findings, as they were when it was kept"`
	Version    string            `parquet:"program_version,dict" about:"version of opengauge that measured it"`
	Bench      string            `parquet:"bench,dict" about:"bench that measured it, in a shared logbook"`
	Account    string            `parquet:"account,dict" about:"account that kept it, in a shared logbook"`
	Document   string            `parquet:"document" about:"all of it but its passes: JSON"`
}

func rowOfSession(s *session.Session, tags []string) (sessionRow, error) {
	header := *s
	header.Passes = nil
	document, err := json.Marshal(&header)
	if err != nil {
		return sessionRow{}, err
	}
	part := func(kind book.Role) string { found, _ := s.Part(kind); return found.Name }
	row := sessionRow{
		Session: s.ID, Name: s.Name, Started: s.Started, Ended: s.Ended, State: string(s.State), Simulated: s.Simulated,
		Plan: s.Plan.Name, Target: s.Target.Address, TargetKind: s.Target.Kind, Capacity: int64(s.Target.CapacityBytes),
		Span: int64(s.Target.SpanBytes), Class: s.Class(), Host: part(book.Host), Cable: part(book.Cable),
		Enclosure: part(book.Enclosure), Drive: part(book.Drive), Volume: part(book.Volume), Chain: chainText(s.Chain),
		Conditions: s.Conditions, Tags: tags, Passes: int64(len(s.Passes)), Version: s.Environment.ProgramVersion,
		Document: string(document),
	}
	if row.Host == "" {
		row.Host = s.Environment.Host
	}
	if row.Drive == "" {
		row.Drive = s.Environment.DeviceModel
	}
	for _, f := range s.Findings {
		row.Findings = append(row.Findings, f.Kind)
	}
	if by := s.RecordedBy; by != nil {
		row.Bench = by.Bench
		row.Account = by.Account
	}
	return row, nil
}

// Dataset is a dataset that is being written. Sessions come the oldest first.
type Dataset struct {
	folder string
	month  string
	open   []*part
	// Sessions is how many it has.
	Sessions int
}

// part is the file of a table and a month.
type part struct {
	file *os.File
	add  func(*session.Session, []string) error
	end  func() error
}

// NewDataset begins a dataset in a folder, which is empty.
func NewDataset(folder string) (*Dataset, error) {
	d := &Dataset{folder: folder}
	return d, os.WriteFile(filepath.Join(folder, "README.md"), []byte(datasetReadme()), 0o644)
}

// Add adds a session with its tags.
func (d *Dataset) Add(s *session.Session, tags []string) error {
	if month := s.Started.UTC().Format("2006-01"); month != d.month {
		if err := errors.Join(d.Close(), d.begin(month)); err != nil {
			return err
		}
	}
	d.Sessions++
	for _, each := range d.open {
		if err := each.add(s, tags); err != nil {
			return err
		}
	}
	return nil
}

// begin opens the files of a month. One that is there already is another part of it.
func (d *Dataset) begin(month string) error {
	d.month = month
	sessions, err := d.file("sessions", month)
	if err != nil {
		return err
	}
	out := parquet.NewGenericWriter[sessionRow](sessions, parquet.Compression(&parquet.Zstd),
		parquet.MaxRowsPerRowGroup(rowsInGroup))
	d.open = append(d.open, &part{sessions, func(s *session.Session, tags []string) error {
		row, err := rowOfSession(s, tags)
		if err == nil {
			_, err = out.Write([]sessionRow{row})
		}
		return err
	}, out.Close})
	passes, err := d.file("passes", month)
	if err != nil {
		return err
	}
	d.open = append(d.open, partOf(passes, passRows))
	samples, err := d.file("samples", month)
	if err != nil {
		return err
	}
	d.open = append(d.open, partOf(samples, sampleRows))
	return nil
}

func partOf[Row any](file *os.File, rows func(*session.Session) ([]Row, error)) *part {
	out := newParquetWriter(file, rows)
	return &part{file, func(s *session.Session, _ []string) error { return out.Add(s) }, out.Close}
}

func (d *Dataset) file(table, month string) (*os.File, error) {
	folder := filepath.Join(d.folder, table, "month="+month)
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	for number := 0; ; number++ {
		file, err := os.OpenFile(filepath.Join(folder, fmt.Sprintf("part-%d.parquet", number)),
			os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
		if !errors.Is(err, os.ErrExist) {
			return file, err
		}
	}
}

// Close ends the files that are open, and puts them on stable media.
func (d *Dataset) Close() error {
	var failed error
	for _, each := range d.open {
		failed = errors.Join(failed, each.end(), each.file.Sync(), each.file.Close())
	}
	d.open = nil
	return failed
}

// datasetReadme describes the files and columns of a dataset.
func datasetReadme() string {
	var text strings.Builder
	text.WriteString("# Sessions of opengauge\n\nA folder is a table, partitioned by the month in which sessions " +
		"started (month=2026-03, UTC). Files are Parquet,\ncompressed with zstd. Rates are in bytes a second, times in " +
		"seconds, and sizes in bytes, as the names say.\nThe tables are joined by session_id, and samples to passes by " +
		"pass_index too. Documents are what opengauge itself\nreads: see formats.md in its docs.\n")
	for _, each := range datasetTables {
		fmt.Fprintf(&text, "\n## %s\n\n%s\n\n| column | type | what |\n|---|---|---|\n", each.name, each.about)
		for _, c := range readmeColumns(each.row) {
			fmt.Fprintf(&text, "| %s | %s | %s |\n", c.name, c.kind, c.about)
		}
	}
	return text.String()
}

var datasetTables = []struct {
	name, about string
	row         any
}{
	{"sessions", "A row a session: what was measured, and how.", sessionRow{}},
	{"passes", "A row a pass; a session that has none (of copies) has one row, with the pass_index -1. Import reads it " +
		"back.", passRow{}},
	{"samples", "A row an interval of a pass. Import reads it back together with the passes.", sampleRow{}},
}

// datasetColumn is a column as the README has it.
type datasetColumn struct{ name, kind, about string }

func readmeColumns(row any) []datasetColumn {
	var columns []datasetColumn
	for _, c := range columnsOf(reflect.TypeOf(row)) {
		columns = append(columns, datasetColumn{c.name, kindOf(c.flat, c.options), c.about})
	}
	return columns
}

func kindOf(of reflect.Type, options string) string {
	switch {
	case strings.Contains(options, "timestamp"):
		return "timestamp, UTC"
	case of.Kind() == reflect.Map:
		return "map of text to " + kindOf(of.Elem(), "")
	case of.Kind() == reflect.Slice:
		return "list of " + kindOf(of.Elem(), "")
	}
	return map[reflect.Kind]string{reflect.String: "text", reflect.Bool: "boolean", reflect.Int64: "64-bit integer",
		reflect.Float64: "64-bit floating point"}[of.Kind()]
}

// DatasetTables are the names of a dataset's tables.
func DatasetTables() []string {
	var names []string
	for _, each := range datasetTables {
		names = append(names, each.name)
	}
	return slices.Clone(names)
}
