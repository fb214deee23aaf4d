package network

import (
	"encoding/json"
	"fmt"
	"sync"
)

// Told is what an Asker was asked and answered: what a capture keeps. It may be used by
// several goroutines at once.
type Told struct {
	mutex sync.Mutex
	told  told
}

type told struct {
	Modes  map[string]Modes  `json:"modes"`
	Radios map[string]Radio  `json:"radios"`
	Routes map[string]string `json:"routes"`
}

func emptyTold() told {
	return told{Modes: map[string]Modes{}, Radios: map[string]Radio{}, Routes: map[string]string{}}
}

// ReadTold reads what was kept.
func ReadTold(data []byte) (*Told, error) {
	t := &Told{told: emptyTold()}
	if err := json.Unmarshal(data, &t.told); err != nil {
		return nil, fmt.Errorf("what the network told cannot be read: %w", err)
	}
	return t, nil
}

// Nothing is an Asker that was told nothing.
func Nothing() *Told { return &Told{told: emptyTold()} }

// Modes gives those that were told.
func (t *Told) Modes(name string) (Modes, bool) {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	found, ok := t.told.Modes[name]
	return found, ok
}

// Radio gives the one that was told.
func (t *Told) Radio(name string) (Radio, bool) {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	found, ok := t.told.Radios[name]
	return found, ok
}

// Route gives the one that was told.
func (t *Told) Route(host string) string {
	t.mutex.Lock()
	defer t.mutex.Unlock()
	return t.told.Routes[host]
}

// Recorder asks another and remembers its answers.
type Recorder struct {
	Asker
	*Told
}

// Record remembers what an Asker answers.
func Record(asker Asker) *Recorder { return &Recorder{asker, Nothing()} }

// Modes asks and remembers.
func (r *Recorder) Modes(name string) (Modes, bool) {
	found, ok := r.Asker.Modes(name)
	r.keep(func(t *told) {
		if ok {
			t.Modes[name] = found
		}
	})
	return found, ok
}

// Radio asks and remembers.
func (r *Recorder) Radio(name string) (Radio, bool) {
	found, ok := r.Asker.Radio(name)
	r.keep(func(t *told) {
		if ok {
			t.Radios[name] = found
		}
	})
	return found, ok
}

// Route asks and remembers.
func (r *Recorder) Route(host string) string {
	found := r.Asker.Route(host)
	r.keep(func(t *told) { t.Routes[host] = found })
	return found
}

func (r *Recorder) keep(enter func(*told)) {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	enter(&r.told)
}

// Kept is what was remembered, as [ReadTold] reads it.
func (r *Recorder) Kept() ([]byte, error) {
	r.mutex.Lock()
	defer r.mutex.Unlock()
	return json.MarshalIndent(r.told, "", "  ")
}

var (
	_ Asker = (*Told)(nil)
	_ Asker = (*Recorder)(nil)
)
