package exchange

import (
	"bytes"
	"compress/gzip"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"
)

// A small file that expands to what no session could be is refused soon.
func TestFilesThatExpandWithoutEnd(t *testing.T) {
	begin := []byte(`{"format":"opengauge.session/1","name":"`)
	text := bytes.Repeat([]byte("a"), 1<<20)
	for name, pack := range map[string]func(*bytes.Buffer){
		"bomb.json.gz": func(out *bytes.Buffer) {
			w := gzip.NewWriter(out)
			_, _ = w.Write(begin)
			for range 100 {
				_, _ = w.Write(text)
			}
			_ = w.Close()
		},
		"bomb.json.zst": func(out *bytes.Buffer) {
			w, _ := zstd.NewWriter(out)
			_, _ = w.Write(begin)
			for range 100 {
				_, _ = w.Write(text)
			}
			_ = w.Close()
		},
		"bomb.csv.gz": func(out *bytes.Buffer) {
			w := gzip.NewWriter(out)
			for range 100 {
				_, _ = w.Write([]byte(strings.Repeat("session,", 1<<17)))
			}
			_ = w.Close()
		},
	} {
		var packed bytes.Buffer
		pack(&packed)
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, packed.Bytes(), 0o600); err != nil {
			t.Fatal(err)
		}
		var failed error
		for _, err := range Read([]string{path}) {
			failed = err
		}
		if failed == nil || !strings.Contains(failed.Error(), "expand to more than") &&
			!strings.Contains(failed.Error(), "no table has") {
			t.Errorf("%s, %d bytes: %v", name, packed.Len(), failed)
		}
	}
}
