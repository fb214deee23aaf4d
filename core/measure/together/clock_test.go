package together

import (
	"context"
	"testing"
	"time"

	"opengauge/core/record/meeting"
)

// slow is a board whose answers take long on their way there and back, by a host's clock that it moves.
type slow struct {
	meeting.Board
	here  time.Time
	ahead time.Duration
	ways  [][2]time.Duration
}

func (s *slow) Now(context.Context) (time.Time, error) {
	way := s.ways[0]
	s.ways = s.ways[1:]
	at := s.here.Add(way[0] + s.ahead)
	s.here = s.here.Add(way[0] + way[1])
	return at, nil
}

// The answer that came back fastest counts, and is wrong by half of its way at the most.
func TestTheFastestAnswerCounts(t *testing.T) {
	const ms = time.Millisecond
	s := &slow{here: time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC), ahead: -time.Hour,
		ways: [][2]time.Duration{{90 * ms, 10 * ms}, {6 * ms, 4 * ms}, {1 * ms, 49 * ms}, {30 * ms, 0}}}
	got, err := offsetOf(t.Context(), s, func() time.Time { return s.here }, 4)
	if err != nil || got.Within != 5*ms || got.Ahead != -time.Hour+ms {
		t.Errorf("the offset is %+v, %v", got, err)
	}
	if wrong := (got.Ahead - s.ahead).Abs(); !(wrong <= got.Within) {
		t.Errorf("it is wrong by %s, and says %s", wrong, got.Within)
	}
}
