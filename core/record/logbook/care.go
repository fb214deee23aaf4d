package logbook

import (
	"fmt"
	"os"
	"path/filepath"
)

// Check looks for damage: the database's own structure, references, and whether
// every session can be read. It gives what is wrong, a sentence each, and how many
// sessions it read.
func (l *Logbook) Check(progress func(done, total int)) ([]string, int, error) {
	var faults []string
	structure, err := queryTexts(l.database, `PRAGMA integrity_check`)
	if err != nil {
		return []string{"the database cannot be read: " + err.Error()}, 0, nil
	}
	for _, line := range structure {
		if line != "ok" {
			faults = append(faults, "the database is damaged: "+line)
		}
	}
	lost, err := queryTexts(l.database, `SELECT "table" FROM pragma_foreign_key_check`)
	if err != nil {
		return faults, 0, l.unusable(err)
	}
	for _, table := range lost {
		faults = append(faults, "a row of "+table+" belongs to no session")
	}
	ids, err := l.IDs(Filter{})
	if err != nil {
		return append(faults, err.Error()), 0, nil
	}
	for i, id := range ids {
		progress(i, len(ids))
		s, err := l.load(id)
		if err != nil {
			faults = append(faults, fmt.Sprintf("session %s cannot be read: %v", id, err))
			continue
		}
		var counted int
		if err := l.database.QueryRow(`SELECT passes FROM sessions WHERE id = ?`, id).Scan(&counted); err == nil &&
			counted != len(s.Passes) {
			faults = append(faults, fmt.Sprintf("session %s has %d passes, and should have %d", id, len(s.Passes),
				counted))
		}
	}
	return faults, len(ids), nil
}

// Backup writes a copy of the logbook, whole or not at all, while others may use it.
// A file that is there already is not overwritten.
func (l *Logbook) Backup(name string) error {
	if _, err := os.Lstat(name); err == nil {
		return fmt.Errorf("%s is there already; name a new file", name)
	}
	folder, err := os.MkdirTemp(filepath.Dir(name), ".opengauge-backup-")
	if err != nil {
		return fmt.Errorf("could not write the backup %s: %w", name, err)
	}
	defer os.RemoveAll(folder)
	made := filepath.Join(folder, "logbook.db")
	if _, err := l.database.Exec(`VACUUM INTO ?`, made); err != nil {
		return fmt.Errorf("could not write the backup %s: %w", name, err)
	}
	file, err := os.OpenFile(made, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	defer file.Close()
	if err := file.Sync(); err != nil {
		return fmt.Errorf("could not write the backup %s: %w", name, err)
	}
	return os.Rename(made, name)
}
