package codec

import (
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"runtime"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"
)

// part is about as large in memory as a pass, of which a document may write next to nothing.
type part struct {
	Name  string `json:"name"`
	Other [60]float64
}

func compress(t testing.TB, document []byte) []byte {
	t.Helper()
	encoder, err := zstd.NewWriter(nil)
	if err != nil {
		t.Fatal(err)
	}
	defer encoder.Close()
	return encoder.EncodeAll(document, nil)
}

// allocated returns how many bytes a function allocates.
func allocated(do func()) uint64 {
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	do()
	runtime.ReadMemStats(&after)
	return after.TotalAlloc - before.TotalAlloc
}

// What is small and becomes large is refused before it does, in every way to write nothing at length.
func TestBombs(t *testing.T) {
	decoder, err := NewDecoder()
	if err != nil {
		t.Fatal(err)
	}
	defer decoder.Close()
	lists := map[string]string{
		"empty objects": "{},", "nulls": "null,", "spaces": strings.Repeat(" ", 100), "empty texts": `{"name":""},`,
	}
	for name, each := range lists {
		for _, size := range []int{1 << 20, 7 << 20, 64 << 20} {
			document := []byte("[" + strings.Repeat(each, size/len(each)) + "{}]")
			packed := compress(t, document)
			var parts []part
			var failed error
			took := allocated(func() { failed = decoder.Decode(packed, &parts) })
			if failed == nil && (name != "spaces" || size > AnyExpansion) || failed != nil && !errors.Is(failed, ErrTooLarge) {
				t.Errorf("%s, %d bytes in %d: %v", name, len(document), len(packed), failed)
			}
			if took > 64<<20 {
				t.Errorf("%s, %d bytes in %d: reading it took %d MB", name, len(document), len(packed), took>>20)
			}
		}
	}
}

// Several frames one after the other are no way around the bound, nor is a frame that does not say its length.
func TestBombsOfFrames(t *testing.T) {
	decoder, err := NewDecoder()
	if err != nil {
		t.Fatal(err)
	}
	defer decoder.Close()
	frame := compress(t, bytes.Repeat([]byte(" "), 4<<20))
	var unsized bytes.Buffer
	w, err := zstd.NewWriter(&unsized)
	if err != nil {
		t.Fatal(err)
	}
	for range 64 {
		_, _ = w.Write(bytes.Repeat([]byte(" "), 1<<20))
	}
	_ = w.Close()
	for name, packed := range map[string][]byte{"frames": bytes.Repeat(frame, 100), "no length": unsized.Bytes(),
		"a large one and others": append(compress(t, bytes.Repeat([]byte(" "), 9<<20)), bytes.Repeat(frame, 100)...)} {
		var failed error
		took := allocated(func() { _, failed = decoder.Decompress(packed) })
		if !errors.Is(failed, ErrTooLarge) || took > 64<<20 {
			t.Errorf("%s: %v, and %d MB", name, failed, took>>20)
		}
	}
	for _, damaged := range [][]byte{nil, {1, 2, 3}, frame[:5], frame[:len(frame)/2]} {
		if _, err := decoder.Decompress(damaged); err == nil {
			t.Errorf("%d damaged bytes were read", len(damaged))
		}
	}
}

// What sessions are is read, small or large.
func TestDocumentsAreRead(t *testing.T) {
	decoder, err := NewDecoder()
	if err != nil {
		t.Fatal(err)
	}
	defer decoder.Close()
	for _, count := range []int{0, 1, 1000, 200_000} {
		var text bytes.Buffer
		text.WriteString("[")
		for i := range count {
			fmt.Fprintf(&text, `{"name":"a sample has many figures, each of them another: %d %d"},`, i, i*i*7919)
		}
		text.WriteString(`{"name":"last"}]`)
		var parts []part
		if err := decoder.Decode(compress(t, text.Bytes()), &parts); err != nil || len(parts) != count+1 ||
			parts[count].Name != "last" {
			t.Errorf("of %d parts came %d, %v", count+1, len(parts), err)
		}
	}
}

func TestReader(t *testing.T) {
	document := []byte(`{"format": "` + strings.Repeat("a few letters, ", 1000) + `"}`)
	var zipped bytes.Buffer
	w := gzip.NewWriter(&zipped)
	_, _ = w.Write(document)
	_ = w.Close()
	for name, stream := range map[string][]byte{"plain": document, "gzip": zipped.Bytes(), "zstd": compress(t, document)} {
		r, err := NewReader(bytes.NewReader(stream))
		if err != nil {
			t.Fatal(name, err)
		}
		if got, err := io.ReadAll(r); err != nil || !bytes.Equal(got, document) {
			t.Errorf("%s: %d bytes, %v", name, len(got), err)
		}
	}
	var bomb bytes.Buffer
	w = gzip.NewWriter(&bomb)
	for range 100 {
		_, _ = w.Write(bytes.Repeat([]byte("a"), 1<<20))
	}
	_ = w.Close()
	r, err := NewReader(&bomb)
	if err != nil {
		t.Fatal(err)
	}
	if read, err := io.Copy(io.Discard, r); !errors.Is(err, ErrTooLarge) || read > 2*AnyExpansion {
		t.Errorf("of a stream that expands without end %d bytes were read, %v", read, err)
	}
}

func FuzzDecode(f *testing.F) {
	decoder, err := NewDecoder()
	if err != nil {
		f.Fatal(err)
	}
	f.Add(compress(f, []byte(`[{"name":"x"}]`)))
	f.Add([]byte("\x28\xb5\x2f\xfd"))
	f.Fuzz(func(t *testing.T, packed []byte) {
		var parts []part
		_ = decoder.Decode(packed, &parts)
		if len(parts) > anyObjects && len(parts) > MostExpansion*len(packed) {
			t.Errorf("%d bytes became %d parts", len(packed), len(parts))
		}
	})
}
