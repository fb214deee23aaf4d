//go:build linux

package main

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

const diskSize = 32 << 20

// disk makes a block device of a file.
func (b *bench) disk(name string) (device, image string, err error) {
	image = filepath.Join(b.folder, name)
	if err := os.WriteFile(image, nil, 0o600); err != nil {
		return "", "", err
	}
	if err := os.Truncate(image, diskSize); err != nil {
		return "", "", err
	}
	out, err := exec.Command("losetup", "--find", "--show", "--direct-io=off", image).CombinedOutput()
	if err != nil {
		return "", "", fmt.Errorf("%w: %s", errSkipped, out)
	}
	device = strings.TrimSpace(string(out))
	b.undo = append(b.undo, func() { _ = exec.Command("losetup", "--detach", device).Run() })
	return device, image, nil
}

// longPlan writes, reads for a while, in which the device fails, and would write again.
const longPlan = `plan: long
steps:
  - sweep: {operation: write, access: random, block: 4KiB, depth: 4, hold: 500ms}
  - sweep: {operation: read, access: random, block: [4KiB, 16KiB, 64KiB], depth: 4, hold: 1s}
  - sweep: {operation: write, access: random, block: [4KiB, 64KiB], depth: 4, hold: 500ms}
`

// deviceSwap lets a device fail at some moment, and puts another one behind its path: one that holds files,
// an empty one, or one with the data of another run.
func deviceSwap(b *bench) error {
	if os.Geteuid() != 0 {
		return errSkipped
	}
	disk, image, err := b.disk("disk")
	if err != nil {
		return err
	}
	bystander, _, err := b.disk("bystander")
	if err != nil {
		return err
	}
	link := filepath.Join(b.folder, "by-path")
	named := fmt.Sprintf("%s:%d", link, diskSize)
	relink := func(to string) { _ = os.Remove(link); _ = os.Symlink(to, link) }
	way := []string{"files", "nothing", "another run's data"}[b.chance.IntN(3)]
	switch b.phase = way; way {
	case "files":
		if out, err := exec.Command("mkfs.ext4", "-q", "-F", bystander).CombinedOutput(); err != nil {
			return fmt.Errorf("%w: %s", errSkipped, out)
		}
	case "another run's data":
		relink(bystander)
		if got := b.run("measure", link, "--plan", b.plan(), "--overwrite", named); got.code != 0 {
			return fmt.Errorf("measuring the bystander: %s", got.stderr)
		}
	}
	before, err := os.ReadFile(bystander)
	if err != nil {
		return err
	}
	relink(disk)
	long := filepath.Join(b.folder, "long.yaml")
	if err := os.WriteFile(long, []byte(longPlan), 0o600); err != nil {
		return err
	}
	delay := b.after(2 * time.Second)
	got := b.watch(b.command("measure", link, "--plan", long, "--overwrite", named, "--overwrite-contents",
		"--return-within", "3s"), func(_ *os.Process, said *heard, ended <-chan struct{}) {
		whenSaid(said, "pass 1/", ended)
		pause(delay, ended)
		_ = os.Truncate(image, 0) // nothing of it can be read any more
		relink(bystander)
	})
	after, err := os.ReadFile(bystander)
	if err != nil {
		return err
	}
	if got.code == 0 {
		b.phase += ", came too late"
	}
	var touched error
	if !bytes.Equal(before, after) {
		touched = errors.New("bytes of the bystander were changed")
	}
	if got.code > 1 || strings.Contains(got.stderr, "panic:") {
		touched = errors.Join(touched, fmt.Errorf("exit %d: %s", got.code, got.stderr))
	}
	return errors.Join(touched, b.holdsUp())
}
