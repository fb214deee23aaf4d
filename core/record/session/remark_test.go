package session

import (
	"bytes"
	"image"
	"image/png"
	"math"
	"strings"
	"testing"
	"time"

	"opengauge/core/bench/book"
)

func picture(t *testing.T) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := png.Encode(&out, image.NewGray(image.Rect(0, 0, 4, 3))); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

func TestNotesAreAddedAndCorrectWhatWasSaid(t *testing.T) {
	s := &Session{Ended: time.Time{}.Add(5 * time.Minute), Conditions: map[string]string{"fan": "on"},
		Parts: []book.Part{{Kind: book.Drive, Name: "dunlin"}}}
	at := 140.0
	photo, err := NewPhoto("bench.png", picture(t))
	if err != nil || photo.Kind != "png" || photo.Ending() != ".png" {
		t.Fatalf("%+v, %v", photo, err)
	}
	if err := s.Amend(Amendment{Remark: Remark{Text: " too hot to touch. ", By: "gull", AtSeconds: &at, Photo: photo},
		Conditions: map[string]string{"fan": "off", "deck": "wet"},
		Parts:      []book.Part{{Kind: book.Drive, Name: "curlew"}, {Kind: book.Cable, Name: "deck-cable"}}}); err != nil {
		t.Fatal(err)
	}
	if s.Conditions["fan"] != "off" || s.Conditions["deck"] != "wet" || s.Parts[0].Name != "curlew" || len(s.Parts) != 2 {
		t.Errorf("it now says %+v, %+v", s.Conditions, s.Parts)
	}
	lead, text := s.Notes[0].Line()
	if !strings.HasSuffix(lead, ", gull, at 2 min 20 s") || text != "too hot to touch; corrected deck: wet; corrected "+
		"fan: off instead of on; corrected drive: curlew instead of dunlin; corrected cable: deck-cable; photo "+
		"bench.png (76 B)" {
		t.Errorf("%q: %q", lead, text)
	}
}

func TestNotesThatCannotBe(t *testing.T) {
	moment := func(v float64) *float64 { return &v }
	for name, a := range map[string]Amendment{
		"says nothing":             {},
		"is so already":            {Conditions: map[string]string{"fan": "on"}},
		"after the end":            {Remark: Remark{Text: "x", AtSeconds: moment(301)}},
		"before the start":         {Remark: Remark{Text: "x", AtSeconds: moment(-1)}},
		"no moment at all":         {Remark: Remark{Text: "x", AtSeconds: moment(math.NaN())}},
		"too long":                 {Remark: Remark{Text: strings.Repeat("x", 4001)}},
		"acts on whoever reads it": {Remark: Remark{Text: "\x1b[2J"}},
	} {
		s := &Session{Ended: time.Time{}.Add(5 * time.Minute), Conditions: map[string]string{"fan": "on"}}
		if err := s.Amend(a); err == nil || len(s.Notes) != 0 {
			t.Errorf("a note that %s: %+v, %v", name, s.Notes, err)
		}
	}
	if _, err := NewPhoto("x.svg", []byte("<svg onload='alert(1)'/>")); err == nil {
		t.Error("a drawing with a program in it is a photo")
	}
	if _, err := NewPhoto("x.png", append(picture(t), make([]byte, 3<<20)...)); err == nil {
		t.Error("3 MB are a photo")
	}
}

// What comes from elsewhere is looked at as what is written here.
func TestNotesFromElsewhere(t *testing.T) {
	whole := func(n Remark) *Session {
		return &Session{Format: Format, ID: "k1", State: Complete, Notes: []Remark{n}}
	}
	sound := &Photo{Name: "a.png", Kind: "png", Data: picture(t)}
	if err := whole(Remark{Text: "fine", Photo: sound}).Check(); err != nil {
		t.Error(err)
	}
	for name, n := range map[string]Remark{
		"another kind":   {Photo: &Photo{Name: "a.png", Kind: "svg+xml", Data: picture(t)}},
		"a hostile kind": {Photo: &Photo{Name: "a.png", Kind: "../../x", Data: picture(t)}},
		"no picture":     {Photo: &Photo{Name: "a.png", Kind: "png", Data: []byte("<script>")}},
		"a hostile name": {Photo: &Photo{Name: "\x1b]0;x", Kind: "png", Data: picture(t)}},
		"no moment":      {Text: "x", AtSeconds: new(float64)},
	} {
		if n.AtSeconds != nil {
			*n.AtSeconds = math.Inf(-1)
		}
		if err := whole(n).Check(); err == nil {
			t.Errorf("%s is taken in", name)
		}
	}
}

func TestNotesOfTwoCopiesAreJoined(t *testing.T) {
	at := time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)
	s := &Session{Notes: []Remark{{Written: at, Text: "a"}, {Written: at.Add(time.Hour), Text: "c"}}}
	if !s.AddNotes([]Remark{{Written: at, Text: "a"}, {Written: at.Add(time.Minute), Text: "b"}}) || len(s.Notes) != 3 ||
		s.Notes[1].Text != "b" {
		t.Errorf("%+v", s.Notes)
	}
	if s.AddNotes(s.Notes) || len(s.Notes) != 3 {
		t.Errorf("again: %+v", s.Notes)
	}
}
