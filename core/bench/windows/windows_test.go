package windows

import (
	"encoding/binary"
	"slices"
	"strings"
	"testing"
	"time"
)

// fake answers by path and code, or by what property of a disk is asked for.
type fake struct {
	codes      map[uint32][]byte
	properties map[uint32][]byte
	names      map[string][]string
}

func (f fake) Query(path string, code uint32, input []byte, _ int) ([]byte, error) {
	found, ok := f.codes[code]
	if code == queryProperty {
		found, ok = f.properties[binary.LittleEndian.Uint32(input)]
	}
	if !ok || strings.HasSuffix(path, "none") {
		return nil, CodeNotFound
	}
	return found, nil
}

func (fake) Property(string, Key) ([]byte, error) { return nil, CodeNotFound }

func (f fake) List(what Listing, of string) ([]string, error) {
	return f.names[string(what)+of], nil
}

func words(values ...uint64) []byte {
	var out []byte
	for _, v := range values {
		out = binary.LittleEndian.AppendUint64(out, v)
	}
	return out
}

// Traffic, length and sectors are those that the structures of winioctl.h have.
func TestWhatDisksCount(t *testing.T) {
	f := fake{codes: map[uint32][]byte{
		getPerformance: append(words(1000, 2000, 30, 40, 5), make([]byte, 48)...), getLength: words(1 << 40),
		getGeometry: append(append(make([]byte, 20), 0, 2, 0, 0), words(5000)...),
	}}
	if got, ok := TrafficOf(f, "disk"); !ok || got != (Traffic{1000, 2000, 70 * 100 * time.Nanosecond}) {
		t.Errorf("traffic is %+v, %v", got, ok)
	}
	if got, ok := LengthOf(f, "disk"); !ok || got != 1<<40 {
		t.Errorf("the length is %d, %v", got, ok)
	}
	if got := SectorOf(f, "disk"); got != 512 {
		t.Errorf("sectors are of %d", got)
	}
	align := make([]byte, 28)
	binary.LittleEndian.PutUint32(align[16:], 4096)
	f.properties = map[uint32][]byte{alignmentProperty: align}
	if got := SectorOf(f, "disk"); got != 4096 {
		t.Errorf("sectors that are told as such are of %d", got)
	}
	f.codes[getLength], f.codes[getPerformance] = words(1<<63), make([]byte, 20)
	if got, ok := LengthOf(f, "disk"); ok {
		t.Errorf("a length that cannot be is %d", got)
	}
	if got, ok := TrafficOf(f, "disk"); ok {
		t.Errorf("traffic that is cut short is %+v", got)
	}
	if _, ok := TrafficOf(f, "none"); ok || SectorOf(f, "none") != 0 {
		t.Error("what is not there counts")
	}
}

// Temperatures are degrees with a sign; -32768 stands for none (StorageDeviceTemperatureProperty).
func TestTemperaturesOfDisks(t *testing.T) {
	made := func(critical, warning, now int16, count uint16) []byte {
		told := make([]byte, 40)
		binary.LittleEndian.PutUint16(told[8:], uint16(critical))
		binary.LittleEndian.PutUint16(told[10:], uint16(warning))
		binary.LittleEndian.PutUint16(told[12:], count)
		binary.LittleEndian.PutUint16(told[26:], uint16(now))
		return told
	}
	for name, c := range map[string]struct {
		told []byte
		want Temperature
	}{
		"all":       {made(85, 80, 42, 1), Temperature{42, 80, 85, true}},
		"frost":     {made(85, 80, -5, 1), Temperature{-5, 80, 85, true}},
		"no limits": {made(-32768, -32768, 42, 1), Temperature{42, 0, 0, true}},
		"none":      {made(85, 80, 42, 0), Temperature{}},
		"not told":  {made(85, 80, -32768, 1), Temperature{}}, "cut short": {made(85, 80, 42, 1)[:30], Temperature{}},
	} {
		a := &asker{System: fake{properties: map[uint32][]byte{temperatureProperty: c.told}}}
		if got := a.temperature("disk"); got != c.want {
			t.Errorf("%s: it is %+v, want %+v", name, got, c.want)
		}
	}
}

