package main

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// packaged are the systems for which there are packages, by the processors' names in the
// packagers' tongue.
var packaged = map[string]string{"linux/amd64": "amd64", "linux/arm64": "arm64", "linux/arm": "arm7",
	"linux/riscv64": "riscv64"}

// packages makes deb, rpm and apk packages for a Linux system, with the tool that nfpm.mod
// names.
func (r *release) packages(work, system, program string, e extras) error {
	architecture, ok := packaged[system]
	if !ok {
		return nil
	}
	var contents strings.Builder
	add := func(from, to string, mode int) error {
		whole, err := filepath.Abs(from)
		fmt.Fprintf(&contents, "  - {src: %q, dst: %q, file_info: {mode: 0%o, owner: root, group: root, mtime: %q}}\n",
			whole, to, mode, r.made.Format("2006-01-02T15:04:05Z"))
		return err
	}
	failed := add(program, "/usr/bin/opengauge", 0o755)
	for _, each := range e.files {
		if each.installed != "" {
			failed = errors.Join(failed, add(each.from, each.installed, 0o644))
		}
	}
	const rules = "60-opengauge.rules"
	failed = errors.Join(failed, add("lab/release/"+rules, "/usr/share/doc/opengauge/"+rules, 0o644))
	if failed != nil {
		return failed
	}
	text := fmt.Sprintf(`name: opengauge
arch: %s
platform: linux
version: %q
section: utils
priority: optional
maintainer: The founders of Open Gauge <founders@opengauge.example>
description: |-
  Measures storage and says what holds it back.
  For reviewers of drives, enclosures, adapters and cloud volumes.
homepage: %s
license: Apache-2.0
mtime: %q
rpm: {buildhost: opengauge.example}
contents:
%s`, architecture, r.version, r.base, r.made.Format("2006-01-02T15:04:05Z"), contents.String())
	file := filepath.Join(work, architecture+".yaml")
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		return err
	}
	for _, kind := range []string{"deb", "rpm", "apk"} {
		name := fmt.Sprintf("opengauge_%s_%s.%s", r.version, strings.TrimPrefix(system, "linux/"), kind)
		pack := exec.Command("go", "tool", "-modfile=lab/release/nfpm.mod", "nfpm", "package", "--config", file, "--packager",
			kind, "--target", filepath.Join(r.out, name))
		pack.Env = append(os.Environ(), fmt.Sprintf("SOURCE_DATE_EPOCH=%d", r.made.Unix()))
		if out, err := pack.CombinedOutput(); err != nil {
			return fmt.Errorf("packing %s: %w: %s", name, err, out)
		}
	}
	return nil
}
