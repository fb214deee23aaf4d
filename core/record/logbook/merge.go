package logbook

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"opengauge/core/record/session"
	"opengauge/core/storage/scratch"
)

// MergeFrom adds all sessions of another logbook, with their tags, each once it was read
// and holds up. Those that cannot be read are named. The other logbook is not changed: it
// is a copy that is read, and brought up to date.
func (l *Logbook) MergeFrom(name string, progress func(done, total int)) (done Imported, damaged *Damaged, err error) {
	done = Imported{Conflicting: []string{}}
	home, err := scratch.In(l.besides())
	if err != nil {
		return done, nil, fmt.Errorf("could not make a copy of %s: %w", name, err)
	}
	defer func() { err = errors.Join(err, home.Close()) }()
	if err := checkForeign(l.database.ctx, name); err != nil {
		return done, nil, err
	}
	copied, err := l.copyDatabase(home, name)
	if err != nil {
		return done, nil, fmt.Errorf("could not read the logbook %s: %w", name, err)
	}
	other, err := openAs(l.database.ctx, name, copied, writing) // checks it, and brings it up to date
	if err != nil {
		return done, nil, err
	}
	defer func() { err = errors.Join(err, other.Close()) }()
	return l.take(other, progress)
}

// checkForeign fails where a file that somebody else made has anything but a logbook's tables.
func checkForeign(ctx context.Context, name string) error {
	as := reading
	if !writable(name) && !hasLog(name) {
		as = frozen
	}
	database, err := sql.Open("sqlite", source(name, as))
	if err != nil {
		return err
	}
	defer database.Close()
	foreign := &Logbook{database: store{DB: database, engine: inFile, ctx: ctx}, place: name}
	return foreign.checkExactly()
}

// besides returns a folder for temporary files.
func (l *Logbook) besides() string {
	if Shared(l.place) {
		return os.TempDir()
	}
	return filepath.Dir(l.place)
}

// copyDatabase makes a copy of a database that others may be using: by the database itself, or
// where that finds it damaged, of its files.
func (l *Logbook) copyDatabase(home *scratch.Folder, name string) (string, error) {
	made, err := newFile(home, "merge")
	if err != nil {
		return "", err
	}
	if !hasLog(name) || writable(name) {
		if err := l.vacuum(name, made); err == nil || l.database.ctx.Err() != nil {
			return made, errors.Join(err, l.database.ctx.Err())
		}
		_ = os.Remove(made)
	}
	return made, copyFiles(name, made)
}

func (l *Logbook) vacuum(from, to string) error {
	mode := reading
	if !writable(from) {
		mode = frozen // nobody else can write it either
	}
	database, err := sql.Open("sqlite", source(from, mode))
	if err != nil {
		return err
	}
	defer database.Close()
	_, err = database.ExecContext(l.database.ctx, `VACUUM INTO $1`, to)
	return err
}

// take adds every readable session of another logbook.
func (l *Logbook) take(other *Logbook, progress func(done, total int)) (Imported, *Damaged, error) {
	damaged := &Damaged{}
	ids, incomplete := other.Salvage()
	damaged.Incomplete = incomplete
	if err := other.database.ctx.Err(); err != nil {
		return Imported{Conflicting: []string{}}, damaged, err
	}
	known, err := queryTexts(l.database, `SELECT id FROM sessions WHERE id IN (`+l.database.listQuery(1)+`)`,
		jsonList(ids))
	if err != nil {
		return Imported{Conflicting: []string{}}, damaged, l.unusable(err)
	}
	read := 0
	done, err := l.Import(func(yield func(*session.Session, error) bool) {
		for i := len(ids) - 1; i >= 0; i-- { // the oldest first, as they came
			progress(read, len(ids))
			read++
			s, err := other.Whole(ids[i])
			if err != nil {
				damaged.Add(ids[i], err)
				continue
			}
			if !yield(s, nil) {
				return
			}
		}
	})
	if err != nil {
		return done, damaged, err
	}
	added := slices.DeleteFunc(ids, func(id string) bool { return slices.Contains(known, id) })
	return done, damaged, l.takeTags(other, added)
}

// takeTags adds the tags that sessions have in another logbook.
func (l *Logbook) takeTags(other *Logbook, ids []string) error {
	return l.database.change(func(tx transaction) error {
		for _, id := range ids {
			tags, _ := other.Tags(id) // as far as they can be read
			for _, tag := range tags {
				if _, err := tx.Exec(tx.addTag, tag, id); err != nil {
					return err
				}
			}
		}
		return nil
	})
}
