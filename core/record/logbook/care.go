package logbook

import (
	"database/sql"
	"errors"
	"fmt"
	"os"
	"slices"
	"time"

	"opengauge/core/record/session"
	"opengauge/core/storage/scratch"
)

// Check looks for damage: in the database's own structure, in references, and in every session. It returns
// the faults, a sentence each, and the number of sessions it read.
func (l *Logbook) Check(progress func(done, total int)) ([]string, int, error) {
	faults := l.structure()
	ids, incomplete := l.Salvage()
	if incomplete != nil {
		faults = append(faults, "not all sessions can be found: "+incomplete.Error())
	}
	digests := &digests{Logbook: l}
	for i, id := range ids {
		if err := l.database.ctx.Err(); err != nil {
			return faults, i, err
		}
		progress(i, len(ids))
		switch s, err := l.Whole(id); {
		case errors.Is(err, ErrRemoved):
		case err != nil:
			faults = append(faults, fmt.Sprintf("session %s cannot be read: %v", id, err))
		default:
			if err := digests.check(s); err != nil {
				faults = append(faults, fmt.Sprintf("session %s: %v", id, err))
			}
		}
	}
	return faults, len(ids), l.database.ctx.Err()
}

// structure returns the faults of the database itself.
func (l *Logbook) structure() []string {
	if Shared(l.place) {
		return nil // servers check references as they change, and their own files by their own tools
	}
	var faults []string
	structure, err := queryTexts(l.database, `PRAGMA integrity_check`)
	for _, line := range structure {
		if line != "ok" {
			faults = append(faults, "the database is damaged: "+line)
		}
	}
	if err != nil {
		faults = append(faults, "the database cannot be read: "+err.Error())
	}
	lost, err := queryTexts(l.database, `SELECT "table" FROM pragma_foreign_key_check`)
	for _, table := range lost {
		faults = append(faults, "a row of "+table+" belongs to no session")
	}
	if err != nil {
		faults = append(faults, "references cannot be read: "+err.Error())
	}
	return faults
}

// Whole reads the session of an id, and sees that all of it is there and holds up.
func (l *Logbook) Whole(id string) (*session.Session, error) {
	s, counted, err := l.loadCounted(id)
	for try := 0; err == nil && counted != len(s.Passes) && try < 3; try++ { // one that is being measured
		time.Sleep(longestPause)
		s, counted, err = l.loadCounted(id)
	}
	if err != nil {
		return nil, err
	}
	if counted != len(s.Passes) {
		return nil, fmt.Errorf("it has %d passes, and should have %d", len(s.Passes), counted)
	}
	return s, nil
}

// loadCounted reads a session, and how many passes it ought to have.
func (l *Logbook) loadCounted(id string) (s *session.Session, passes int, err error) {
	err = l.database.QueryRow(`SELECT passes FROM sessions WHERE id = $1`, id).Scan(&passes)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, 0, ErrRemoved
	}
	if err == nil {
		s, err = l.load(id)
	}
	return s, passes, err
}

// Salvage gives the ids of all sessions that can be found, the newest first, and why some
// may be missing: where one way to them is damaged, others are tried.
func (l *Logbook) Salvage() ([]string, error) {
	ids, err := queryTexts(l.database, `SELECT id FROM sessions`+newestFirst)
	if err == nil || l.database.ctx.Err() != nil {
		return ids, err
	}
	var found []string
	for _, way := range []string{`ORDER BY started_ms DESC`, `ORDER BY started_ms`, `ORDER BY rowid DESC`,
		`ORDER BY rowid`, `ORDER BY id`, `ORDER BY id DESC`, `ORDER BY name`, `ORDER BY name DESC`} {
		more, _ := queryTexts(l.database, `SELECT id FROM sessions `+way) // those before the damage
		for _, id := range more {
			if !slices.Contains(found, id) {
				found = append(found, id)
			}
		}
	}
	slices.Sort(found)
	slices.Reverse(found) // ids begin with the time
	return found, err
}

