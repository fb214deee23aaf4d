package target

import (
	"fmt"
	"strings"

	"opengauge/core/unit"
)

// guarded lists everything that keeps a device from being overwritten, on every system.
type guarded struct {
	path, serial string
	size         unit.Bytes
	// places are where it, or a part of it, is mounted, and system says that the system
	// runs from one of them.
	places []string
	system bool
	// holder is a device that stands on it, and parts is the number of its partitions.
	holder string
	parts  int
}

// identity is the text that --overwrite needs: the serial number, or where the device has none, its exact
// path and size.
func (g guarded) identity() string {
	if g.serial != "" {
		return g.serial
	}
	return fmt.Sprintf("%s:%d", g.path, g.size)
}

// mayOverwrite returns an error that says why a device is not overwritten, or nil. holds names its contents.
func (g guarded) mayOverwrite(options PathOptions, holds func() (string, error)) error {
	if options.Overwrite != g.identity() {
		kind := "serial number"
		if g.serial == "" {
			kind = "path and size, as it has no serial number"
		}
		return fmt.Errorf("%s is not overwritten: --overwrite has to give its %s, %s", g.path, kind, g.identity())
	}
	if g.system {
		return fmt.Errorf("%s is never overwritten: it is the system disk", g.path)
	}
	if len(g.places) > 0 {
		return fmt.Errorf("%s is not overwritten: it, or a part of it, is mounted at %s; unmount that first", g.path,
			strings.Join(g.places, ", "))
	}
	if g.holder != "" {
		return fmt.Errorf("%s is not overwritten: %s stands on it", g.path, g.holder)
	}
	return g.mayDestroy(options, holds)
}

// mayDestroy refuses a device that holds something, unless that is allowed.
func (g guarded) mayDestroy(options PathOptions, holds func() (string, error)) error {
	if options.OverwriteContents {
		return nil
	}
	held := ""
	if g.parts > 0 {
		held = fmt.Sprintf("%d partitions", g.parts)
	} else {
		var err error
		if held, err = holds(); err != nil {
			return err
		}
	}
	if held == "" {
		return nil
	}
	return fmt.Errorf("%s is not overwritten: it holds %s, which would be destroyed; add --overwrite-contents if "+
		"that is what you want", g.path, held)
}
