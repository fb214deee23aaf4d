package exchange

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"
	"regexp"
	"runtime"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"opengauge/core/record/codec"
	"opengauge/core/record/session"
)

// SessionsFormat names the form of a JSON document with several sessions.
const SessionsFormat = "opengauge.sessions/1"

// jsonWriter writes one session as its document, and several in a list.
type jsonWriter struct {
	out   *bufio.Writer
	list  bool
	count int
}

func newJSONWriter(w io.Writer, count int) *jsonWriter {
	return &jsonWriter{out: bufio.NewWriterSize(w, 1<<16), list: count != 1}
}

func (w *jsonWriter) Add(s *session.Session) error {
	if w.list && w.count == 0 {
		w.begin()
	}
	if w.count > 0 {
		_, _ = w.out.WriteString(",\n")
	}
	w.count++
	document, err := json.Marshal(s)
	if err != nil {
		return err
	}
	_, err = w.out.Write(document)
	return err
}

func (w *jsonWriter) begin() { fmt.Fprintf(w.out, `{"format":%q,"sessions":[`+"\n", SessionsFormat) }

func (w *jsonWriter) Close() error {
	if w.list {
		if w.count == 0 {
			w.begin()
		}
		_, _ = w.out.WriteString("\n]}")
	}
	_, _ = w.out.WriteString("\n")
	return w.out.Flush()
}

// bounded is a reader that ends with an error where one session is too large.
type bounded struct {
	r    io.Reader
	left int
}

func (b *bounded) Read(p []byte) (int, error) {
	if b.left <= 0 {
		return 0, fmt.Errorf("a session of more than %d bytes is not read", codec.LargestDocument)
	}
	n, err := b.r.Read(p[:min(len(p), b.left)])
	b.left -= n
	return n, err
}

var formatKey = regexp.MustCompile(`"format"\s*:\s*"([^"]{0,100})"`)

// readJSON gives the sessions of documents that follow each other: session
// documents, or lists of them.
func readJSON(r io.Reader) iter.Seq2[*session.Session, error] {
	return inOrder(func(yield func(jsontext.Value, error) bool) {
		limit := &bounded{r: r, left: codec.LargestDocument}
		buffered := bufio.NewReaderSize(limit, 1<<16)
		begin, err := buffered.Peek(1 << 16)
		if err != nil && !errors.Is(err, io.EOF) {
			yield(nil, wrapJSON(err))
			return
		}
		found := formatKey.FindSubmatch(begin)
		// looked for when a session is parsed
		decoder := jsontext.NewDecoder(buffered, jsontext.AllowDuplicateNames(true))
		switch {
		case found == nil:
			yield(nil, errors.New("this is not a session: it does not begin with a \"format\""))
		case string(found[1]) == SessionsFormat:
			readList(decoder, limit, yield)
		default:
			readDocuments(decoder, limit, yield)
		}
	}, parseSession)
}

func readDocuments(decoder *jsontext.Decoder, limit *bounded, yield func(jsontext.Value, error) bool) {
	for {
		limit.left = codec.LargestDocument
		document, err := decoder.ReadValue()
		if errors.Is(err, io.EOF) || !yield(document.Clone(), wrapJSON(err)) || err != nil {
			return
		}
	}
}

func readList(decoder *jsontext.Decoder, limit *bounded, yield func(jsontext.Value, error) bool) {
	if err := toList(decoder); err != nil {
		yield(nil, wrapJSON(err))
		return
	}
	for decoder.PeekKind() == jsontext.KindBeginObject {
		limit.left = codec.LargestDocument
		document, err := decoder.ReadValue()
		if !yield(document.Clone(), wrapJSON(err)) || err != nil {
			return
		}
	}
	for range 2 { // the bracket and the brace
		if _, err := decoder.ReadToken(); err != nil {
			yield(nil, wrapJSON(err))
			return
		}
	}
}

// toList goes to the first session of a list.
func toList(decoder *jsontext.Decoder) error {
	if _, err := decoder.ReadToken(); err != nil { // the brace
		return err
	}
	for decoder.PeekKind() == jsontext.KindString {
		key, err := decoder.ReadToken()
		if err != nil {
			return err
		}
		if key.String() != "sessions" {
			if err := decoder.SkipValue(); err != nil {
				return err
			}
			continue
		}
		if bracket, err := decoder.ReadToken(); err != nil || bracket.Kind() != jsontext.KindBeginArray {
			return errors.Join(err, errors.New("\"sessions\" is no list"))
		}
		return nil
	}
	if _, err := decoder.ReadToken(); err != nil {
		return err
	}
	return errors.New("the key \"sessions\" is missing")
}

func wrapJSON(err error) error {
	if err == nil {
		return nil
	}
	if errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF) {
		return errors.New("the JSON ends in the middle: the file is damaged or was not written to its end")
	}
	return fmt.Errorf("the JSON is damaged: %w", err)
}

// parseSession reads a session's document and checks it.
func parseSession(document jsontext.Value) (*session.Session, error) {
	s := &session.Session{}
	if err := codec.Unmarshal(document, s); err != nil {
		var head struct {
			Format string `json:"format"`
		}
		if json.Unmarshal(document, &head) == nil && head.Format != session.Format {
			return nil, unknownFormat(head.Format) // of which nobody knows what else is in it
		}
		return nil, wrapJSON(err)
	}
	if s.Format != session.Format {
		return nil, unknownFormat(s.Format)
	}
	return s, s.Check()
}

func unknownFormat(format string) error {
	if strings.HasPrefix(format, "opengauge.session/") || strings.HasPrefix(format, "opengauge.sessions/") {
		return fmt.Errorf("the session is of the form %q, written by a newer opengauge; this program knows %q",
			format, session.Format)
	}
	return fmt.Errorf("%q is not the form of a session, which is %q", format, session.Format)
}

// inOrder converts the items of a sequence on all processors and keeps their order. The first
// error ends it.
func inOrder[A, B any](sequence iter.Seq2[A, error], turn func(A) (B, error)) iter.Seq2[B, error] {
	type result struct {
		value B
		err   error
	}
	return func(yield func(B, error) bool) {
		stop := make(chan struct{})
		defer close(stop)
		pending := make(chan chan result, 2*runtime.GOMAXPROCS(0))
		go func() {
			defer close(pending)
			sequence(func(value A, err error) bool {
				slot := make(chan result, 1)
				select {
				case pending <- slot:
				case <-stop:
					return false
				}
				if err != nil {
					slot <- result{err: err}
					return false
				}
				go func() {
					turned, err := turn(value)
					slot <- result{turned, err}
				}()
				return true
			})
		}()
		for slot := range pending {
			each := <-slot
			if !yield(each.value, each.err) || each.err != nil {
				return
			}
		}
	}
}
