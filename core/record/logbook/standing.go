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
	// Others is how many other set-ups are ranked, all runs of the same parts being one,
	// and Slower and Alike how many of them gave less, and as good as the same.
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
	// Runs is how many runs of the same parts it stands for.
	Runs int `json:"runs"`
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
	var ranking int64
	err = l.database.QueryRow(`SELECT id FROM rankings WHERE class = $1 AND load = $2`, clip(s.Class()),
		name).Scan(&ranking)
	if errors.Is(err, sql.ErrNoRows) {
		return standing, nil
	}
	if err != nil {
		return standing, err
	}
	own, low, high := clip(entryOf(s)), value*(1-tie), value*(1+tie)
	if err := l.database.QueryRow(`SELECT count(*), count(*) FILTER (WHERE mean < $3),
		count(*) FILTER (WHERE mean BETWEEN $3 AND $4) FROM entries WHERE `+others, ranking, own, low,
		high).Scan(&standing.Others, &standing.Slower, &standing.Alike); err != nil {
		return standing, err
	}
	const neighbour = `SELECT newest, name, mean, runs FROM entries JOIN sessions ON id = newest WHERE ` + others +
		` AND mean `
	if standing.Below, err = l.neighbour(neighbour+`< $3 ORDER BY mean DESC LIMIT 1`, ranking, own, low); err != nil {
		return standing, err
	}
	standing.Above, err = l.neighbour(neighbour+`> $3 ORDER BY mean LIMIT 1`, ranking, own, high)
	return standing, err
}

// others are the entries of a ranking but one.
// Rates beyond any storage are damage.
const others = `ranking = $1 AND setup <> coalesce((SELECT id FROM setups WHERE setups.name = $2), 0)
	AND mean BETWEEN 0 AND 1e18`

// tie is the share by which figures may differ and count as equal: runs of the same parts differ as much.
const tie = 0.02

func (l *Logbook) neighbour(query string, ranking int64, own string, value float64) (*Neighbour, error) {
	n := &Neighbour{}
	err := l.database.QueryRow(query, ranking, own, value).Scan(&n.ID, &n.Name, &n.Value, &n.Runs)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return n, err
}

// Peers are the ids of the newest session of each other set-up that is ranked by a load
// with a session, so many at the most, the newest first.
func (l *Logbook) Peers(s *session.Session, key session.Key, most int) ([]string, error) {
	name, err := rankingName(key)
	if err != nil {
		return nil, err
	}
	var ranking int64
	err = l.database.QueryRow(`SELECT id FROM rankings WHERE class = $1 AND load = $2`, clip(s.Class()),
		name).Scan(&ranking)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, l.unusable(err)
	}
	return l.ids(`SELECT newest FROM entries WHERE `+others+` ORDER BY newest_ms DESC, newest`+limit(most), ranking,
		clip(entryOf(s)))
}
