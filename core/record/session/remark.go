package session

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // what photos are
	_ "image/png"  // the same
	"maps"
	"slices"
	"strings"
	"time"

	"opengauge/core/bench/book"
	"opengauge/core/unit"
)

// Remark is a person's addition to a session after its run.
type Remark struct {
	Written time.Time `json:"written"`
	// By is who wrote it, as the system names them.
	By   string `json:"by,omitempty"`
	Text string `json:"text,omitempty"`
	// AtSeconds is the moment of the session that it is about; nil is all of it.
	AtSeconds *float64 `json:"at_seconds,omitempty"`
	Photo     *Photo   `json:"photo,omitempty"`
	// Corrected lists the circumstances that the session had recorded otherwise.
	Corrected []Correction `json:"corrected,omitempty"`
}

// Photo is a picture that belongs to a note.
type Photo struct {
	Name string `json:"name"`
	// Kind is "png" or "jpeg".
	Kind string `json:"kind"`
	Data []byte `json:"data"`
}

// Correction is a circumstance that was wrong in the record, before and after. Before is empty where there
// was none.
type Correction struct {
	Key    string `json:"key"`
	Before string `json:"before,omitempty"`
	After  string `json:"after"`
}

const (
	// longestNote and largestPhoto keep a session small.
	longestNote  = 4000
	largestPhoto = 2 * unit.MiB
)

// NewPhoto takes a file in as a photo, if it is a picture that can be shown anywhere.
func NewPhoto(name string, data []byte) (*Photo, error) {
	if unit.Bytes(len(data)) > largestPhoto {
		return nil, fmt.Errorf("the photo %s has %s, and at most %s are kept with a session; make it smaller", name,
			unit.Bytes(len(data)).Decimal(), largestPhoto.Decimal())
	}
	_, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("the photo %s is no PNG and no JPEG that can be read: %w", name, err)
	}
	return &Photo{Name: name, Kind: kind, Data: data}, nil
}

// Ending is the ending of the photo's file: ".png", or ".jpeg".
func (p *Photo) Ending() string {
	if p.Kind == "png" {
		return ".png"
	}
	return ".jpeg"
}

// Amendment is the text of a note, with its corrections.
type Amendment struct {
	Remark
	Conditions map[string]string
	Parts      []book.Part
}

// Amend adds a note to the session, and corrects its record. The former values stay in the note. It is an
// error if the note says nothing, or of a moment that is not in the session.
func (s *Session) Amend(a Amendment) error {
	note := a.Remark
	if err := checkRemark(&note); err != nil {
		return err
	}
	if at := note.AtSeconds; at != nil && !(*at >= 0 && *at <= s.ElapsedSeconds()) {
		return fmt.Errorf("the session lasted %s, and %s is not in it", unit.Span(unit.Duration(s.ElapsedSeconds())),
			unit.Span(unit.Duration(*at)))
	}
	for _, key := range slices.Sorted(maps.Keys(a.Conditions)) {
		before := s.Conditions[key]
		after := a.Conditions[key]
		if before == after {
			continue
		}
		note.Corrected = append(note.Corrected, Correction{key, before, after})
		if s.Conditions == nil {
			s.Conditions = map[string]string{}
		}
		s.Conditions[key] = after
	}
	for _, part := range a.Parts {
		at := slices.IndexFunc(s.Parts, func(p book.Part) bool { return p.Kind == part.Kind })
		before := ""
		if at < 0 {
			s.Parts = append(s.Parts, part)
		} else {
			before = s.Parts[at].Name
			s.Parts[at] = part
		}
		if before != part.Name {
			note.Corrected = append(note.Corrected, Correction{string(part.Kind), before, part.Name})
		}
	}
	if note.Text == "" && note.Photo == nil && len(note.Corrected) == 0 {
		return errors.New("the note says nothing, and corrects nothing that is not so already")
	}
	s.Notes = append(s.Notes, note)
	return nil
}

func checkRemark(n *Remark) error {
	n.Text = strings.TrimSpace(n.Text)
	if len([]rune(n.Text)) > longestNote {
		return fmt.Errorf("a note has %d characters at the most, and this one has %d", longestNote, len([]rune(n.Text)))
	}
	return CheckPrintable("note", strings.ReplaceAll(n.Text, "\n", " "))
}

// Words writes a correction for people: "fan: on instead of off".
func (c Correction) Words() string {
	if c.Before == "" {
		return c.Key + ": " + c.After
	}
	return fmt.Sprintf("%s: %s instead of %s", c.Key, c.After, c.Before)
}

// Line writes a note for people: its time, its author, and its text.
func (n *Remark) Line() (lead, text string) {
	lead = n.Written.Local().Format("2006-01-02 15:04")
	if n.By != "" {
		lead += ", " + n.By
	}
	if n.AtSeconds != nil {
		lead += fmt.Sprintf(", at %s", unit.Span(unit.Duration(*n.AtSeconds)))
	}
	var texts []string
	if n.Text != "" {
		texts = append(texts, n.Text)
	}
	for _, c := range n.Corrected {
		texts = append(texts, "corrected "+c.Words())
	}
	if n.Photo != nil {
		texts = append(texts, fmt.Sprintf("photo %s (%s)", n.Photo.Name, unit.Bytes(len(n.Photo.Data)).Decimal()))
	}
	if len(texts) > 1 {
		texts[0] = strings.TrimSuffix(texts[0], ".") // the list goes on behind it
	}
	return lead, strings.Join(texts, "; ")
}

// AddNotes takes in notes that another copy of the session has and this one has not, and says whether there
// were any. Their corrections are made there; here they are said.
func (s *Session) AddNotes(others []Remark) bool {
	added := false
	for _, other := range others {
		same := func(n Remark) bool { return n.Written.Equal(other.Written) && n.Text == other.Text }
		if !slices.ContainsFunc(s.Notes, same) {
			s.Notes = append(s.Notes, other)
			added = true
		}
	}
	slices.SortStableFunc(s.Notes, func(a, b Remark) int { return a.Written.Compare(b.Written) })
	return added
}
