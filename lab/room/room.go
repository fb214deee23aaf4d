// Package room is a place within one program where hosts meet, for tests of hosts that measure
// together: a [meeting.Board] for each host, without a server.
//
// A Room and its boards are safe for concurrent use.
package room

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"sync"
	"time"

	"opengauge/core/record/meeting"
)

// Room holds the notices of one meeting and a seat for each host that entered.
type Room struct {
	mutex   sync.Mutex
	notices []meeting.Notice
	seats   map[string]*seat
}

// New returns an empty room.
func New() *Room { return &Room{seats: map[string]*seat{}} }

type seat struct {
	room  *Room
	host  string
	woken chan struct{}
	said  []meeting.Word
	away  bool
}

// Enter seats a host and returns its board.
func (r *Room) Enter(host string) meeting.Board {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	s := &seat{room: r, host: host, woken: make(chan struct{}, 1)}
	r.seats[host] = s
	return s
}

var errAway = errors.New("the room was left")

func (r *Room) wake() {
	for _, each := range r.seats {
		select {
		case each.woken <- struct{}{}:
		default:
		}
	}
}

func (s *seat) Post(_ context.Context, key string, document any) error {
	text, err := json.Marshal(document)
	if err != nil {
		return err
	}
	s.room.mutex.Lock()
	defer s.room.mutex.Unlock()
	if s.away {
		return errAway
	}
	if slices.ContainsFunc(s.room.notices, func(n meeting.Notice) bool { return n.Key == key }) {
		return nil
	}
	s.room.notices = append(s.room.notices, meeting.Notice{
		Number: int64(len(s.room.notices) + 1), Host: s.host, Key: key, Document: text,
	})
	s.room.wake()
	return nil
}

func (s *seat) Since(_ context.Context, number int64) ([]meeting.Notice, error) {
	s.room.mutex.Lock()
	defer s.room.mutex.Unlock()
	return slices.Clone(s.room.notices[min(int(number), len(s.room.notices)):]), nil
}

func (s *seat) Tell(_ context.Context, document any) error {
	text, err := json.Marshal(document)
	if err != nil {
		return err
	}
	s.room.mutex.Lock()
	defer s.room.mutex.Unlock()
	for _, each := range s.room.seats {
		each.said = append(each.said, meeting.Word{Host: s.host, Document: text})
	}
	s.room.wake()
	return nil
}

func (s *seat) Wait(ctx context.Context, within time.Duration) ([]meeting.Word, error) {
	select {
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-time.After(within):
	case <-s.woken:
	}
	s.room.mutex.Lock()
	defer s.room.mutex.Unlock()
	said := s.said
	s.said = nil
	return said, nil
}

func (s *seat) Now(context.Context) (time.Time, error) { return time.Now(), nil }

func (s *seat) Present(context.Context) (map[string]bool, error) {
	s.room.mutex.Lock()
	defer s.room.mutex.Unlock()
	present := map[string]bool{}
	for host := range maps.Keys(s.room.seats) {
		present[host] = true
	}
	return present, nil
}

func (s *seat) Close() error {
	s.room.mutex.Lock()
	defer s.room.mutex.Unlock()
	s.away = true
	delete(s.room.seats, s.host)
	s.room.wake()
	return nil
}
