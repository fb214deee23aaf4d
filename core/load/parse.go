package load

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"opengauge/core/unit"
)

// Limits of the values of loads.
const (
	SmallestBlock = 512 * unit.Bytes(1)
	LargestBlock  = 16 * unit.MiB
	LargestDepth  = 1024
	MostWorkers   = 256
	HighestRate   = 100e6 // operations a second
)

// Parse reads the output of [Load.Long]: "write sequential 1 MiB, depth 8, sustained". The phrases behind the
// depth may be in any order; dimensions without one are as usual.
func Parse(text string) (Load, error) {
	phrases := strings.Split(text, ", ")
	words := strings.SplitN(phrases[0], " ", 3)
	if len(words) != 3 || len(phrases) < 2 {
		return Load{}, fmt.Errorf("%q is not a load; write one like \"read random 4 KiB, depth 32\"", text)
	}
	l := Load{Workers: 1}
	phrases = append(words, phrases[1:]...)
	for i, d := range Dimensions[:always] {
		ok, err := d.read(&l, phrases[i])
		if err != nil {
			return Load{}, err
		}
		if !ok {
			return Load{}, fmt.Errorf("%q is not a load; write one like \"read random 4 KiB, depth 32\"", text)
		}
	}
	l.WriteShare = l.Operation.share()
	for _, phrase := range phrases[always:] {
		if err := l.take(phrase); err != nil {
			return Load{}, fmt.Errorf("load %q: %w", text, err)
		}
	}
	return l, nil
}

// always is the number of dimensions that every label has, which are the first ones.
const always = 4

// take sets the dimension that a phrase is of.
func (l *Load) take(phrase string) error {
	for _, d := range Dimensions[always:] {
		if ok, err := d.read(l, phrase); ok {
			return err
		}
	}
	return fmt.Errorf("nothing that a load can ask for is called %q", phrase)
}

// ParseOperation reads "read", "write" or "mixed".
func ParseOperation(text string) (Operation, error) {
	switch operation := Operation(text); operation {
	case Read, Write, Mixed:
		return operation, nil
	}
	return "", fmt.Errorf("unknown operation %q; expected read, write or mixed", text)
}

// ParseAccess reads "sequential" or "random".
func ParseAccess(text string) (Access, error) {
	switch access := Access(text); access {
	case Sequential, Random:
		return access, nil
	}
	return "", fmt.Errorf("unknown access order %q; expected sequential or random", text)
}

// ParseBlock reads a block size: a multiple of 512 B up to 16 MiB.
func ParseBlock(text string) (unit.Bytes, error) {
	block, err := unit.ParseBytes(text)
	if err != nil {
		return 0, err
	}
	if block < SmallestBlock || block > LargestBlock || block%SmallestBlock != 0 {
		return 0, fmt.Errorf("block size %q is not a multiple of 512 B between 512 B and 16 MiB", text)
	}
	return block, nil
}

// ParseDepth reads a queue depth.
func ParseDepth(text string) (int, error) {
	depth, err := strconv.Atoi(text)
	if err != nil || depth < 1 || depth > LargestDepth {
		return 0, fmt.Errorf("depth %q is not a whole number from 1 to %d", text, LargestDepth)
	}
	return depth, nil
}

// ParseSpan reads which part of a target, from its start, is touched.
func ParseSpan(text string) (unit.Bytes, error) {
	span, err := unit.ParseBytes(text)
	if err == nil && (span < SmallestBlock || span%SmallestBlock != 0) {
		err = fmt.Errorf("span %q is not a multiple of %s", text, SmallestBlock)
	}
	return span, err
}

// ParseWorkers reads how many workers drive a queue each.
func ParseWorkers(text string) (int, error) {
	workers, err := strconv.Atoi(text)
	if err != nil || workers < 1 || workers > MostWorkers {
		return 0, fmt.Errorf("%q workers is not a whole number from 1 to %d", text, MostWorkers)
	}
	return workers, nil
}

// shareParts is how many shares are told apart, so that each has a label that reads back.
const shareParts = 1e6

// ParseShare reads a share to a millionth: "30%" or "0.3".
func ParseShare(text string) (float64, error) {
	number, percent := strings.CutSuffix(strings.TrimSpace(text), "%")
	share, err := strconv.ParseFloat(strings.TrimSpace(number), 64)
	if percent {
		share /= 100
	}
	if err != nil || !(share >= 0 && share <= 1) {
		return 0, fmt.Errorf("%q is not a share; write one like 30%%", text)
	}
	return math.Round(share*shareParts) / shareParts, nil
}

// ParseRate reads how many operations arrive a second: "2000".
func ParseRate(text string) (float64, error) {
	rate, err := strconv.ParseFloat(text, 64)
	if err != nil || !(rate >= 0.01 && rate <= HighestRate) {
		return 0, fmt.Errorf("rate %q is not a number of operations a second that a device can have", text)
	}
	return rate, nil
}

// ParseYesNo reads "yes" or "true", "no" or "false".
func ParseYesNo(text string) (bool, error) {
	switch text {
	case "true", "yes":
		return true, nil
	case "false", "no":
		return false, nil
	}
	return false, fmt.Errorf("%q is neither yes nor no", text)
}
