package logbook

import (
	"fmt"
	"strings"

	"opengauge/core/record/session"
)

// statements are the changes of a logbook, which engines make in their own ways: a file by its tables, a
// server by functions, which refuse changes that an account may not make. Arguments are the same for both.
type statements struct {
	beginSession, finishSession string // of sessionValues
	amendSession                string // id, document
	countPasses                 string // id
	removeEmptySamples          string // id, and two forms of no samples
	clearDocuments              string // id
	clearIndex                  []string
	removeSession               string
	removeSamples               string
	addTag                      string // tag, id
	removeTags                  string // id, a list of tags as JSON
	addQuote                    string // part, document
	removeQuote                 string // document
	addRanking                  string // class, load
	addSetup                    string // name
	enlist                      string // name, machine; empty in a file, which has no benches
	takeTurn                    string // empty where one transaction at a time writes anyway
	clearClaims                 string // review, bench
	addClaim                    string // review, place, bench, for how many milliseconds, document
	keepClaims                  string // for how many milliseconds, review, bench
	giveBack                    string // review, bench

	addSessions   bulk // sessionValues, how many passes
	addPasses     bulk // session, position, document, samples
	addConditions bulk // key, value, session
	addPassLists  bulk // session, document, digest
	addFigures    bulk // session, ranking, setup, value
}

// clockOfFile is the time in milliseconds since 1970.
const clockOfFile = `CAST(unixepoch('subsec') * 1000 AS INTEGER)`

const addSession = `INSERT INTO sessions (id, name, started_ms, state, simulated, plan, target, document)
	VALUES ($1, $2, $3, $4, $5, $6, $7, $8) ON CONFLICT (id) `

// fileStatements change an SQLite file.
var fileStatements = statements{
	beginSession:       addSession + `DO NOTHING`,
	finishSession:      addSession + `DO UPDATE SET state = excluded.state, document = excluded.document`,
	amendSession:       `UPDATE sessions SET document = $2 WHERE id = $1`,
	countPasses:        `UPDATE sessions SET passes = (SELECT count(*) FROM passes WHERE session = $1) WHERE id = $1`,
	removeEmptySamples: `DELETE FROM passes WHERE session = $1 AND samples IN ($2, $3)`,
	clearDocuments:     `UPDATE passes SET document = '' WHERE session = $1 AND document <> ''`,
	clearIndex: []string{`DELETE FROM conditions WHERE session = $1`, `DELETE FROM figures WHERE session = $1`,
		`DELETE FROM pass_lists WHERE session = $1`},
	removeSession: `DELETE FROM sessions WHERE id = $1`,
	removeSamples: `DELETE FROM passes WHERE session = $1`,
	addTag:        `INSERT INTO tags (tag, session) SELECT $1, id FROM sessions WHERE id = $2 ON CONFLICT DO NOTHING`,
	removeTags:    `DELETE FROM tags WHERE session = $1 AND tag IN (SELECT value FROM json_each($2))`,
	addQuote:      `INSERT INTO quotes (part, document) VALUES ($1, $2) ON CONFLICT DO NOTHING`,
	removeQuote:   `DELETE FROM quotes WHERE document = $1`,
	addRanking:    `INSERT INTO rankings (class, load) VALUES ($1, $2) ON CONFLICT DO NOTHING`,
	addSetup:      `INSERT INTO setups (name) VALUES ($1) ON CONFLICT DO NOTHING`,
	clearClaims:   `DELETE FROM claims WHERE review = $1 AND (until_ms < ` + clockOfFile + ` OR bench = $2)`,
	addClaim: `INSERT INTO claims (review, place, bench, until_ms, document)
		VALUES ($1, $2, $3, ` + clockOfFile + ` + $4, $5)`,
	keepClaims: `UPDATE claims SET until_ms = ` + clockOfFile + ` + $1 WHERE review = $2 AND bench = $3`,
	giveBack:   `DELETE FROM claims WHERE review = $1 AND bench = $2`,

	addSessions: bulk{begin: `INSERT INTO sessions (id, name, started_ms, state, simulated, plan, target, document, passes)
		VALUES `},
	addPasses:     bulk{`INSERT INTO passes (session, position, document, samples) VALUES `, ` ON CONFLICT DO NOTHING`},
	addConditions: bulk{`INSERT INTO conditions (key, value, session) VALUES `, ` ON CONFLICT DO NOTHING`},
	addPassLists:  bulk{begin: `INSERT INTO pass_lists (session, document, digest) VALUES `},
	addFigures: bulk{`INSERT INTO figures (session, ranking, setup, value, started_ms)
		SELECT column1, column2, column3, column4, started_ms FROM (VALUES `, `) JOIN sessions ON id = column1`},
}

