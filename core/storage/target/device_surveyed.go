//go:build windows || darwin

package target

import (
	"errors"
	"fmt"
	"os"

	"opengauge/core/bench/survey"
	"opengauge/core/clock"
	"opengauge/core/storage/direct"
	"opengauge/core/unit"
)

// openDevice opens a device: for reading only, unless the options name it as one that may
// be overwritten.
func openDevice(path string, options PathOptions) (Target, error) {
	file, err := openRaw(path, os.O_RDONLY)
	if err != nil {
		return nil, explain("open", path, err)
	}
	found := surveyDevice(survey.Here(), path, systemHome())
	size, block, err := extentOf(file)
	if err != nil {
		return nil, errors.Join(explain("read the size of", path, err), file.Close())
	}
	found.size = size
	span := size
	if options.Size > 0 {
		span = options.Size
	}
	if span > size {
		return nil, errors.Join(fmt.Errorf("--size %s is larger than %s, which holds %s", options.Size, path,
			size.Capacity()), file.Close())
	}
	opened := &kernelFile{file: file, clock: clock.Start(), carrier: options.Carrier, options: options,
		statistics: path, serial: found.serial, description: Description{
			Kind: Device, Address: path, Path: path, Span: span, Capacity: size, SmallestBlock: block,
			Writable: options.Overwrite != "", Direct: true, Parallel: true,
		}}
	opened.description.Flusher, _ = direct.Flusher(file)
	if options.Overwrite == "" {
		return opened, nil
	}
	if err := opened.takeForWriting(found, options); err != nil {
		return nil, errors.Join(err, opened.Close())
	}
	return opened, nil
}

// takeForWriting looks at the guards, claims the device, opens it for writing in place of the
// file that it was read by, and looks at the guards once more.
func (k *kernelFile) takeForWriting(found surveyed, options PathOptions) error {
	path, holds := k.description.Path, func() (string, error) { return contents(k.file, found.size) }
	if err := found.mayOverwrite(options, holds); err != nil {
		return err
	}
	if err := k.file.Close(); err != nil { // which would stand in the way of the claim
		return explain("close", path, err)
	}
	claimed, err := claimRaw(path)
	if err != nil {
		return fmt.Errorf("%s is in use by the system or another program, so it is not overwritten: %w", path, err)
	}
	k.claimed = claimed
	if k.file, err = openRaw(path, os.O_RDWR); err != nil {
		k.file = claimed // so that there is one to close
		return explain("open", path, err)
	}
	again := surveyDevice(survey.Here(), path, systemHome())
	again.size = found.size
	return again.mayOverwrite(options, holds)
}

// reopenDevice opens a device that came back, for reading. One that is written to is not
// taken again on this system: who else may hold it meanwhile is not told.
func (k *kernelFile) reopenDevice(ours Recognise) error {
	if k.description.Writable {
		return errors.ErrUnsupported
	}
	path := k.description.Path
	file, err := openRaw(path, os.O_RDONLY)
	if err != nil {
		return explain("open", path, err)
	}
	found := surveyDevice(survey.Here(), path, systemHome())
	size, _, err := extentOf(file)
	if err == nil {
		found.size = size
		err = errors.Join(found.same(k.serial, k.description.Capacity), Resembles(path, false, found.serial != "", ours))
	}
	return k.goOnWith(file, errors.Join(err, k.recognise(file, ours)))
}

// smallestBlock returns the sector size of the device that a file is on.
func smallestBlock(file *os.File) unit.Bytes { return sectorOf(file) }
