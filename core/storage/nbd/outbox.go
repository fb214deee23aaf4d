package nbd

import (
	"crypto/tls"
	"errors"
	"fmt"
	"os"
	"slices"
	"sync"
	"time"
)

const (
	// takenAtOnce is how long whoever submits requests stays with them. A goroutine sends the rest, if the
	// network has not taken it by then.
	takenAtOnce = time.Millisecond
	// takenWithin is how long a server may not take requests before it counts as gone.
	takenWithin = 30 * time.Second
	// pieceBytes is the most that is sent at once of waiting data.
	pieceBytes = 64 << 10
)

// outbox holds the data that a connection still has to send. Requests leave as they are submitted while the
// network takes them; where it does not, a goroutine sends them, so that whoever submits can watch the time.
// One goroutine puts requests in.
type outbox struct {
	connection *connection
	// within is how long the server may take nothing, and lost is told when it took longer.
	within time.Duration
	lost   func(error)
	// sending is the goroutine, while there is one.
	sending sync.WaitGroup

	mutex   sync.Mutex
	waiting []byte // what it has not begun with
	busy    bool   // whether it is there
}

func newOutbox(c *connection, lost func(error)) *outbox {
	return &outbox{connection: c, within: takenWithin, lost: lost}
}

// put sends requests, or leaves them to be sent. They may be changed afterwards.
func (o *outbox) put(requests []byte) {
	if len(requests) == 0 || o.join(requests) {
		return
	}
	var err error
	// A record that is cut off would end an encrypted connection.
	if _, encrypted := o.connection.Conn.(*tls.Conn); !encrypted {
		_ = o.connection.SetWriteDeadline(time.Now().Add(takenAtOnce))
		var sent int
		if sent, err = o.connection.Write(requests); err == nil {
			return
		}
		requests = requests[sent:]
	}
	if err != nil && !errors.Is(err, os.ErrDeadlineExceeded) {
		_ = o.connection.Close() // the reader breaks off what is under way, and says why
		return
	}
	o.waiting, o.busy = append(o.waiting, requests...), true
	o.sending.Go(o.send)
}

// join adds requests to those that wait, if any are being sent.
func (o *outbox) join(requests []byte) bool {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	if o.busy {
		o.waiting = append(o.waiting, requests...)
	}
	return o.busy
}

// next exchanges sent data for waiting data, which are empty at the end.
func (o *outbox) next(sent []byte) []byte {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	waiting := o.waiting
	o.waiting, o.busy = sent[:0], len(waiting) > 0
	return waiting
}

// send sends until nothing waits.
func (o *outbox) send() {
	for requests := o.next(nil); len(requests) > 0; requests = o.next(requests) {
		err := o.all(requests)
		if err == nil {
			continue
		}
		if errors.Is(err, os.ErrDeadlineExceeded) {
			o.lost(fmt.Errorf("the server has taken no requests for %s", o.within))
		}
		_ = o.connection.Close()
		return // busy for good: nobody sends on it any more
	}
}

// all sends requests, a piece after the other, each in its own time.
func (o *outbox) all(requests []byte) error {
	for piece := range slices.Chunk(requests, pieceBytes) {
		_ = o.connection.SetWriteDeadline(time.Now().Add(o.within))
		if _, err := o.connection.Write(piece); err != nil {
			return err
		}
	}
	return nil
}

// end says goodbye, unless something is being sent still, and closes.
func (o *outbox) end() {
	if o.join(nil) {
		_ = o.connection.Close()
	} else {
		_ = o.connection.end()
	}
	o.sending.Wait()
}
