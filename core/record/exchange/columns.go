package exchange

import (
	"reflect"
	"strconv"
	"strings"

	"opengauge/core/load"
)

// column is a value of a row with its name in tables.
type column struct {
	name, about string
	// options are those of the Parquet library, like "dict".
	options string
	// flat is the type that tables have: a string, an int64, a float64, a bool or a map.
	flat reflect.Type
	// in returns the value in a row, which can be set where the row can.
	in func(row reflect.Value) reflect.Value
}

// columnsOf returns the columns of a row type: its fields by their tags, and in the place of a load a column
// for each of its dimensions.
func columnsOf(row reflect.Type, without ...string) []column {
	var columns []column
	for i := range row.NumField() {
		field := row.Field(i)
		if field.Type == reflect.TypeFor[load.Load]() {
			columns = append(columns, loadColumns(i)...)
			continue
		}
		name, options, _ := strings.Cut(field.Tag.Get("parquet"), ",")
		if strings.Contains(" "+strings.Join(without, " ")+" ", " "+name+" ") {
			continue
		}
		columns = append(columns, column{
			name: name, about: field.Tag.Get("about"), options: options, flat: field.Type,
			in: func(row reflect.Value) reflect.Value { return row.Field(i) },
		})
	}
	return columns
}

// loadColumns returns the columns of the load that is a field of a row.
func loadColumns(field int) []column {
	var columns []column
	for _, d := range load.Dimensions {
		made := column{name: d.Column, about: d.About}
		made.in = func(row reflect.Value) reflect.Value {
			return reflect.ValueOf(d.Field(row.Field(field).Addr().Interface().(*load.Load))).Elem()
		}
		switch of := reflect.ValueOf(d.Field(&load.Load{})).Elem(); of.Kind() {
		case reflect.String:
			made.flat = reflect.TypeFor[string]()
			made.options = "dict"
		case reflect.Int, reflect.Int64:
			made.flat = reflect.TypeFor[int64]()
		default:
			made.flat = of.Type()
		}
		columns = append(columns, made)
	}
	return columns
}

// flatRow returns the columns of a row type, a pointer to a row that has each of them as a field, and whether the
// row type is such a one already.
func flatRow[Row any]() (columns []column, flat reflect.Value, isFlat bool) {
	of := reflect.TypeFor[Row]()
	columns = columnsOf(of)
	return columns, reflect.New(flatType(columns)), len(columns) == of.NumField()
}

// flatType returns the type of rows that have columns as their fields, for the Parquet library.
func flatType(columns []column) reflect.Type {
	fields := make([]reflect.StructField, len(columns))
	for i, c := range columns {
		tag := c.name
		if c.options != "" {
			tag += "," + c.options
		}
		fields[i] = reflect.StructField{
			Name: "F" + strconv.Itoa(i), Type: c.flat, Tag: reflect.StructTag(`parquet:"` + tag + `"`),
		}
	}
	return reflect.StructOf(fields)
}

// flatten copies a row into one of the flat type.
func flatten(columns []column, row, flat reflect.Value) {
	for i, c := range columns {
		flat.Field(i).Set(c.in(row).Convert(c.flat))
	}
}

// unflatten copies a row of the flat type into a row.
func unflatten(columns []column, flat, row reflect.Value) {
	for i, c := range columns {
		value := c.in(row)
		value.Set(flat.Field(i).Convert(value.Type()))
	}
}