// Damaged names sessions that could not be read.
type Damaged struct {
	// Sessions are the ids of those, and Reasons why, each.
	Sessions, Reasons []string
	// Incomplete says that there may be more that could not even be found.
	Incomplete error
}

// Add names a session.
func (d *Damaged) Add(id string, why error) {
	d.Sessions, d.Reasons = append(d.Sessions, id), append(d.Reasons, why.Error())
}

// Unfound returns an error where there may be sessions that were not even found, or nil.
func (d *Damaged) Unfound() error {
	if d.Incomplete == nil {
		return nil
	}
	return fmt.Errorf("the logbook is damaged, and there may be sessions that were not found: %w", d.Incomplete)
}

// tell names damaged sessions to a logbook's owner, and fails where there may be others that were not even
// found.
func (d *Damaged) tell(l *Logbook) error {
	for i, id := range d.Sessions {
		if err := l.leaveOut("session "+id, errors.New(d.Reasons[i])); err != nil {
			return err
		}
	}
	return d.Unfound()
}

// Repair writes every readable session of the logbook into a new one, and returns the sessions that are
// missing there.
func (l *Logbook) Repair(name string, progress func(done, total int)) (Imported, *Damaged, error) {
	if _, err := os.Lstat(name); err == nil {
		return Imported{}, nil, fmt.Errorf("%s is there already; name a new file", name)
	}
	out, err := scratch.NewOutput(name, "repair", nil)
	if err != nil {
		return Imported{}, nil, fmt.Errorf("could not write %s: %w", name, err)
	}
	done, damaged, err := l.saveTo(out, name, progress)
	return done, damaged, errors.Join(err, out.Close())
}

// saveTo fills a new logbook, and gives it its name once it is whole.
func (l *Logbook) saveTo(out *scratch.Output, name string, progress func(done, total int)) (Imported, *Damaged, error) {
	err := noteBeside(out.Home(), out.Path())
	if err == nil {
		err = makeAt(l.database.ctx, out.Path())
	}
	if err != nil {
		return Imported{}, nil, fmt.Errorf("could not write %s: %w", name, err)
	}
	into, err := openAs(l.database.ctx, name, out.Path(), writing)
	if err != nil {
		return Imported{}, nil, err
	}
	done, damaged, err := into.take(l, progress)
	if err = errors.Join(err, into.Close()); err != nil {
		return done, damaged, err
	}
	return done, damaged, out.Finish()
}

// newFile returns the path of a database that is made and removed again, and notes the files that SQLite
// makes beside it.
func newFile(home *scratch.Folder, of string) (string, error) {
	made, err := home.Name(of)
	if err != nil {
		return "", err
	}
	return made, noteBeside(home, made)
}

// noteBeside notes the files that SQLite makes beside a database while it is open.
func noteBeside(home *scratch.Folder, made string) error {
	return errors.Join(home.Also(made+"-wal"), home.Also(made+"-shm"), home.Also(made+"-journal"))
}

// Backup writes a copy of the logbook, whole or not at all, while others may use it.
// A file that is there already is not overwritten.
func (l *Logbook) Backup(name string) (err error) {
	defer func() {
		if err != nil {
			err = fmt.Errorf("could not write the backup %s: %w", name, err)
		}
	}()
	if _, err := os.Lstat(name); err == nil {
		return errors.New("it is there already; name a new file")
	}
	out, err := scratch.NewOutput(name, "backup", nil)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, out.Close()) }()
	if Shared(l.place) {
		_, damaged, err := l.saveTo(out, name, func(int, int) {})
		if err != nil {
			return err
		}
		return damaged.tell(l)
	}
	if err := noteBeside(out.Home(), out.Path()); err != nil {
		return err
	}
	file, err := out.Create() // which this user alone may read
	if err != nil {
		return err
	}
	defer file.Close()
	if _, err := l.database.ExecContext(l.database.ctx, `VACUUM INTO $1`, out.Path()); err != nil {
		return err
	}
	if err := file.Sync(); err != nil {
		return err
	}
	return out.Finish()
}
