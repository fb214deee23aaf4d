package logbook

import (
	"cmp"
	"database/sql"
	"errors"
	"maps"
	"slices"
	"sync"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Standing is where a session stands among others of its class, by one load.
type Standing struct {
	Load  string              `json:"load"`
	Value unit.BytesPerSecond `json:"bytes_per_second"`
	// Others is how many other sessions are ranked, and Slower and Alike how many
	// of them gave less, and just as much.
	Others int `json:"others"`
	Slower int `json:"slower"`
	Alike  int `json:"alike"`
	// Below and Above are its neighbours, or nil at the ends.
	Below *Neighbour `json:"next_slower"`
	Above *Neighbour `json:"next_faster"`
}

// Percentile is the share of the others that gave less, those that gave as much
// counting half; from 0 to 100.
func (s Standing) Percentile() float64 {
	if s.Others == 0 {
		return 50
	}
	return 100 * (float64(s.Slower) + float64(s.Alike)/2) / float64(s.Others)
}

// Neighbour is a session next to another in a ranking.
type Neighbour struct {
	ID    string              `json:"id"`
	Name  string              `json:"name"`
	Value unit.BytesPerSecond `json:"bytes_per_second"`
}

// DisplayName is the name that the user gave, or else the id.
func (n Neighbour) DisplayName() string { return cmp.Or(n.Name, n.ID) }

// Standings ranks a session by each of its loads among the sessions of its class,
// the fastest load first.
func (l *Logbook) Standings(s *session.Session) ([]Standing, error) {
	figures := Figures(s)
	standings, errs := make([]Standing, len(figures)), make([]error, len(figures))
	var group sync.WaitGroup
	for i, key := range slices.Collect(maps.Keys(figures)) {
		group.Go(func() { standings[i], errs[i] = l.standing(s, key, figures[key]) })
	}
	group.Wait()
	if err := errors.Join(errs...); err != nil {
		return nil, l.unusable(err)
	}
	slices.SortFunc(standings, func(a, b Standing) int {
		return cmp.Or(cmp.Compare(b.Value, a.Value), cmp.Compare(a.Load, b.Load))
	})
	return standings, nil
}

func (l *Logbook) standing(s *session.Session, key session.Key, value float64) (Standing, error) {
	standing := Standing{Load: key.String(), Value: unit.BytesPerSecond(value)}
	name, err := rankingName(key)
	if err != nil {
		return standing, err
	}
	var ranking, count int64
	err = l.database.QueryRow(`SELECT id, count FROM rankings WHERE class = ? AND load = ?`, s.Class(),
		name).Scan(&ranking, &count)
	if errors.Is(err, sql.ErrNoRows) {
		return standing, nil
	}
	if err != nil {
		return standing, err
	}
	own := 0 // it is one of them itself, once it was finished
	for place, query := range map[*int]string{
		&standing.Slower: `SELECT count(*) FROM figures WHERE ranking = ?1 AND value < ?2 AND session <> ?3`,
		&standing.Alike:  `SELECT count(*) FROM figures WHERE ranking = ?1 AND value = ?2 AND session <> ?3`,
		&own:             `SELECT count(*) FROM figures WHERE ranking = ?1 AND value = ?2 AND session = ?3`,
	} {
		if err := l.database.QueryRow(query, ranking, value, s.ID).Scan(place); err != nil {
			return standing, err
		}
	}
	standing.Others = int(count) - own
	const neighbour = `SELECT figures.session, name, value FROM figures JOIN sessions ON id = figures.session
		WHERE ranking = ? AND `
	if standing.Below, err = l.neighbour(neighbour+`value < ? ORDER BY value DESC LIMIT 1`, ranking,
		value); err != nil {
		return standing, err
	}
	standing.Above, err = l.neighbour(neighbour+`value > ? ORDER BY value LIMIT 1`, ranking, value)
	return standing, err
}

func (l *Logbook) neighbour(query string, ranking int64, value float64) (*Neighbour, error) {
	n := &Neighbour{}
	err := l.database.QueryRow(query, ranking, value).Scan(&n.ID, &n.Name, &n.Value)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return n, err
}
