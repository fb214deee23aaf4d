package transfer

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"opengauge/core/storage/scratch"
	"opengauge/core/unit"
)

// Parts of the names of scratch files.
const (
	Sets   = "set"
	Copies = "copy"
)

// newFolder gives the path of a folder that is made at an end and removed again.
func (u *underWay) newFolder(end int, of string) (string, error) {
	if u.homes[end] == nil {
		home, err := scratch.In(u.Ends[end].Path)
		if err != nil {
			return "", fmt.Errorf("nothing can be made in %s: %w", u.Ends[end].Address, err)
		}
		u.homes[end] = home
	}
	return u.homes[end].Name(of)
}

// place gives the folder that a set is in at a source.
func (u *underWay) place(ctx context.Context, j job) (string, error) {
	if u.Own != "" {
		if info, err := os.Stat(u.Own); err == nil && !info.IsDir() {
			return filepath.Dir(u.Own), nil
		}
		return u.Own, nil
	}
	key := [2]int{j.from, j.set}
	if made, ok := u.made[key]; ok {
		return made, nil
	}
	folder, err := u.newFolder(j.from, Sets)
	if err != nil {
		return "", err
	}
	u.made[key] = folder
	set := u.Sets[j.set]
	step := Step{Label: fmt.Sprintf("making the set %s in %s", set.Name, u.Ends[j.from].Address),
		Progress: Progress{Total: set.Bytes()}}
	return folder, Make(ctx, folder, set, func(done unit.Bytes) { step.Bytes = done; u.tell(step) })
}

// cleanCopy removes the result of a piece of work, but for the last copy of each way where copies are kept.
func (u *underWay) cleanCopy(mover Mover, j job, last bool) error {
	folders, real := mover.(*Folders)
	if !real || j.to < 0 {
		return nil
	}
	if !u.Keep || j.work != Copying || !last {
		return folders.Clean()
	}
	if err := u.homes[j.to].Give(folders.Made, KeptName(folders.Made)); err != nil {
		return fmt.Errorf("the copy could not get the name under which it is kept: %w", err)
	}
	return nil
}

// KeptName returns the name of a copy that is kept.
func KeptName(made string) string { return strings.TrimSuffix(made, filepath.Ext(made)) }

// clean removes everything that was made and is not kept.
func (u *underWay) clean() error {
	if u.Removing != nil {
		u.Removing.Store(true)
		defer u.Removing.Store(false)
	}
	var failed error
	for _, home := range u.homes {
		failed = errors.Join(failed, home.Close())
	}
	return failed
}
