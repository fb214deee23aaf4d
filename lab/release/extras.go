package main

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"opengauge/cli"
)

// extras is what comes with the program.
type extras struct {
	files []extra
}

// extra is a file that comes with the program. installed is where it is on Linux, or empty.
type extra struct{ name, from, installed string }

// release is the version, as the program has it.
var releaseLine = regexp.MustCompile(`(?m)\brelease\s*=\s*"([^"]+)"`)

func versionOf(file string) (string, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return "", err
	}
	found := releaseLine.FindSubmatch(text)
	if found == nil {
		return "", fmt.Errorf("%s says no release", file)
	}
	return string(found[1]), nil
}

// extras writes manuals and completions, and lists the documents.
func (r *release) extras(folder string) (extras, error) {
	var e extras
	for _, name := range []string{"LICENSE", "NOTICE", "README.md", "CHANGELOG.md", "docs/platforms.md"} {
		e.files = append(e.files, extra{filepath.Base(name), name, "/usr/share/doc/opengauge/" + filepath.Base(name)})
	}
	tree := cli.Tree()
	tree.DisableAutoGenTag = true
	manuals := filepath.Join(folder, "man1")
	if err := os.MkdirAll(manuals, 0o755); err != nil {
		return e, err
	}
	header := &doc.GenManHeader{Title: "OPENGAUGE", Section: "1", Date: &r.made, Source: "opengauge " + r.version,
		Manual: "Open Gauge"}
	if err := doc.GenManTree(tree, header, manuals); err != nil {
		return e, fmt.Errorf("writing manuals: %w", err)
	}
	pages, err := os.ReadDir(manuals)
	if err != nil {
		return e, err
	}
	for _, page := range pages {
		e.files = append(e.files, extra{"man/man1/" + page.Name(), filepath.Join(manuals, page.Name()),
			"/usr/share/man/man1/" + page.Name()})
	}
	if err := e.completions(tree, folder); err != nil {
		return e, err
	}
	slices.SortFunc(e.files, func(a, b extra) int { return strings.Compare(a.name, b.name) })
	return e, nil
}

// completions are those of shells.
func (e *extras) completions(tree *cobra.Command, folder string) error {
	for _, shell := range []struct {
		name, installed string
		write           func(*bytes.Buffer) error
	}{
		{"opengauge.bash", "/usr/share/bash-completion/completions/opengauge",
			func(out *bytes.Buffer) error { return tree.GenBashCompletionV2(out, true) }},
		{"opengauge.zsh", "/usr/share/zsh/vendor-completions/_opengauge",
			func(out *bytes.Buffer) error { return tree.GenZshCompletion(out) }},
		{"opengauge.fish", "/usr/share/fish/vendor_completions.d/opengauge.fish",
			func(out *bytes.Buffer) error { return tree.GenFishCompletion(out, true) }},
		{"opengauge.ps1", "", func(out *bytes.Buffer) error { return tree.GenPowerShellCompletionWithDesc(out) }},
	} {
		var out bytes.Buffer
		if err := shell.write(&out); err != nil {
			return fmt.Errorf("writing the completion %s: %w", shell.name, err)
		}
		file := filepath.Join(folder, shell.name)
		if err := os.WriteFile(file, out.Bytes(), 0o644); err != nil {
			return err
		}
		e.files = append(e.files, extra{"completions/" + shell.name, file, shell.installed})
	}
	return nil
}
