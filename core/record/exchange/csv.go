package exchange

import (
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"strconv"
	"strings"

	"opengauge/core/record/session"
)

// passColumns leaves out the documents, which only Parquet has: nobody wants them
// in a spreadsheet.
var (
	passColumns   = columnsOf(reflect.TypeFor[passRow](), "session_document", "pass_document")
	sampleColumns = columnsOf(reflect.TypeFor[sampleRow]())
)

type csvWriter[Row any] struct {
	out     *csv.Writer
	columns []column
	rows    func(*session.Session) ([]Row, error)
}

func newCSVWriter[Row any](w io.Writer, columns []column,
	rows func(*session.Session) ([]Row, error)) (*csvWriter[Row], error) {
	made := &csvWriter[Row]{csv.NewWriter(w), columns, rows}
	titles := make([]string, len(columns))
	for i, each := range columns {
		titles[i] = each.name
	}
	return made, made.out.Write(titles)
}

func (w *csvWriter[Row]) Add(s *session.Session) error {
	rows, err := w.rows(s)
	if err != nil {
		return err
	}
	cells := make([]string, len(w.columns))
	for i := range rows {
		row := reflect.ValueOf(&rows[i]).Elem()
		for place, each := range w.columns {
			if cells[place], err = writeCell(each.in(row)); err != nil {
				return err
			}
		}
		if err := w.out.Write(cells); err != nil {
			return err
		}
	}
	return nil
}

func (w *csvWriter[Row]) Close() error {
	w.out.Flush()
	return w.out.Error()
}

func writeCell(value reflect.Value) (string, error) {
	switch value.Kind() {
	case reflect.String:
		return Guarded(value.String()), nil
	case reflect.Bool:
		return strconv.FormatBool(value.Bool()), nil
	case reflect.Int, reflect.Int64:
		return strconv.FormatInt(value.Int(), 10), nil
	case reflect.Float64:
		return strconv.FormatFloat(value.Float(), 'g', -1, 64), nil
	default:
		if value.Len() == 0 {
			return "", nil
		}
		document, err := json.Marshal(value.Interface())
		return string(document), err
	}
}

// guarded begins a text that a spreadsheet would take for a formula.
const guard = '\''

// Guarded keeps a text from being taken for a formula by a spreadsheet: it puts an
// apostrophe before those that begin like one, and before apostrophes, so that it
// can be taken away again.
func Guarded(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r'", rune(text[0])) {
		return string(guard) + text
	}
	return text
}

func unguard(text string) string { return strings.TrimPrefix(text, string(guard)) }

// readCSV gives the rows of a CSV file to a function. Columns may be in any order;
// those that are not known are left out.
func readCSV[Row any](in *csv.Reader, titles []string, columns []column, each func(*Row) error) error {
	read := make([]*column, len(titles))
	for i, title := range titles {
		for k := range columns {
			if columns[k].name == title {
				read[i] = &columns[k]
			}
		}
	}
	for {
		cells, err := in.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("the CSV is damaged: %w", err)
		}
		line, _ := in.FieldPos(0)
		var row Row
		value := reflect.ValueOf(&row).Elem()
		for i, cell := range cells {
			if read[i] == nil || cell == "" {
				continue
			}
			if err := readCell(read[i].in(value), cell); err != nil {
				return fmt.Errorf("line %d, column %s: %w", line, titles[i], err)
			}
		}
		if err := each(&row); err != nil {
			return fmt.Errorf("line %d: %w", line, err)
		}
	}
}

func readCell(field reflect.Value, cell string) error {
	switch field.Kind() {
	case reflect.String:
		field.SetString(unguard(cell))
	case reflect.Bool:
		value, err := strconv.ParseBool(cell)
		if err != nil {
			return fmt.Errorf("%q is neither true nor false", cell)
		}
		field.SetBool(value)
	case reflect.Int, reflect.Int64:
		value, err := strconv.ParseInt(cell, 10, 64)
		if err != nil {
			return fmt.Errorf("%q is not a whole number", cell)
		}
		field.SetInt(value)
	case reflect.Float64:
		value, err := strconv.ParseFloat(cell, 64)
		if err != nil {
			return fmt.Errorf("%q is not a number", cell)
		}
		field.SetFloat(value)
	default:
		if err := json.Unmarshal([]byte(cell), field.Addr().Interface()); err != nil {
			return fmt.Errorf("%q is no JSON: %w", cell, err)
		}
	}
	return nil
}
