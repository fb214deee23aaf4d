package together

import (
	"context"
	"time"

	"opengauge/core/record/meeting"
)

// Offset is by how much the meeting's clock is ahead of this host's, and to within what that is
// known.
type Offset struct {
	Ahead, Within time.Duration
}

// probes are how often the meeting's clock is asked for its offset.
const probes = 16

// offsetOf asks the meeting's clock several times, and takes what took least: its answer was given
// between the question and its arrival, so that the middle is wrong by half of that at the most
// (Cristian, Distributed Computing 3, 1989).
func offsetOf(ctx context.Context, board meeting.Board, now func() time.Time, times int) (Offset, error) {
	var best Offset
	for i := range times {
		asked := now()
		there, err := board.Now(ctx)
		if err != nil {
			return Offset{}, err
		}
		took := now().Sub(asked)
		if i == 0 || took/2 < best.Within {
			best = Offset{Ahead: there.Sub(asked.Add(took / 2)), Within: took / 2}
		}
	}
	return best, nil
}
