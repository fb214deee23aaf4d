package windows

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
)

// Format is the first word of a capture, and its version.
const Format = "opengauge.windows/1"

// Capture is what a Windows machine was asked and what it answered. It is a [System]
// that answers the same again; what it was not asked, it says is not there.
type Capture struct {
	Format  string   `json:"format"`
	Answers []Answer `json:"answers"`

	known map[string]int // of Answers, by what was asked
}

// Answer is one question and its answer. Of the three kinds of question, one is there.
type Answer struct {
	// Query is the path that a control code was sent to.
	Query string `json:"query,omitempty"`
	Code  uint32 `json:"code,omitempty"`
	Input []byte `json:"input,omitempty"`
	// Most is how many bytes were asked for.
	Most int `json:"most,omitempty"`
	// Property is the instance whose property was asked for.
	Property string `json:"property,omitempty"`
	Key      string `json:"key,omitempty"`
	// List is what was listed, of what.
	List Listing `json:"list,omitempty"`
	Of   string  `json:"of,omitempty"`

	// Error is the system's, or 0. Bytes or Names are what was answered.
	Error Code     `json:"error,omitempty"`
	Bytes []byte   `json:"bytes,omitempty"`
	Names []string `json:"names,omitempty"`
}

// question is all of an answer that was asked.
func (a Answer) question() string {
	return fmt.Sprintf("%s\x00%d\x00%x\x00%s\x00%s\x00%s\x00%s", strings.ToUpper(a.Query), a.Code, a.Input,
		strings.ToUpper(a.Property), a.Key, a.List, strings.ToUpper(a.Of))
}

// ReadCapture reads a capture, of at most what its caller holds in memory.
func ReadCapture(data []byte) (*Capture, error) {
	c := &Capture{}
	if err := json.Unmarshal(data, c); err != nil {
		return nil, fmt.Errorf("it is cut short or damaged: %w", err)
	}
	if c.Format != Format {
		return nil, fmt.Errorf("its format is %q, and this program reads %q", c.Format, Format)
	}
	c.known = map[string]int{}
	for i, a := range c.Answers {
		c.known[a.question()] = i
	}
	return c, nil
}

func (c *Capture) find(a Answer) (Answer, error) {
	i, ok := c.known[a.question()]
	if !ok {
		return Answer{}, CodeNotFound
	}
	if found := c.Answers[i]; found.Error == 0 {
		return found, nil
	}
	return Answer{}, c.Answers[i].Error
}

// Query answers as the machine did.
func (c *Capture) Query(path string, code uint32, input []byte, _ int) ([]byte, error) {
	a, err := c.find(Answer{Query: path, Code: code, Input: input})
	return a.Bytes, err
}

// Property gives what the machine gave.
func (c *Capture) Property(instance string, key Key) ([]byte, error) {
	a, err := c.find(Answer{Property: instance, Key: key.String()})
	return a.Bytes, err
}

// List gives the names that the machine gave.
func (c *Capture) List(what Listing, of string) ([]string, error) {
	a, err := c.find(Answer{List: what, Of: of})
	return a.Names, err
}

// Recorder asks a machine and keeps what it answered.
type Recorder struct {
	of   System
	lock sync.Mutex
	seen []Answer
}

// Record makes a recorder of a machine.
func Record(of System) *Recorder { return &Recorder{of: of} }

func (r *Recorder) keep(a Answer, err error) {
	if err != nil {
		a.Bytes, a.Names, a.Error = nil, nil, CodeNotFound
		var code Code
		if errors.As(err, &code) && code != 0 {
			a.Error = code
		}
	}
	r.lock.Lock()
	defer r.lock.Unlock()
	r.seen = append(r.seen, a)
}

// Query asks the machine.
func (r *Recorder) Query(path string, code uint32, input []byte, most int) ([]byte, error) {
	out, err := r.of.Query(path, code, input, most)
	r.keep(Answer{Query: path, Code: code, Input: input, Most: most, Bytes: out}, err)
	return out, err
}

// Property asks the machine.
func (r *Recorder) Property(instance string, key Key) ([]byte, error) {
	out, err := r.of.Property(instance, key)
	r.keep(Answer{Property: instance, Key: key.String(), Bytes: out}, err)
	return out, err
}

// List asks the machine.
func (r *Recorder) List(what Listing, of string) ([]string, error) {
	names, err := r.of.List(what, of)
	r.keep(Answer{List: what, Of: of, Names: names}, err)
	return names, err
}

// Capture is what was asked until now, as a file. A mask changes every text of it that
// holds what it is given, which makes serial numbers unreadable.
func (r *Recorder) Capture(mask func(string) string, secrets ...string) ([]byte, error) {
	r.lock.Lock()
	seen := slices.Clone(r.seen)
	r.lock.Unlock()
	for i := range seen {
		for _, secret := range secrets {
			seen[i] = seen[i].without(secret, mask(secret))
		}
	}
	return json.MarshalIndent(Capture{Format: Format, Answers: seen}, "", " ")
}

// without replaces a serial number wherever it is: in names and in answers, as text, in
// UTF-16, in hexadecimal and with the two letters of each word exchanged, as ATA has it.
// Its length stays, so that what is after it does too.
func (a Answer) without(secret, mask string) Answer {
	if secret == "" {
		return a
	}
	for len(mask) < len(secret) {
		mask += mask
	}
	mask = mask[:len(secret)]
	text := func(s string) string {
		return strings.ReplaceAll(strings.ReplaceAll(s, secret, mask), strings.ToUpper(secret), mask)
	}
	a.Query, a.Property, a.Of = text(a.Query), text(a.Property), text(a.Of)
	names := slices.Clone(a.Names)
	for i := range names {
		names[i] = text(names[i])
	}
	a.Names = names
	for _, form := range []func(string) string{plain, spread, hexadecimal, exchanged} {
		a.Bytes = []byte(strings.ReplaceAll(string(a.Bytes), form(secret), form(mask)))
	}
	return a
}

func plain(s string) string { return s }

func spread(s string) string {
	var out strings.Builder
	for i := range len(s) {
		out.WriteString(s[i:i+1] + "\x00")
	}
	return out.String()
}

func hexadecimal(s string) string { return fmt.Sprintf("%x", s) }

func exchanged(s string) string {
	b := []byte(s)
	for i := 0; i+1 < len(b); i += 2 {
		b[i], b[i+1] = b[i+1], b[i]
	}
	return string(b)
}
