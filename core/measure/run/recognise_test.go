package run

import (
	"bytes"
	"context"
	"errors"
	"math/rand/v2"
	"syscall"
	"testing"

	"opengauge/core/load"
	"opengauge/core/measure/engine"
	"opengauge/core/storage/payload"
	"opengauge/core/storage/target"
	"opengauge/core/unit"
)

// remembered is a desk that wrote that many blocks of 4 KiB in order, through the engine,
// and what they hold.
func remembered(t *testing.T, blocks int, durable bool) (*desk, []byte) {
	t.Helper()
	folder := t.TempDir()
	opened, err := target.OpenPath(folder, target.PathOptions{Size: unit.Bytes(max(blocks, 4)) * 4096})
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	d := &desk{Target: opened, address: "/dev/known", written: &engine.Written{}}
	l := load.New(load.Write, load.Sequential, 4096, 1)
	l.Span, l.Durable = opened.Description().Span, durable
	if blocks > 0 {
		area, err := l.Area(load.Geometry{Length: l.Span})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := engine.Run(context.Background(), opened, engine.Request{Load: l, Area: area, Written: d.written,
			Timing: engine.Timing{Bytes: unit.Bytes(blocks) * 4096, Sample: SampleLength}}); err != nil {
			t.Fatal(err)
		}
	}
	queue, err := opened.Open(target.Shape{Slots: 1, Block: 4096})
	if err != nil {
		t.Fatal(err)
	}
	defer queue.Close()
	var held []byte
	for at := range blocks {
		if err := queue.Submit([]target.Operation{{Action: target.Read, Offset: int64(at) * 4096,
			Length: 4096}}); err != nil {
			t.Fatal(err)
		}
		if filled, err := queue.Wait(make([]target.Completion, 1), opened.Now()+1e9); filled != 1 || err != nil {
			t.Fatal(filled, err)
		}
		held = append(held, queue.Buffer(0)...)
	}
	return d, held
}

// broken is what a share of reads of fails.
type broken struct {
	of    *bytes.Reader
	every int
	read  *int
}

func (b broken) ReadAt(into []byte, at int64) (int, error) {
	if *b.read++; *b.read%b.every == 0 {
		return 0, syscall.EIO
	}
	return b.of.ReadAt(into, at)
}

// A device is known again by what was written to it, and any other is not.
func TestADeviceIsKnownAgain(t *testing.T) {
	d, held := remembered(t, 400, false)
	if d.ours(0.99) != nil {
		t.Error("zeros are to be known again")
	}
	ours := d.ours(0)
	judge := func(name string, from []byte, stranger bool) {
		t.Helper()
		err := ours(bytes.NewReader(from))
		if other := new(target.StrangerError); errors.As(err, &other) != stranger || stranger != (err != nil) {
			t.Errorf("%s: %v", name, err)
		}
	}
	judge("itself", held, false)
	judge("zeros", make([]byte, len(held)), true)
	noise := make([]byte, len(held))
	for i := range noise {
		noise[i] = byte(rand.Uint32())
	}
	judge("noise", noise, true)
	judge("what is shorter", held[:len(held)/4], true)
	// All of it was flushed, so a tenth that is missing is one too much.
	partly := bytes.Clone(held)
	for at := 0; at < len(partly); at += 10 * 4096 {
		clear(partly[at : at+4096])
	}
	judge("a tenth is something else", partly, true)

	read := 0
	if err := ours(broken{bytes.NewReader(held), 4, &read}); err != nil {
		t.Errorf("a quarter cannot be read: %v", err)
	}
	err := ours(broken{bytes.NewReader(held), 1, &read})
	if other := new(target.StrangerError); err == nil || errors.As(err, &other) || !errors.Is(err, syscall.EIO) {
		t.Errorf("nothing can be read: %v", err)
	}
	if fresh, _ := remembered(t, 0, false); fresh.ours(0) != nil {
		t.Error("nothing was written, and is to be known again")
	}
}

// What no flush made stable may be lost by half, and what one did may not.
func TestWhatADeviceMayLose(t *testing.T) {
	d := &desk{address: "/dev/known"}
	for _, c := range []struct {
		stable, loose lookup
		stranger      bool
	}{
		{lookup{read: 10, own: 10}, lookup{read: 54, own: 27}, false},
		{lookup{read: 10, own: 10}, lookup{read: 54, own: 26}, true},
		{lookup{read: 10, own: 9}, lookup{read: 54, own: 54}, true},
		{lookup{}, lookup{read: 1, own: 1}, false},
		{lookup{read: 64, own: 64}, lookup{}, false},
		{lookup{read: 64}, lookup{}, true},
	} {
		err := d.judge(c.stable, c.loose)
		if other := new(target.StrangerError); errors.As(err, &other) != c.stranger {
			t.Errorf("%+v, %+v: %v", c.stable, c.loose, err)
		}
	}
	if !payload.Own(payload.Compressible(0).Next(4096)) {
		t.Error("what was written last is not known")
	}
}
