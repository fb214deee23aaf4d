package lab

import (
	"archive/tar"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"strings"
	"testing"
)

// modules are what the guest's kernel needs, each after those that it stands on.
var modules = []string{
	"crc64", "crct10dif_common", "crct10dif_generic", "crc-t10dif", "crc64_rocksoft_generic", "crc64-rocksoft",
	"t10-pi",
	"nvme-common", "nvme-core", "nvme",
	"scsi_common", "scsi_mod", "sd_mod", "libata", "libahci", "ahci", "drivetemp",
	"usb-common", "usbcore", "xhci-hcd", "xhci-pci", "usb-storage", "uas",
	"virtio_ring", "virtio", "virtio_pci_modern_dev", "virtio_pci_legacy_dev", "virtio_pci", "virtio_blk",
	"failover", "net_failover", "virtio_net",
	"crc32c_generic", "libcrc32c", "crc16", "mbcache", "jbd2", "ext4",
}

// optionalModules are built into some kernels, or not needed by some.
var optionalModules = map[string]bool{"nvme-common": true, "crc64": true, "crct10dif_generic": true,
	"crc64_rocksoft_generic": true}

// buildImage makes the guest's kernel and first file system from Debian's kernel
// package and this program.
func buildImage(t *testing.T, kernelPackage string) (kernel, initramfs string) {
	t.Helper()
	folder := t.TempDir()
	contents := unpackKernel(t, kernelPackage)
	files := map[string][]byte{}
	var order []string
	for _, name := range modules {
		content, ok := contents[name]
		if !ok {
			if optionalModules[name] {
				continue
			}
			t.Fatalf("%s holds no module %s", kernelPackage, name)
		}
		files["modules/"+name+".ko"] = content
		order = append(order, name+".ko")
	}
	files["modules/order"] = []byte(strings.Join(order, "\n"))
	files["init"] = built(t, folder, "opengauge/lab/guest")
	files["opengauge"] = built(t, folder, "opengauge/cmd/opengauge")
	kernel, initramfs = filepath.Join(folder, "vmlinuz"), filepath.Join(folder, "initramfs")
	write(t, kernel, contents["vmlinuz"])
	write(t, initramfs, archive(files))
	return kernel, initramfs
}

func write(t *testing.T, name string, content []byte) {
	t.Helper()
	if err := os.WriteFile(name, content, 0o600); err != nil {
		t.Fatal(err)
	}
}

// built gives a static program of this module.
func built(t *testing.T, folder, of string) []byte {
	t.Helper()
	name := filepath.Join(folder, path.Base(of))
	build := exec.Command("go", "build", "-trimpath", "-ldflags=-s -w", "-o", name, of)
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("building %s: %v\n%s", of, err, out)
	}
	content, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	return content
}

// eachPacked reads what is in a Debian package, file by file.
func eachPacked(t *testing.T, debian string, look func(header *tar.Header, content io.Reader)) {
	t.Helper()
	unpack := exec.Command("dpkg-deb", "--fsys-tarfile", debian)
	stream, err := unpack.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := unpack.Start(); err != nil {
		t.Skip("dpkg-deb cannot be run: ", err)
	}
	defer unpack.Wait()
	for packed := tar.NewReader(stream); ; {
		header, err := packed.Next()
		if errors.Is(err, io.EOF) {
			return
		}
		if err != nil {
			t.Fatalf("reading %s: %v", debian, err)
		}
		look(header, packed)
	}
}

// unpackKernel reads the kernel and the wanted modules out of a Debian package,
// by their bare names.
func unpackKernel(t *testing.T, kernelPackage string) map[string][]byte {
	t.Helper()
	wanted := map[string]bool{}
	for _, name := range modules {
		wanted[name] = true
	}
	found := map[string][]byte{}
	eachPacked(t, kernelPackage, func(header *tar.Header, content io.Reader) {
		base := path.Base(header.Name)
		name, isModule := strings.CutSuffix(base, ".ko")
		if strings.HasPrefix(base, "vmlinuz-") {
			name, isModule = "vmlinuz", true
		}
		if !isModule || name != "vmlinuz" && !wanted[name] {
			return
		}
		var err error
		if found[name], err = io.ReadAll(content); err != nil {
			t.Fatal(err)
		}
	})
	return found
}

// archive packs files as the kernel expects its first file system: a cpio
// archive of the "newc" form (Documentation/driver-api/early-userspace/
// buffer-format.rst).
func archive(files map[string][]byte) []byte {
	var packed bytes.Buffer
	inode := 0
	put := func(name string, mode int, content []byte) {
		inode++
		fmt.Fprintf(&packed, "070701%08x%08x%08x%08x%08x%08x%08x%08x%08x%08x%08x%08x%08x",
			inode, mode, 0, 0, 1, 0, len(content), 0, 0, 0, 0, len(name)+1, 0)
		packed.WriteString(name + "\x00")
		pad(&packed)
		packed.Write(content)
		pad(&packed)
	}
	const folder, program = 0o040755, 0o100755
	for _, name := range []string{"modules", "dev", "proc", "sys", "tmp"} {
		put(name, folder, nil)
	}
	for name, content := range files {
		put(name, program, content)
	}
	put("TRAILER!!!", 0, nil)
	return packed.Bytes()
}

// pad fills up to a multiple of four bytes.
func pad(packed *bytes.Buffer) {
	for packed.Len()%4 != 0 {
		packed.WriteByte(0)
	}
}
