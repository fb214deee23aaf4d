package meeting

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"sync"
	"time"
)

// Room is a meeting within this program, whose hosts may have clocks of their own.
type Room struct {
	mutex   sync.Mutex
	notices []Notice
	seats   map[string]*seat
}

// NewRoom makes an empty one.
func NewRoom() *Room { return &Room{seats: map[string]*seat{}} }

type seat struct {
	room  *Room
	host  string
	woken chan struct{}
	said  []Word
	away  bool
}

// Enter gives the board of a host.
func (r *Room) Enter(host string) Board {
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
	if slices.ContainsFunc(s.room.notices, func(n Notice) bool { return n.Key == key }) {
		return nil
	}
	s.room.notices = append(s.room.notices, Notice{int64(len(s.room.notices) + 1), s.host, key, text})
	s.room.wake()
	return nil
}

func (s *seat) Since(_ context.Context, number int64) ([]Notice, error) {
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
		each.said = append(each.said, Word{s.host, text})
	}
	s.room.wake()
	return nil
}

func (s *seat) Wait(ctx context.Context, within time.Duration) ([]Word, error) {
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
