// Package spool keeps records of sessions in a file until a logbook has them: a file on
// this machine that is busy, or one elsewhere that is away.
//
// A spool belongs to one session. It is a file of lines, each a record with a checksum,
// on stable media before anything else is done with it. Records are numbered, and a
// session has an id, so that one that is stored twice is there once. The program that
// writes a spool holds it locked for as long as it lives; another takes in what a dead
// one left, and removes the file when all of it was acknowledged. A [File] belongs to one
// goroutine.
package spool

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"opengauge/core/storage/claim"
)

// Kind says what a record is of.
type Kind string

// The kinds of records, in the order in which a session has them: its beginning, without
// passes; each pass with its number; its end, without passes. One that is discarded ends
// so.
const (
	Begin   Kind = "begin"
	Pass    Kind = "pass"
	Finish  Kind = "finish"
	Discard Kind = "discard"
)

// Format of the first line of a spool.
const Format = "opengauge-spool/1"

// Record is what a logbook takes in at once.
type Record struct {
	Kind Kind `json:"kind"`
	// Number of a pass within its session, from 0.
	Number int `json:"number"`
	// Checksum of the document: CRC-32C (RFC 3385).
	Checksum uint32          `json:"crc32c"`
	Document json.RawMessage `json:"document"`
}

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// New makes a record of a document.
func New(kind Kind, number int, document any) (Record, error) {
	text, err := json.Marshal(document)
	if err != nil {
		return Record{}, err
	}
	return Record{kind, number, crc32.Checksum(text, castagnoli), text}, nil
}

// first is the first line of a spool.
type first struct {
	Format  string    `json:"format"`
	Session string    `json:"session"`
	Started time.Time `json:"started"`
}

// suffix of the names of spools: that of the logbook, "-spool-", the session's id, and this.
const suffix = ".jsonl"

func nameOf(logbook, id string) string { return logbook + "-spool-" + id + suffix }

// File is a spool that is being written.
type File struct {
	file *os.File
	path string
}

// Create makes the spool of a session beside a logbook.
func Create(logbook, id string) (*File, error) {
	path := nameOf(logbook, id)
	file, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return nil, fmt.Errorf("could not make %s, in which passes wait for the logbook: %w", path, err)
	}
	f := &File{file, path}
	// It says something only once it is locked: nobody takes one for a dead program's before.
	if err := errors.Join(claim.New(file), f.line(first{Format, id, time.Now().UTC()})); err != nil {
		return nil, errors.Join(err, f.Remove())
	}
	return f, nil
}

// Path of the file.
func (f *File) Path() string { return f.path }

// Append puts a record on stable media.
func (f *File) Append(record Record) error { return f.line(record) }

func (f *File) line(content any) error {
	text, err := json.Marshal(content)
	if err != nil {
		return err
	}
	if _, err := f.file.Write(append(text, '\n')); err != nil {
		return fmt.Errorf("could not write %s: %w", f.path, err)
	}
	return f.file.Sync()
}

// Close leaves the spool for whoever takes it in.
func (f *File) Close() error { return f.file.Close() }

// Remove removes the spool: all of it was acknowledged.
func (f *File) Remove() error { return claim.Remove(f.file) }

// Waiting is a spool of a dead program.
type Waiting struct {
	Path    string
	Session string
	Records []Record
	// Damaged is how many lines could not be read. The last may have been cut off as the
	// program died, and is not one of them.
	Damaged int
}

// TakeIn gives the spools beside a logbook whose programs are dead to a function that
// stores them. What it stored is removed; what it did not store, and what is damaged, stays.
func TakeIn(logbook string, store func(Waiting) error) error {
	paths, err := spools(logbook)
	if err != nil {
		return err
	}
	var failed error
	for _, path := range paths {
		failed = errors.Join(failed, takeIn(path, store))
	}
	return failed
}

func spools(logbook string) ([]string, error) {
	return filepath.Glob(escape(logbook) + "-spool-*" + suffix)
}

// Sessions are the ids of those that have a spool beside a logbook.
func Sessions(logbook string) ([]string, error) {
	paths, err := spools(logbook)
	ids := make([]string, len(paths))
	for i, path := range paths {
		ids[i] = strings.TrimSuffix(filepath.Base(path)[len(filepath.Base(logbook)+"-spool-"):], suffix)
	}
	return ids, err
}

// escape keeps a path from being read as a pattern.
func escape(path string) string {
	return strings.NewReplacer(`[`, `[[]`, `*`, `[*]`, `?`, `[?]`).Replace(path)
}

func takeIn(path string, store func(Waiting) error) error {
	file, err := claim.Dead(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil
	case err != nil:
		return fmt.Errorf("could not open %s, in which passes wait: %w", path, err)
	case file == nil:
		return nil
	}
	waiting, err := read(file)
	waiting.Path = path
	if err != nil {
		return errors.Join(fmt.Errorf("%s cannot be taken in: %w", path, err), file.Close())
	}
	if len(waiting.Records) > 0 {
		err = store(waiting)
	}
	switch {
	case err != nil:
		return errors.Join(err, file.Close())
	case waiting.Damaged > 0:
		return errors.Join(file.Close(), os.Rename(path, path+".damaged"), fmt.Errorf(
			"%d records of session %s are damaged and were left in %s.damaged", waiting.Damaged, waiting.Session, path))
	}
	return claim.Remove(file)
}

// longestSpool bounds what a damaged file can make the reader allocate.
const longestSpool = 1 << 33

// read reads a spool.
func read(file io.Reader) (Waiting, error) {
	lines := bufio.NewReaderSize(io.LimitReader(file, longestSpool), 1<<16)
	var waiting Waiting
	var head first
	text, err := lines.ReadBytes('\n')
	if len(text) == 0 && errors.Is(err, io.EOF) {
		return waiting, nil // its program died before it wrote anything
	}
	if json.Unmarshal(text, &head) != nil || head.Format != Format {
		if errors.Is(err, io.EOF) {
			return waiting, nil // or while it did
		}
		return waiting, fmt.Errorf("it is no spool of the format %s", Format)
	}
	waiting.Session = head.Session
	for {
		text, err := lines.ReadBytes('\n')
		if errors.Is(err, io.EOF) {
			return waiting, nil // what is behind the last end of line was cut off
		}
		if err != nil {
			return waiting, err
		}
		var record Record
		if json.Unmarshal(bytes.TrimSpace(text), &record) != nil ||
			crc32.Checksum(record.Document, castagnoli) != record.Checksum {
			waiting.Damaged++
			continue
		}
		waiting.Records = append(waiting.Records, record)
	}
}
