package session

import (
	"errors"
	"fmt"
	"math"

	"opengauge/core/load"
)

// longestID is the longest id that a session from elsewhere may have.
const longestID = 64

// Check returns the faults of a session that was written elsewhere, by another program or by hand.
func (s *Session) Check() error {
	if s.Format != Format {
		return fmt.Errorf("the session is of the form %q; this program knows %q", s.Format, Format)
	}
	if !isID(s.ID) {
		return fmt.Errorf("%q is no id of a session: letters, digits and hyphens, at most %d of them", s.ID, longestID)
	}
	if err := s.checkTexts(); err != nil {
		return fmt.Errorf("session %s: %w", s.ID, err)
	}
	for i := range s.Notes {
		if err := s.Notes[i].check(); err != nil {
			return fmt.Errorf("session %s, note %d: %w", s.ID, i+1, err)
		}
	}
	if err := s.Review.check(); err != nil {
		return fmt.Errorf("session %s: %w", s.ID, err)
	}
	if len(s.Chain.Hops) == 0 {
		s.Chain.BindingHop = -1 // nothing binds, whatever is said
	}
	if s.Chain.BindingHop >= len(s.Chain.Hops) {
		return fmt.Errorf("session %s: hop %d of %d cannot bind", s.ID, s.Chain.BindingHop, len(s.Chain.Hops))
	}
	for i := range s.Passes {
		if err := s.Passes[i].check(); err != nil {
			return fmt.Errorf("session %s, pass %d: %w", s.ID, i, err)
		}
	}
	for i := range s.Copies {
		if h := s.Copies[i].ByHand; h != nil && !(h.WithinSeconds > 0) {
			return fmt.Errorf("session %s, copy %d: %v s is no uncertainty of a hand", s.ID, i, h.WithinSeconds)
		}
	}
	for i := range s.Rests {
		if err := s.Rests[i].check(); err != nil {
			return fmt.Errorf("session %s, rest %d: %w", s.ID, i, err)
		}
	}
	for i := range s.Contentions {
		if err := s.Contentions[i].check(); err != nil {
			return fmt.Errorf("session %s, contention %d: %w", s.ID, i, err)
		}
	}
	return nil
}

func (n *Remark) check() error {
	if err := checkRemark(n); err != nil {
		return err
	}
	if n.AtSeconds != nil && !(*n.AtSeconds >= 0) {
		return fmt.Errorf("%v seconds are no moment", *n.AtSeconds)
	}
	if n.Photo == nil {
		return nil
	}
	photo, err := NewPhoto(n.Photo.Name, n.Photo.Data)
	if err == nil && photo.Kind != n.Photo.Kind {
		err = fmt.Errorf("the photo %s is a %s, and says that it is a %q", n.Photo.Name, photo.Kind, n.Photo.Kind)
	}
	return errors.Join(err, CheckPrintable("name of a photo", n.Photo.Name))
}

func (c *Contention) check() error {
	if len(c.Members) == 0 {
		return errors.New("it has no members")
	}
	for _, sample := range c.Samples {
		if len(sample.Each) > len(c.Members) {
			return fmt.Errorf("the sample at %v seconds has shares of %d members, and there are %d", sample.TSeconds,
				len(sample.Each), len(c.Members))
		}
	}
	return nil
}

func isID(id string) bool {
	for _, r := range id {
		if r != '-' && (r < '0' || r > '9') && (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') {
			return false
		}
	}
	return id != "" && id != Latest && len(id) <= longestID
}

func (s *Session) checkTexts() error {
	if err := CheckName(s.Name); err != nil {
		return err
	}
	switch s.State {
	case Complete, Interrupted, Failed:
	default:
		return fmt.Errorf("the state %q is none of %s, %s, %s", s.State, Complete, Interrupted, Failed)
	}
	for key, value := range s.Conditions {
		if !isKey(key) {
			return fmt.Errorf("%q is no key of a condition: small letters, digits and hyphens", key)
		}
		if err := CheckPrintable("condition", value); err != nil {
			return err
		}
	}
	return nil
}

func (p *Pass) check() error {
	if _, err := load.ParseOperation(string(p.Operation)); err != nil {
		return err
	}
	if _, err := load.ParseAccess(string(p.Access)); err != nil {
		return err
	}
	if p.Block <= 0 || p.Depth < 0 || p.Bytes < 0 || p.Operations < 0 || p.BytesPerSecond < 0 ||
		p.ElapsedSeconds < 0 || p.Index < 0 {
		return errors.New("a size, a count or a time is negative, or there is no block size")
	}
	last := math.Inf(-1)
	for _, sample := range p.Samples {
		if sample.TSeconds < last || sample.BytesPerSecond < 0 {
			return fmt.Errorf("the sample at %v seconds goes back in time, or is negative", sample.TSeconds)
		}
		last = sample.TSeconds
	}
	return checkTracks(p.Tracks)
}

func (r *Rest) check() error {
	if !(r.StartedSeconds >= 0) || !(r.ElapsedSeconds >= 0) {
		return errors.New("a time is negative")
	}
	last := math.Inf(-1)
	for _, sample := range r.Samples {
		if !(sample.TSeconds >= last) {
			return fmt.Errorf("the sample at %v seconds goes back in time", sample.TSeconds)
		}
		last = sample.TSeconds
	}
	return checkTracks(r.Tracks)
}

func checkTracks(tracks []Track) error {
	for _, track := range tracks {
		if len(track.TSeconds) != len(track.Values) {
			return fmt.Errorf("the track of %q has %d times and %d values", track.Key, len(track.TSeconds), len(track.Values))
		}
		for i := 1; i < len(track.TSeconds); i++ {
			if !(track.TSeconds[i] > track.TSeconds[i-1]) {
				return fmt.Errorf("the track of %q goes back in time at %v seconds", track.Key, track.TSeconds[i])
			}
		}
	}
	return nil
}
