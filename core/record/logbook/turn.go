package logbook

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"opengauge/core/storage/claim"
)

// ErrTurn says that another program of this machine holds the turn.
var ErrTurn = errors.New("another program does this already")

// Turn lets one program of this machine at a time do something with the logbook at a place: it
// gives [ErrTurn] while another one does. It ends by end, or with the program. Where no file can
// be made beside the logbook nobody can tell, and it is given.
func Turn(place, what string) (end func() error, err error) {
	hash := sha256.Sum256([]byte(what))
	path := fmt.Sprintf("%s-turn-%x", waitsAt(place), hash[:8])
	free := func() error { return nil }
	if os.MkdirAll(filepath.Dir(path), 0o700) != nil {
		return free, nil
	}
	file, err := claim.At(path)
	switch {
	case errors.Is(err, claim.ErrHeld):
		return free, ErrTurn
	case err != nil: // it is on something that has no locks, or cannot be written
		return free, nil
	}
	return func() error { return claim.Remove(file) }, nil
}
