package nbd

import (
	"bytes"
	"errors"
	"net"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"opengauge/core/storage/target"
)

// dam is a listener of a server that takes nothing from its clients while it is shut.
type dam struct {
	net.Listener
	shut *atomic.Bool
}

func (d dam) Accept() (net.Conn, error) {
	c, err := d.Listener.Accept()
	return dammed{c, d.shut}, err
}

type dammed struct {
	net.Conn
	shut *atomic.Bool
}

func (d dammed) Read(into []byte) (int, error) {
	for d.shut.Load() {
		time.Sleep(time.Millisecond)
	}
	return d.Conn.Read(into)
}

// More than the buffers of the system take.
const (
	heldSlots = 24
	heldBlock = 1 << 20
)

func held(t *testing.T, shut *atomic.Bool) (*Memory, *Volume, target.Queue) {
	t.Helper()
	memory := NewMemory(heldSlots * heldBlock)
	_, address := servingOn(t, dam{listen(t), shut}, Served{Name: "v", Backing: memory})
	volume, queue := openQueue(t, address+"v", Options{Overwrite: "v"}, heldSlots, heldBlock)
	return memory, volume, queue
}

// submitHeld writes as many blocks as there are, each with a letter of its own.
func submitHeld(t *testing.T, queue target.Queue, from, to int) {
	t.Helper()
	var operations []target.Operation
	for slot := from; slot < to; slot++ {
		copy(queue.Buffer(slot), bytes.Repeat([]byte{byte('a' + slot)}, heldBlock))
		operations = append(operations, target.Operation{Action: target.Write, Slot: slot, Length: heldBlock,
			Offset: int64(slot) * heldBlock})
	}
	if err := queue.Submit(operations); err != nil { // it ends, though the server takes nothing
		t.Fatal(err)
	}
}

func TestANetworkThatTakesNothing(t *testing.T) {
	var shut atomic.Bool
	memory, volume, queue := held(t, &shut)
	shut.Store(true)
	submitHeld(t, queue, 0, heldSlots/2)
	submitHeld(t, queue, heldSlots/2, heldSlots) // behind what waits already
	var done [heldSlots]target.Completion
	if count, err := queue.Wait(done[:], volume.Now()+100*time.Millisecond); count != 0 || err != nil {
		t.Fatalf("%d of %d are done (%v), and nothing was taken", count, heldSlots, err)
	}
	shut.Store(false)
	for seen := 0; seen < heldSlots; {
		count, err := queue.Wait(done[:], volume.Now()+20*time.Second)
		if err != nil || count == 0 {
			t.Fatalf("%d done, %v", seen, err)
		}
		for _, each := range done[:count] {
			if each.Err != nil {
				t.Errorf("slot %d: %v", each.Slot, each.Err)
			}
		}
		seen += count
	}
	for slot := range heldSlots {
		kept := make([]byte, heldBlock)
		if _, err := memory.ReadAt(kept, int64(slot)*heldBlock); err != nil ||
			bytes.Count(kept, []byte{byte('a' + slot)}) != heldBlock {
			t.Errorf("the server has %q at block %d (%v)", kept[:8], slot, err)
		}
	}
	// It goes on as before: at once, where the network takes it.
	if err := one(t, volume, queue, target.Operation{Action: target.Read, Slot: 3, Length: 4096}); err != nil {
		t.Error(err)
	}
	if got := queue.Buffer(3)[:4]; string(got) != "aaaa" {
		t.Errorf("afterwards it reads %q", got)
	}
}

func TestANetworkThatTakesNothingForTooLong(t *testing.T) {
	var shut atomic.Bool
	_, volume, opened := held(t, &shut)
	shut.Store(true)
	for _, box := range opened.(*queue).boxes {
		box.within = 200 * time.Millisecond
	}
	submitHeld(t, opened, 0, heldSlots)
	var done [heldSlots]target.Completion
	count, err := opened.Wait(done[:], volume.Now()+10*time.Second)
	if count != heldSlots || err != nil {
		t.Fatalf("%d of %d are done, %v", count, heldSlots, err)
	}
	for _, each := range done {
		if !errors.Is(each.Err, syscall.ENODEV) || !strings.Contains(each.Err.Error(), "taken no requests for 200ms") {
			t.Fatalf("slot %d: %v", each.Slot, each.Err)
		}
	}
	shut.Store(false)
	if err := one(t, volume, opened, target.Operation{Action: target.Read, Length: 4096}); !errors.Is(err,
		syscall.ENODEV) || !strings.Contains(err.Error(), "taken no requests") {
		t.Errorf("afterwards: %v", err)
	}
}

// A queue that is closed while something is being sent waits for nobody.
func TestAQueueIsClosedWhileItSends(t *testing.T) {
	var shut atomic.Bool
	_, _, opened := held(t, &shut)
	shut.Store(true)
	submitHeld(t, opened, 0, heldSlots)
	ended := make(chan error)
	go func() { ended <- opened.Close() }()
	select {
	case <-ended:
	case <-time.After(5 * time.Second):
		t.Fatal("it is not closed after 5 seconds")
	}
	shut.Store(false)
}
