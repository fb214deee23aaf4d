package target

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"

	"opengauge/core/bench/space"
	"opengauge/core/unit"
)

const (
	// largestFiller is the size of a filler file: small enough that one more
	// does not overshoot a level by much, large enough that there are few.
	largestFiller = unit.GiB
	fillerBlock   = unit.MiB
)

// FillTo fills the file system of the test file to a share of its capacity for users, with files beside it.
// Other files count too. It is refused for anything but a folder.
func (k *kernelFile) FillTo(ctx context.Context, share float64, data func(length int) []byte,
	progress func(share float64)) error {
	if k.home == nil {
		return errors.New("only a folder is filled with files; a device is filled by writing it")
	}
	for ctx.Err() == nil {
		usage, err := space.Of(k.description.Path)
		if err != nil {
			return explain("read the free space of", k.description.Path, err)
		}
		total := float64(usage.Used + usage.Free)
		if usage.Total == 0 || total == 0 {
			return fmt.Errorf("the file system of %s does not say how much is free, so it cannot be filled "+
				"to a level", k.description.Path)
		}
		progress(float64(usage.Used) / total)
		missing := unit.Bytes(share*total) - usage.Used
		if missing < fillerBlock {
			return nil
		}
		if room := usage.Free - reservedOf(usage); missing > room {
			return fmt.Errorf("filling %s to %.0f %% would leave less than the %s that stay reserved; use lower "+
				"levels or free some space",
				k.description.Path, share*100, reservedOf(usage).Decimal())
		}
		if err := k.addFiller(ctx, min(missing, largestFiller)/fillerBlock, data); err != nil {
			return err
		}
	}
	return nil
}

// addFiller writes one filler file.
func (k *kernelFile) addFiller(ctx context.Context, blocks unit.Bytes, data func(length int) []byte) error {
	file, _, err := createIn(k.home, "filler")
	if err != nil {
		return explain("create a filler file in", k.description.Path, err)
	}
	k.fillers = append(k.fillers, file)
	for at := unit.Bytes(0); at < blocks && ctx.Err() == nil; at++ {
		if _, err := file.WriteAt(data(int(fillerBlock)), int64(at*fillerBlock)); err != nil {
			return explain("fill", k.description.Path, err)
		}
	}
	return file.Sync()
}

// Free removes the filler files.
func (k *kernelFile) Free() error {
	var failed error
	for _, file := range k.fillers {
		info, sized := file.Stat()
		_ = file.Close()
		if err := os.Remove(file.Name()); err != nil && !errors.Is(err, fs.ErrNotExist) {
			failed = errors.Join(failed, fmt.Errorf("a filler file could not be removed, remove it by hand: %w", err))
			continue
		}
		k.home.Keep(file.Name())
		if sized == nil && k.freeing.Load() > 0 {
			k.freeing.Add(-info.Size())
		}
	}
	k.fillers = nil
	return failed
}
