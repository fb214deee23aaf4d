package exchange

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"iter"
	"os"
	"strings"

	"opengauge/core/input"
	"opengauge/core/record/codec"
	"opengauge/core/record/session"
)

// Read gives the sessions of files in any of the formats, each checked. Tables of
// samples belong to the tables of passes beside them. The first error ends it.
func Read(names []string) iter.Seq2[*session.Session, error] {
	return func(yield func(*session.Session, error) bool) {
		tables := &tables{samples: map[string]map[int64][]session.Sample{}}
		for _, name := range names {
			for s, err := range readFile(name, tables) {
				if err != nil {
					err = fmt.Errorf("could not read %s: %w", name, err)
				}
				if !yield(s, err) || err != nil {
					return
				}
			}
		}
		for s, err := range tables.sessions() {
			if !yield(s, err) || err != nil {
				return
			}
		}
	}
}

// readFile gives the sessions of one file, and puts rows of tables aside.
func readFile(name string, tables *tables) iter.Seq2[*session.Session, error] {
	return func(yield func(*session.Session, error) bool) {
		file, err := os.Open(name)
		if err != nil {
			yield(nil, errors.Unwrap(err))
			return
		}
		defer file.Close()
		if isParquet(file) {
			if err := tables.addParquet(file); err != nil {
				yield(nil, err)
			}
			return
		}
		var packed io.Reader = file
		if beginsAsPage(file) {
			enclosed, err := enclosedIn(file)
			if err != nil {
				yield(nil, err)
				return
			}
			packed, name = bytes.NewReader(enclosed), "" // whatever it is called
		}
		plain, err := codec.NewReader(packed)
		if err != nil {
			yield(nil, err)
			return
		}
		if format, _, err := FormatOf(name); err == nil && format == CSV {
			if err := tables.addCSV(input.Lines(plain)); err != nil {
				yield(nil, err)
			}
			return
		} else if err == nil && format == OpenMetrics {
			yield(nil, errors.New("OpenMetrics text has no place for most of a session, so it cannot be read back; "+
				"export as JSON or Parquet"))
			return
		}
		for s, err := range readJSON(plain) {
			if !yield(s, err) || err != nil {
				return
			}
		}
	}
}

// isParquet says whether a file begins like one (Apache Parquet, File Format).
func isParquet(file io.ReaderAt) bool {
	begin := make([]byte, 4)
	_, err := file.ReadAt(begin, 0)
	return err == nil && string(begin) == "PAR1"
}

// tables are rows that were read, to be put together to sessions.
type tables struct {
	order   []*session.Session
	samples map[string]map[int64][]session.Sample
}

func (t *tables) addParquet(file *os.File) error {
	info, err := file.Stat()
	if err != nil {
		return err
	}
	table, err := tableOf(file, info.Size())
	switch {
	case err != nil:
		return err
	case table == Passes:
		return readParquet(file, info.Size(), mostPasses(info.Size()), t.addPass)
	default:
		return readParquet(file, info.Size(), mostSamples(info.Size()), t.addSample)
	}
}

func (t *tables) addCSV(r io.Reader) error {
	in := csv.NewReader(r)
	titles, err := in.Read()
	if err != nil {
		return fmt.Errorf("the CSV has no line of titles: %w", err)
	}
	columns := map[string]bool{}
	for i := range titles {
		titles[i] = strings.TrimPrefix(strings.TrimSpace(titles[i]), "\ufeff")
		columns[titles[i]] = true
	}
	table, err := tableWith(columns)
	switch {
	case err != nil:
		return err
	case table == Passes:
		return readCSV(in, titles, passColumns, t.addPass)
	default:
		return readCSV(in, titles, sampleColumns, t.addSample)
	}
}

// addPass adds a row to its session: the previous row's, or a new one.
func (t *tables) addPass(row *passRow) error {
	last := len(t.order) - 1
	if last < 0 || t.order[last].ID != row.Session {
		s, err := row.session()
		if err != nil {
			return err
		}
		s.Passes = []session.Pass{}
		t.order = append(t.order, s)
		last++
	}
	if row.Index == noPass {
		return nil
	}
	pass, err := row.pass()
	if err != nil {
		return err
	}
	t.order[last].Passes = append(t.order[last].Passes, pass)
	return nil
}

func (t *tables) addSample(row *sampleRow) error {
	if t.samples[row.Session] == nil {
		t.samples[row.Session] = map[int64][]session.Sample{}
	}
	t.samples[row.Session][row.Pass] = append(t.samples[row.Session][row.Pass], row.sample())
	return nil
}

func (t *tables) sessions() iter.Seq2[*session.Session, error] {
	return func(yield func(*session.Session, error) bool) {
		for _, s := range t.order {
			for i := range s.Passes {
				s.Passes[i].Samples = t.samples[s.ID][int64(s.Passes[i].Index)]
				if s.Passes[i].Samples == nil {
					s.Passes[i].Samples = []session.Sample{}
				}
			}
			delete(t.samples, s.ID)
			if err := s.Check(); !yield(s, err) || err != nil {
				return
			}
		}
		if len(t.samples) > 0 {
			yield(nil, fmt.Errorf("there are samples of %d sessions whose passes are not there; give the table of "+
				"passes too", len(t.samples)))
		}
	}
}
