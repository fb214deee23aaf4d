package stream

import (
	"embed"
	"errors"
	"fmt"
	"path"
	"strconv"
	"strings"

	"opengauge/core/document"
	"opengauge/core/input"
	"opengauge/core/unit"
)

//go:embed sets/*.yaml
var sets embed.FS

// SetNames lists the lists of streams that ship with the program.
func SetNames() []string {
	entries, _ := sets.ReadDir("sets") // embedded
	var names []string
	for _, entry := range entries {
		names = append(names, strings.TrimSuffix(entry.Name(), ".yaml"))
	}
	return names
}

// Set gives a list of streams that ships with the program.
func Set(name string) ([]Stream, error) {
	source, err := sets.ReadFile(path.Join("sets", path.Base(name)+".yaml"))
	if err != nil {
		return nil, fmt.Errorf("unknown list of streams %q; there are %s", name, strings.Join(SetNames(), ", "))
	}
	return Parse(name+".yaml", source)
}

// Load reads a list of streams from a file.
func Load(file string) ([]Stream, error) {
	source, err := input.ReadFile(file, input.Text)
	if err != nil {
		return nil, fmt.Errorf("could not read the list of streams: %w", err)
	}
	return Parse(file, source)
}

// defaultBuffer is in front of a stream where nobody says.
const defaultBuffer = 64 * unit.MiB

// Parse reads a list of streams written in YAML. Errors name file, line and column.
func Parse(file string, source []byte) ([]Stream, error) {
	root, err := document.Parse(file, source)
	if err != nil {
		return nil, err
	}
	var streams []Stream
	_, err = root.Read(document.Each("streams", func(n document.Node) error {
		s, err := parseStream(n)
		streams = append(streams, s)
		return err
	}).Needed(`expected a list under "streams"`))
	if err == nil && len(streams) == 0 {
		err = root.Errorf("the list of streams is empty")
	}
	return streams, err
}

func parseStream(n document.Node) (Stream, error) {
	s := Stream{AtOnce: 1, Buffer: defaultBuffer}
	video := func(n document.Node) error { return parseVideo(n, &s) }
	given, err := n.Read(
		document.Text("name", &s.Name).Needed(`a stream needs a "name"`),
		document.Into("data-rate", &s.Rate, unit.ParseRate),
		document.With("video", video),
		document.With("images", video),
		document.With("audio", func(n document.Node) error { return parseAudio(n, &s) }),
		document.Into("at-once", &s.AtOnce, parseCount),
		document.Into("buffer", &s.Buffer, unit.ParseBytes),
	)
	if given["data-rate"] {
		s.Formula = "as given"
	}
	switch {
	case err != nil:
		return s, err
	case s.Name == "":
		return s, n.Errorf("a stream needs a \"name\"")
	case given.Count("data-rate", "video", "images", "audio") != 1:
		return s, n.Errorf("the stream %s needs one of \"data-rate\", \"video\", \"images\" and \"audio\"", s.Name)
	case s.Rate <= 0:
		return s, n.Errorf("the stream %s has no data", s.Name)
	}
	return s, nil
}

func parseVideo(n document.Node, s *Stream) error {
	v := Video{Bits: 8, Chroma: Full}
	var frame [2]int
	_, err := n.Read(
		document.Into("frame", &frame, parseFrame),
		document.Into("fps", &v.FramesPerSecond, parseFramesPerSecond),
		document.Into("bits", &v.Bits, parseBits),
		document.Into("chroma", &v.Chroma, parseChroma),
		document.Into("bits-per-pixel", &v.BitsPerPixel, parsePositive),
		document.Into("header", &v.Header, unit.ParseBytes),
	)
	if err != nil {
		return err
	}
	v.Width = frame[0]
	v.Height = frame[1]
	if v.Width == 0 || v.FramesPerSecond == 0 {
		return n.Errorf("expected a \"frame\", like 1920x1080, and \"fps\"")
	}
	s.Rate = v.Rate()
	s.Formula = v.Formula()
	return nil
}

func parseAudio(n document.Node, s *Stream) error {
	a := Audio{Channels: 1, Bits: 24}
	_, err := n.Read(
		document.Into("channels", &a.Channels, parseCount),
		document.Into("rate", &a.SampleRate, parseHertz),
		document.Into("bits", &a.Bits, parseBits),
	)
	if err != nil {
		return err
	}
	if a.SampleRate == 0 {
		return n.Errorf("expected a \"rate\", like 96kHz")
	}
	s.Rate = a.Rate()
	s.Formula = a.Formula()
	return nil
}

func parseFrame(text string) ([2]int, error) {
	width, height, found := strings.Cut(text, "x")
	w, errW := strconv.Atoi(strings.TrimSpace(width))
	h, errH := strconv.Atoi(strings.TrimSpace(height))
	if !found || errW != nil || errH != nil || w < 1 || h < 1 || w > 100_000 || h > 100_000 {
		return [2]int{}, fmt.Errorf("%q is not the size of a frame; write one like 1920x1080", text)
	}
	return [2]int{w, h}, nil
}

// parseFramesPerSecond reads "25", "23.976" or "30000/1001".
func parseFramesPerSecond(text string) (float64, error) {
	above, below, fraction := strings.Cut(text, "/")
	value, err := strconv.ParseFloat(above, 64)
	if fraction && err == nil {
		var divisor float64
		if divisor, err = strconv.ParseFloat(below, 64); err == nil && divisor <= 0 {
			err = errors.New("nothing is divided by that")
		}
		value /= divisor
	}
	if err != nil || !(value > 0 && value <= 100_000) {
		return 0, fmt.Errorf("%q is not a number of frames a second; write one like 25 or 30000/1001", text)
	}
	return value, nil
}

func parseBits(text string) (int, error) {
	bits, err := strconv.Atoi(text)
	if err != nil || bits < 1 || bits > 64 {
		return 0, fmt.Errorf("%q is not a number of bits from 1 to 64", text)
	}
	return bits, nil
}

func parseChroma(text string) (Chroma, error) {
	if _, ok := samples[Chroma(text)]; !ok {
		return "", fmt.Errorf("unknown chroma subsampling %q; use 4:4:4, 4:2:2, 4:2:0, grey or 4:4:4:4", text)
	}
	return Chroma(text), nil
}

func parsePositive(text string) (float64, error) {
	value, err := strconv.ParseFloat(text, 64)
	if err != nil || !(value > 0 && value < 1e6) {
		return 0, fmt.Errorf("%q is not a number above 0", text)
	}
	return value, nil
}

func parseCount(text string) (int, error) {
	count, err := strconv.Atoi(text)
	if err != nil || count < 1 || count > 100_000 {
		return 0, fmt.Errorf("%q is not a whole number from 1 to 100 000", text)
	}
	return count, nil
}

// parseHertz reads "44100Hz" or "96kHz".
func parseHertz(text string) (float64, error) {
	number := strings.TrimSuffix(text, "Hz")
	factor := 1.0
	if kilo, ok := strings.CutSuffix(number, "k"); ok {
		number = kilo
		factor = 1000
	}
	value, err := strconv.ParseFloat(number, 64)
	if err != nil || !strings.HasSuffix(text, "Hz") || !(value > 0 && value < 1e9) {
		return 0, fmt.Errorf("%q is not a sample rate; write one like 96kHz", text)
	}
	return value * factor, nil
}

// Named gives a list of streams: of a file where the name ends in .yaml, else one that
// ships with the program.
func Named(name string) ([]Stream, error) {
	if strings.HasSuffix(name, ".yaml") {
		return Load(name)
	}
	return Set(name)
}