// serverStatements call the functions of a server. They are in migrations/postgres.
var serverStatements = statements{
	beginSession:       `SELECT opengauge_bench.begin_session($1, $2)`,
	finishSession:      `SELECT opengauge_bench.finish_session($1, $2)`,
	amendSession:       `SELECT opengauge_bench.amend_session($1, $2)`,
	countPasses:        `SELECT opengauge_bench.count_passes($1)`,
	removeEmptySamples: `SELECT opengauge_bench.remove_empty_samples($1, $2, $3)`,
	clearDocuments:     `SELECT opengauge_bench.clear_documents($1)`,
	clearIndex:         []string{`SELECT opengauge_bench.clear_index($1)`},
	removeSession:      `SELECT opengauge_bench.remove_session($1)`,
	removeSamples:      `SELECT opengauge_bench.remove_samples($1)`,
	addTag:             `SELECT opengauge_bench.add_tag($1, $2)`,
	removeTags:         `SELECT opengauge_bench.remove_tags($1, $2)`,
	addQuote:           `SELECT opengauge_bench.add_quote($1, $2)`,
	removeQuote:        `SELECT opengauge_bench.remove_quote($1)`,
	addRanking:         `SELECT opengauge_bench.add_ranking($1, $2)`,
	addSetup:           `SELECT opengauge_bench.add_setup($1)`,
	enlist:             `SELECT opengauge_bench.enlist($1, $2)`,
	takeTurn:           `SELECT opengauge_bench.take_turn()`,
	clearClaims:        `SELECT opengauge_bench.clear_claims($1, $2)`,
	addClaim:           `SELECT opengauge_bench.add_claim($1, $2, $3, $4, $5)`,
	keepClaims:         `SELECT opengauge_bench.keep_claims($1, $2, $3)`,
	giveBack:           `SELECT opengauge_bench.give_back($1, $2)`,

	addSessions:   bulk{begin: `SELECT opengauge_bench.add_sessions`},
	addPasses:     bulk{begin: `SELECT opengauge_bench.add_passes`},
	addConditions: bulk{begin: `SELECT opengauge_bench.add_conditions`},
	addPassLists:  bulk{begin: `SELECT opengauge_bench.add_pass_lists`},
	addFigures:    bulk{begin: `SELECT opengauge_bench.add_figures`},
}

// fileValues returns the columns of a session with its header.
func fileValues(s *session.Session, header string) []any {
	return []any{s.ID, s.Name, s.Started.UnixMilli(), string(s.State), s.Simulated, s.Plan.Name, s.Target.Address, header}
}

// serverValues returns an id and a header: a server computes the other columns from the header.
func serverValues(s *session.Session, header string) []any { return []any{s.ID, header} }

// bulk is a statement that adds many rows: each way to a server and back costs as much as a hundred
// of them.
type bulk struct {
	// begin and end stand around the rows.
	begin, end string
}

// rows collects rows for a bulk statement.
type rows struct {
	width  int
	values []any
}

func (r *rows) add(values ...any) {
	r.width = len(values)
	r.values = append(r.values, values...)
}

// atOnce is the most arguments of a statement; SQLite takes 32,766 (SQLITE_MAX_VARIABLE_NUMBER).
const atOnce = 2000

// addByTuples adds rows by statements with a tuple for each of them. Few forms of a statement come up, so that
// SQLite knows them again.
func addByTuples(tx transaction, into bulk, r *rows) error {
	for left := r.values; len(left) > 0; {
		count := min(atOnce/r.width, len(left)/r.width)
		if _, err := tx.Exec(into.begin+tuples(count, r.width)+into.end, left[:count*r.width]...); err != nil {
			return err
		}
		left = left[count*r.width:]
	}
	return nil
}

// tuples writes count tuples of numbered arguments.
func tuples(count, width int) string {
	var text strings.Builder
	for i := range count {
		if i > 0 {
			text.WriteString(", ")
		}
		text.WriteString("(" + numbered(i*width+1, width) + ")")
	}
	return text.String()
}

// numbered writes a list of arguments from a first number on.
func numbered(first, count int) string {
	names := make([]string, count)
	for i := range names {
		names[i] = fmt.Sprintf("$%d", first+i)
	}
	return strings.Join(names, ", ")
}

// addByArrays adds rows by one call of a function, with an array for each column.
func addByArrays(tx transaction, into bulk, r *rows) error {
	if len(r.values) == 0 {
		return nil
	}
	columns := make([]any, r.width)
	for i := range columns {
		column := make([]any, 0, len(r.values)/r.width)
		for at := i; at < len(r.values); at += r.width {
			column = append(column, r.values[at])
		}
		columns[i] = column
	}
	_, err := tx.Exec(into.begin+"("+numbered(1, r.width)+")", columns...)
	return err
}
