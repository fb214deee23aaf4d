package engine

import "opengauge/core/unit"

// sweep is the result of one look at every cell that ought to hold something. It tells a device that holds
// less than it says from one that loses or swaps data.
type sweep struct {
	cell int64
	// good cells are as expected, and lastGood is the greatest offset of one.
	good, lastGood int64
	// misplaced cells hold data written a multiple of step away; step is the greatest common divisor of the
	// distances.
	misplaced, step int64
	// wrong cells hold nothing of this session, from firstWrong on.
	wrong, firstWrong int64
	// other faults fit no story.
	other int64
}

func newSweep(cell int64) sweep { return sweep{cell: cell, lastGood: -1, firstWrong: -1} }

func (s *sweep) fits(offset int64) {
	s.good++
	s.lastGood = max(s.lastGood, offset)
}

func (s *sweep) noteMove(by int64) {
	s.misplaced++
	s.step = int64(unit.CommonDivisor(unit.Bytes(s.step), unit.Bytes(max(by, -by))))
}

func (s *sweep) noteLoss(offset int64) {
	s.wrong++
	if s.firstWrong < 0 || offset < s.firstWrong {
		s.firstWrong = offset
	}
}

// fewestForCapacity is how many faults it takes to speak of the device's capacity.
const fewestForCapacity = 16

// capacity is the true capacity of the device, where that explains every cell, or 0. Of a device that begins
// again from its start, cells that are a multiple of its capacity apart are one: of the written ones exactly
// one each is good, and all others hold its data. One that drops data beyond its capacity has nothing good
// from there on, and nothing at fault before.
func (s *sweep) capacity(written int64) unit.Bytes {
	faults := s.misplaced + s.wrong
	if s.other > 0 || faults < fewestForCapacity || s.good+faults != written {
		return 0
	}
	switch {
	case s.wrong == 0 && s.good*s.cell == s.step:
		return unit.Bytes(s.step)
	case s.misplaced == 0 && s.firstWrong > s.lastGood && s.good*s.cell == s.firstWrong:
		return unit.Bytes(s.firstWrong)
	}
	return 0
}
