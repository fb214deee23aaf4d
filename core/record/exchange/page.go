package exchange

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"regexp"
	"strings"

	"github.com/klauspost/compress/zstd"

	"opengauge/core/record/session"
)

// Enclosed is sessions as a page carries them: a list of them in JSON, compressed by zstd
// (RFC 8878), in base64 (RFC 4648, section 4), with the SHA-256 of the compressed bytes. The
// page has them in a script element of that id, of the type application/zstd, which no browser
// runs.
type Enclosed struct {
	Base64, SHA256 string
	// Count is how many sessions it has, and Left how many had no room.
	Count, Left int
}

// EnclosedID is the id of the element in a page.
const EnclosedID = "opengauge-sessions"

// Enclose packs as many sessions, from the first on, as take no more than so many bytes.
func Enclose(sessions []*session.Session, most int) (Enclosed, error) {
	for count := len(sessions); ; {
		packed, err := pack(sessions[:count])
		if err != nil {
			return Enclosed{}, err
		}
		if size := base64.StdEncoding.EncodedLen(len(packed)); size > most && count > 1 {
			count = max(min(count-1, count*most/size), 1)
			continue
		}
		sum := sha256.Sum256(packed)
		return Enclosed{base64.StdEncoding.EncodeToString(packed), hex.EncodeToString(sum[:]), count,
			len(sessions) - count}, nil
	}
}

func pack(sessions []*session.Session) ([]byte, error) {
	var out bytes.Buffer
	packer, err := zstd.NewWriter(&out, zstd.WithEncoderConcurrency(1),
		zstd.WithEncoderLevel(zstd.SpeedBestCompression), zstd.WithWindowSize(8<<20))
	if err != nil {
		return nil, err
	}
	list := newJSONWriter(packer, 0) // a list, also of one
	for _, s := range sessions {
		if err := list.Add(s); err != nil {
			return nil, err
		}
	}
	err = errors.Join(list.Close(), packer.Close())
	return out.Bytes(), err
}

// largestPage is the most that a page may take to be looked at for sessions.
const largestPage = 256 << 20

// IsPage reports whether a file begins as a page does.
func IsPage(name string) bool {
	file, err := os.Open(name)
	if err != nil {
		return false
	}
	defer file.Close()
	return beginsAsPage(file)
}

func beginsAsPage(file io.ReaderAt) bool {
	begin := make([]byte, 256)
	count, _ := file.ReadAt(begin, 0) // a short file is read as far as it goes
	text := strings.ToLower(strings.TrimSpace(strings.TrimPrefix(string(begin[:count]), "\ufeff")))
	return strings.HasPrefix(text, "<!doctype html") || strings.HasPrefix(text, "<html")
}

var (
	enclosedElement = regexp.MustCompile(`(?is)<script\b([^>]*\bid="?` + EnclosedID + `"?[^>]*)>(.*?)</script>`)
	enclosedSum     = regexp.MustCompile(`(?i)\bdata-sha256="?([0-9a-f]{64})\b`)
)

// enclosedIn returns the sessions that a page carries, still compressed, after checking that they
// are whole.
func enclosedIn(page io.Reader) ([]byte, error) {
	content, err := io.ReadAll(io.LimitReader(page, largestPage+1))
	if err != nil {
		return nil, err
	}
	if len(content) > largestPage {
		return nil, fmt.Errorf("a page of more than %d bytes is not read", largestPage)
	}
	found := enclosedElement.FindSubmatch(content)
	if found == nil {
		return nil, errors.New("this page carries no sessions: it is no report, or what it carried was cut out of it")
	}
	sum := enclosedSum.FindSubmatch(found[1])
	if sum == nil {
		return nil, errors.New("the page's sessions have no checksum, so nobody knows whether they are whole; nothing was " +
			"taken in")
	}
	// Whoever edits a page may break its lines.
	text := strings.Join(strings.Fields(string(found[2])), "")
	packed, err := base64.StdEncoding.DecodeString(text)
	if err != nil {
		return nil, fmt.Errorf("the page's sessions are damaged (%w); nothing was taken in: ask for the page again", err)
	}
	if made := sha256.Sum256(packed); !strings.EqualFold(hex.EncodeToString(made[:]), string(sum[1])) {
		return nil, errors.New("the page's sessions do not match their checksum: the page was damaged or edited; nothing " +
			"was taken in: ask for the page again")
	}
	return packed, nil
}