// A path that answers as no disk is passed over, and one disk under two paths is one.
func TestDisksAreListedOnce(t *testing.T) {
	f := fake{codes: map[uint32][]byte{getDeviceNumber: words(uint64(kindDisk)|3<<32, 0)},
		names: map[string][]string{string(Interfaces) + classDisk: {"a none", "one", "two"}}}
	disks, untold := Disks(f)
	if len(disks) != 1 || disks[0].Number != 3 || disks[0].Interface != "one" || len(untold) > 0 {
		t.Errorf("disks are %+v, untold %v", disks, untold)
	}
}

func TestTextsOfDisks(t *testing.T) {
	for text, want := range map[string]string{
		"": "", "  a   b ": "a b", "a\x7fb\x01c\uFFFDd": "abcd",
	} {
		if got := printable(text); got != want {
			t.Errorf("%q is shown as %q, want %q", text, got, want)
		}
	}
	for text, want := range map[string]string{
		"TW-0001": "TW-0001", "54572d3030303120202020202020": "TW-0001", "54572D303030310000000000": "TW-0001",
		"0123456789abcdef0": "0123456789abcdef0", "E823_8FA6_BF53_0001_001B": "E823_8FA6_BF53_0001_001B",
		"0025385791b01234": "0025385791b01234",
	} {
		if got := serialText(text); got != want {
			t.Errorf("the serial number %q is %q, want %q", text, got, want)
		}
	}
}

// What is masked stays as long as it was, in each of the forms that it is answered in.
func TestSecretsInAnswers(t *testing.T) {
	const secret, mask = "TW-0001", "masked-12345678"
	a := Answer{Query: `\\?\disk#tw-0001`, Property: `USB\TW-0001`, Names: []string{"a TW-0001 b"},
		Bytes: slices.Concat([]byte("TW-0001|"), []byte(spread("TW-0001")), []byte("|54572d30303031|WT0-001|end"))}
	hidden := a.without(secret, mask)
	if len(hidden.Bytes) != len(a.Bytes) || !strings.HasSuffix(string(hidden.Bytes), "|end") {
		t.Errorf("%d bytes became %d", len(a.Bytes), len(hidden.Bytes))
	}
	for _, form := range []string{"TW-0001", spread("TW-0001"), "54572d30303031", "WT0-001"} {
		if strings.Contains(string(hidden.Bytes), form) {
			t.Errorf("%q is still there", form)
		}
	}
	if strings.Contains(hidden.Property+hidden.Names[0], secret) || a.Names[0] != "a TW-0001 b" {
		t.Errorf("it is %+v, was %+v", hidden, a)
	}
	if same := a.without("", mask); string(same.Bytes) != string(a.Bytes) {
		t.Error("without a secret something is hidden")
	}
}

// A volume that does not say where it is may be on any disk, unless it is on none.
func TestVolumesThatDoNotSayWhereTheyAre(t *testing.T) {
	names := map[string][]string{string(Volumes): {`v\`}, string(Places) + `v\`: {`F:\`}}
	for name, c := range map[string]struct {
		codes    map[uint32][]byte
		unplaced int
	}{
		"nothing": {nil, 1}, "extents": {map[uint32][]byte{getExtents: words(1, 2, 0, 5000)}, 0},
		"no extents":   {map[uint32][]byte{getExtents: words(0)}, 1},
		"a disk":       {map[uint32][]byte{getDeviceNumber: words(uint64(kindDisk)|2<<32, 0)}, 0},
		"an optical":   {map[uint32][]byte{getDeviceNumber: words(uint64(kindOptical), 0)}, 0},
		"another kind": {map[uint32][]byte{getDeviceNumber: words(99, 0)}, 1},
		"cut short":    {map[uint32][]byte{getDeviceNumber: {7, 0, 0, 0}}, 1},
	} {
		if got := Unplaced(fake{codes: c.codes, names: names}); len(got) != c.unplaced {
			t.Errorf("%s: places without a disk are %q", name, got)
		}
	}
}
