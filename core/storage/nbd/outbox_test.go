package nbd

import (
	"bytes"
	"errors"
	"io"
	"net"
	"strings"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"opengauge/core/storage/target"
)

// dammed is the address of a server behind a dam: what clients send is held back while it
// is shut, and what the server sends passes.
func dammed(t *testing.T, address string, shut *atomic.Bool) string {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = listener.Close() })
	go func() {
		for {
			client, err := listener.Accept()
			if err != nil {
				return
			}
			server, err := net.Dial("tcp", strings.TrimSuffix(strings.TrimPrefix(address, "nbd://"), "/"))
			if err != nil {
				return
			}
			go func() { _, _ = io.Copy(client, server); _ = client.Close() }()
			go func() {
				defer func() { _ = server.Close() }()
				for buffer := make([]byte, 4096); ; {
					for shut.Load() {
						time.Sleep(time.Millisecond)
					}
					count, err := client.Read(buffer)
					if _, failed := server.Write(buffer[:count]); err != nil || failed != nil {
						return
					}
				}
			}()
		}
	}()
	return "nbd://" + listener.Addr().String() + "/"
}

// More than the buffers of the system take.
const (
	heldSlots = 24
	heldBlock = 1 << 20
)

func held(t *testing.T, shut *atomic.Bool) (*Memory, *Volume, target.Queue) {
	t.Helper()
	memory := NewMemory(heldSlots * heldBlock)
	_, address := serving(t, Served{Name: "v", Backing: memory})
	volume, queue := openQueue(t, dammed(t, address, shut)+"v", Options{Overwrite: "v"}, heldSlots, heldBlock)
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
	before := time.Now()
	if err := queue.Submit(operations); err != nil {
		t.Fatal(err)
	}
	if took := time.Since(before); took > 2*time.Second {
		t.Errorf("whoever submits waits for %v", took)
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
