package load

import (
	"errors"
	"testing"

	"opengauge/core/unit"
)

// Only what keeps to the rules of its stretch becomes an area.
func TestAreasKeepToTheirGeometry(t *testing.T) {
	for _, c := range []struct {
		name     string
		geometry Geometry
		block    unit.Bytes
		want     int64 // blocks, or 0 where it is refused
	}{
		{"whole", Geometry{Length: unit.MiB}, 4096, 256},
		{"rounded down", Geometry{Length: 10000}, 4096, 2},
		{"one block", Geometry{Start: 512, Length: 512, Alignment: 512, Cell: 512}, 512, 1},
		{"no block", Geometry{Length: unit.MiB}, 0, 0},
		{"nothing", Geometry{}, 512, 0},
		{"smaller than a block", Geometry{Length: 4095}, 4096, 0},
		{"before the start", Geometry{Start: -512, Length: unit.MiB}, 512, 0},
		{"sectors of 4 KiB", Geometry{Length: unit.MiB, Alignment: 4096}, 512, 0},
		{"odd start", Geometry{Start: 512, Length: unit.MiB, Alignment: 4096}, 4096, 0},
		{"odd cell", Geometry{Length: unit.MiB, Cell: 4096}, 6144, 0},
		{"shifted cells", Geometry{Start: 512, Length: unit.MiB, Cell: 4096}, 4096, 0},
	} {
		area, err := c.geometry.Area(c.block)
		if (err == nil) != (c.want > 0) || area.Count() != c.want || area.Length() != c.block*unit.Bytes(c.want) {
			t.Errorf("%s: %d blocks, %d bytes, %v", c.name, area.Count(), area.Length(), err)
		}
	}
}

// Tiles cover a stretch once, whatever its size.
func TestTilesCoverAStretchOnce(t *testing.T) {
	for _, length := range []unit.Bytes{512, unit.MiB, unit.MiB + 512, 96*unit.MiB + 328*unit.KiB, 67_120_640} {
		g := Geometry{Start: 3 * 512, Length: length, Alignment: 512}
		areas, err := g.Tile(unit.MiB)
		if err != nil {
			t.Fatal(err)
		}
		at := g.Start
		for _, area := range areas {
			if area.Start() != at {
				t.Errorf("%d bytes: an area begins at %d, want %d", length, area.Start(), at)
			}
			at += area.Length()
		}
		if at != g.Start+length {
			t.Errorf("%d bytes end at %d", length, at)
		}
	}
	if _, err := (Geometry{Length: unit.MiB + 100, Alignment: 512}).Tile(unit.MiB); err == nil {
		t.Error("a remainder that the storage does not take is no error")
	}
}

// Workers share an area without overlap, and each needs a block.
func TestWorkersShareAnArea(t *testing.T) {
	l := New(Write, Sequential, 4096, 1)
	l.Workers = 3
	area, err := l.Area(Geometry{Length: 10 * 4096})
	if err != nil {
		t.Fatal(err)
	}
	for worker := range 3 {
		part := area.Part(worker, 3)
		if part.Count() != 3 || part.Start() != unit.Bytes(worker)*3*4096 {
			t.Errorf("worker %d has %d blocks from %d", worker, part.Count(), part.Start())
		}
	}
	var small *SpanError
	if _, err := l.Area(Geometry{Length: 2 * 4096}); !errors.As(err, &small) || small.Workers != 3 {
		t.Errorf("two blocks for three workers: %v", err)
	}
	l.Span = 4096
	if _, err := l.Area(Geometry{Length: unit.MiB}); !errors.As(err, &small) || small.Span != 4096 {
		t.Errorf("a span of one block for three workers: %v", err)
	}
}
