package witness

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// hurry lists flags that shorten commands of the README. The first pattern that matches a command
// applies.
var hurry = []struct {
	pattern *regexp.Regexp
	flags   string
}{
	{regexp.MustCompile(`measure /media/\S+ --plan start`), " --size 8MiB"},
	{regexp.MustCompile(`measure /media`), " --size 8MiB --hold 50ms"},
	{regexp.MustCompile(`measure (nbd|wire):`), " --hold 50ms"},
	{regexp.MustCompile(`copy .*(--set|--among)`), " --size 8MiB"},
}

// here replaces the README's other machines by places in a test: a copy made by hand stayed in its
// source folder.
var here = strings.NewReplacer("wire://10.0.0.5", "wire://127.0.0.1", "copy --check /media/b", "copy --check /media/a")

// Tour returns the commands of the README that run the program, in their order, without the
// program's name and comments. Commands that would take minutes are shortened.
func Tour(tb testing.TB, readme string) []string {
	tb.Helper()
	text, err := os.ReadFile(readme)
	if err != nil {
		tb.Fatal(err)
	}
	var commands []string
	for _, match := range regexp.MustCompile(`(?m)^    bin/opengauge (.*)$`).FindAllStringSubmatch(string(text), -1) {
		command, _, _ := strings.Cut(match[1], " # ")
		command = here.Replace(strings.TrimSpace(command))
		for _, each := range hurry {
			if each.pattern.MatchString(command) {
				command += each.flags
				break
			}
		}
		commands = append(commands, command)
	}
	if len(commands) < 30 {
		tb.Fatalf("the README has %d commands", len(commands))
	}
	return commands
}

// TourAlone returns the commands of the [Tour] that need no server, for a place that [Furnish]
// made.
func TourAlone(tb testing.TB, readme string) []string {
	tb.Helper()
	var commands []string
	for _, command := range Tour(tb, readme) {
		if !strings.Contains(command, "standin") && !strings.Contains(command, "nbd://") &&
			!strings.Contains(command, "wire://") {
			commands = append(commands, strings.NewReplacer("/media/", "media/", "/home/me/", "home/", "~/", "home/").
				Replace(command))
		}
	}
	if len(commands) < 40 {
		tb.Errorf("the README has %d commands without a server", len(commands))
	}
	return commands
}

// Furnish makes the folders that the README's commands name, and a file to copy.
func Furnish(tb testing.TB, place string) {
	tb.Helper()
	for _, folder := range []string{"bin", "media/stick", "media/a", "media/b", "home/desk", "home/footage"} {
		if err := os.MkdirAll(filepath.Join(place, folder), 0o700); err != nil {
			tb.Fatal(err)
		}
	}
	film := filepath.Join(place, "home", "footage", "film.bin")
	if err := os.WriteFile(film, make([]byte, 1<<20), 0o600); err != nil {
		tb.Fatal(err)
	}
}
