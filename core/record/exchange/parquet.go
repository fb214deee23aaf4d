package exchange

import (
	"fmt"
	"io"
	"reflect"

	"github.com/parquet-go/parquet-go"

	"opengauge/core/record/codec"
	"opengauge/core/record/session"
)

// parquetWriter writes rows of sessions to a Parquet file.
type parquetWriter[Row any] struct {
	rows  func(*session.Session) ([]Row, error)
	write func([]Row) error
	end   func() error
}

// rowsInGroup bounds the memory of a writer, which holds a group of rows at a time.
const rowsInGroup = 20_000

func newParquetWriter[Row any](w io.Writer, rows func(*session.Session) ([]Row, error)) *parquetWriter[Row] {
	options := []parquet.WriterOption{parquet.Compression(&parquet.Zstd), parquet.MaxRowsPerRowGroup(rowsInGroup)}
	columns, flat, isFlat := flatRow[Row]()
	if isFlat { // as it is, which takes a third of the time
		out := parquet.NewGenericWriter[Row](w, options...)
		return &parquetWriter[Row]{rows, func(rows []Row) error { _, err := out.Write(rows); return err }, out.Close}
	}
	out := parquet.NewGenericWriter[any](w, append(options, parquet.SchemaOf(flat.Interface()))...)
	return &parquetWriter[Row]{rows, func(rows []Row) error {
		for i := range rows {
			flatten(columns, reflect.ValueOf(&rows[i]).Elem(), flat.Elem())
			if _, err := out.Write([]any{flat.Interface()}); err != nil {
				return err
			}
		}
		return nil
	}, out.Close}
}

func (w *parquetWriter[Row]) Add(s *session.Session) error {
	rows, err := w.rows(s)
	if err != nil {
		return err
	}
	return w.write(rows)
}

func (w *parquetWriter[Row]) Close() error { return w.end() }

// The most rows that a table of a size may have: a run of equal rows takes next to nothing in a file, and in
// memory a pass takes 500 bytes and a sample 150.
func mostPasses(size int64) int64  { return 1<<14 + size/4 }
func mostSamples(size int64) int64 { return 1<<16 + 4*size }

// readParquet gives the rows of a Parquet file, of which there may be so many, to a function. Damage of any
// kind is an error.
func readParquet[Row any](r io.ReaderAt, size, most int64, each func(*Row) error) (err error) {
	defer func() { // the library panics on some damaged files
		if recovered := recover(); recovered != nil {
			err = fmt.Errorf("the Parquet file is damaged: %v", recovered)
		}
	}()
	file, err := parquet.OpenFile(r, size)
	if err != nil {
		return fmt.Errorf("the Parquet file is damaged: %w", err)
	}
	if rows := file.NumRows(); rows > most {
		return fmt.Errorf("%w: the %d bytes of the Parquet file are %d rows", codec.ErrTooLarge, size, rows)
	}
	next, end := rowReader[Row](file)
	defer end()
	var rows [256]Row
	for {
		count, err := next(rows[:])
		if most -= int64(count); most < 0 { // whatever it said before
			return fmt.Errorf("%w: the Parquet file has more rows than it says", codec.ErrTooLarge)
		}
		for i := range rows[:count] {
			if err := each(&rows[i]); err != nil {
				return err
			}
		}
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return fmt.Errorf("the Parquet file is damaged: %w", err)
		}
		clear(rows[:])
	}
}

// rowReader returns a function that reads the next rows of a file, and one that ends it.
func rowReader[Row any](file *parquet.File) (next func([]Row) (int, error), end func() error) {
	columns, flat, isFlat := flatRow[Row]()
	if isFlat {
		reader := parquet.NewGenericReader[Row](file)
		return reader.Read, reader.Close
	}
	reader := parquet.NewReader(file, parquet.SchemaOf(flat.Interface()))
	return func(rows []Row) (int, error) {
		flat.Elem().SetZero()
		if err := reader.Read(flat.Interface()); err != nil {
			return 0, err
		}
		unflatten(columns, flat.Elem(), reflect.ValueOf(&rows[0]).Elem())
		return 1, nil
	}, reader.Close
}

// tableOf says which table a Parquet file holds, by its columns.
func tableOf(r io.ReaderAt, size int64) (table Table, err error) {
	defer func() {
		if recovered := recover(); recovered != nil {
			err = fmt.Errorf("the Parquet file is damaged: %v", recovered)
		}
	}()
	file, err := parquet.OpenFile(r, size)
	if err != nil {
		return "", fmt.Errorf("the Parquet file is damaged: %w", err)
	}
	columns := map[string]bool{}
	for _, column := range file.Schema().Columns() {
		columns[column[0]] = true
	}
	return tableWith(columns)
}

// tableWith says which table has those columns.
func tableWith(columns map[string]bool) (Table, error) {
	switch {
	case columns["session_id"] && columns["pass_index"] && columns["operation"]:
		return Passes, nil
	case columns["session_id"] && columns["pass_index"] && columns["t_seconds"]:
		return Samples, nil
	}
	return "", fmt.Errorf("this is no table of passes or samples: it needs the columns session_id and pass_index, " +
		"and operation or t_seconds")
}
