// Weight writes a table of the modules that the program is linked from: the purpose of each,
// its share of the program, and the processor time of compiling it.
//
// It runs on one goroutine.
package main

import (
	"bufio"
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"
)

// program is the package whose build is weighed.
const program = "./cmd/opengauge"

func main() {
	purposes := flag.String("purposes", "lab/weight/purposes.txt", "a `file` of modules and their purposes, a line each")
	out := flag.String("out", "docs/dependencies.md", "the `file` to write")
	flag.Parse()
	if err := run(*purposes, *out); err != nil {
		fmt.Fprintln(os.Stderr, "weight:", err)
		os.Exit(1)
	}
}

// module is one module that is linked.
type module struct {
	path, version string
	packages      int
	bytes         int64         // of its functions and data in the program
	compiling     time.Duration // processor time
}

// own and standard stand for the project's packages and the standard library's.
const (
	own      = "opengauge"
	standard = "standard library"
)

func run(purposesName, out string) error {
	purposes, err := readPurposes(purposesName)
	if err != nil {
		return err
	}
	w := &weights{modules: map[string]*module{}, moduleOf: map[string]string{}}
	if err := w.list(); err != nil {
		return err
	}
	folder, err := os.MkdirTemp("", "opengauge-weight-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	if err := w.build(folder); err != nil {
		return err
	}
	var missing []string
	for path := range w.modules {
		if purposes[path] == "" {
			missing = append(missing, path)
		}
	}
	if len(missing) > 0 {
		slices.Sort(missing)
		return fmt.Errorf("%s has no purpose for %s", purposesName, strings.Join(missing, ", "))
	}
	return os.WriteFile(out, []byte(w.table(purposes)), 0o644)
}

// readPurposes reads lines of a module's path, a tab or spaces, and its purpose.
func readPurposes(name string) (map[string]string, error) {
	file, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	purposes := map[string]string{}
	lines := bufio.NewScanner(file)
	for lines.Scan() {
		if path, purpose, ok := strings.Cut(lines.Text(), "\t"); ok {
			purposes[path] = strings.TrimSpace(purpose)
		}
	}
	return purposes, lines.Err()
}

// weights collects the weights of modules by path.
type weights struct {
	modules  map[string]*module
	moduleOf map[string]string // by package
	size     int64             // of the program as shipped, in bytes
	packages int
	linking  time.Duration
}

// list finds the packages that are linked and their modules.
func (w *weights) list() error {
	out, err := exec.Command("go", "list", "-deps", "-json=ImportPath,Standard,Module", program).Output()
	if err != nil {
		return fmt.Errorf("listing the packages of %s: %w", program, err)
	}
	for decoder := json.NewDecoder(bytes.NewReader(out)); ; {
		var each struct {
			ImportPath string
			Standard   bool
			Module     *struct{ Path, Version string }
		}
		if err := decoder.Decode(&each); errors.Is(err, io.EOF) {
			return nil
		} else if err != nil {
			return err
		}
		path, version := standard, ""
		if !each.Standard && each.Module != nil {
			path = each.Module.Path
			version = each.Module.Version
		}
		if w.modules[path] == nil {
			w.modules[path] = &module{path: path, version: version}
		}
		w.modules[path].packages++
		w.moduleOf[each.ImportPath] = path
		w.packages++
	}
}

// build builds the program twice in a cache of its own: as it ships, with every package
// compiled anew, and with its symbols.
func (w *weights) build(folder string) error {
	actions := filepath.Join(folder, "actions.json")
	shipped := filepath.Join(folder, "shipped")
	environment := append(os.Environ(), "CGO_ENABLED=0", "GOCACHE="+filepath.Join(folder, "cache"))
	for _, arguments := range [][]string{
		{"build", "-trimpath", "-ldflags=-s -w", "-debug-actiongraph=" + actions, "-o", shipped, program},
		{"build", "-trimpath", "-o", filepath.Join(folder, "symbols"), program},
	} {
		command := exec.Command("go", arguments...)
		command.Env = environment
		if out, err := command.CombinedOutput(); err != nil {
			return fmt.Errorf("go %s: %w\n%s", strings.Join(arguments, " "), err, out)
		}
	}
	info, err := os.Stat(shipped)
	if err != nil {
		return err
	}
	w.size = info.Size()
	if err := w.addCompiling(actions); err != nil {
		return err
	}
	return w.addSymbols(filepath.Join(folder, "symbols"))
}

// addCompiling adds the processor time of each package's build, in nanoseconds in the graph.
func (w *weights) addCompiling(name string) error {
	text, err := os.ReadFile(name)
	if err != nil {
		return err
	}
	var actions []struct {
		Mode, Package   string
		CmdUser, CmdSys time.Duration
	}
	if err := json.Unmarshal(text, &actions); err != nil {
		return fmt.Errorf("the graph of the build: %w", err)
	}
	for _, action := range actions {
		used := action.CmdUser + action.CmdSys
		switch path := w.moduleOf[action.Package]; {
		case action.Mode == "link":
			w.linking += used
		case path != "":
			w.modules[path].compiling += used
		}
	}
	return nil
}

// largestSymbol is far above the size of a function or a datum, in bytes. Larger symbols are the
// linker's tables of the whole program.
const largestSymbol = 1 << 20

// addSymbols adds the sizes of functions and data (go tool nm -size: address, size, kind, name).
func (w *weights) addSymbols(name string) error {
	out, err := exec.Command("go", "tool", "nm", "-size", name).Output()
	if err != nil {
		return fmt.Errorf("listing the symbols of the program: %w", err)
	}
	paths := slices.Sorted(maps.Keys(w.moduleOf))
	slices.SortFunc(paths, func(a, b string) int { return cmp.Compare(len(b), len(a)) }) // the longest that fits
	for line := range strings.Lines(string(out)) {
		fields := strings.Fields(line)
		if len(fields) < 4 || strings.EqualFold(fields[2], "b") { // zeros take no room in the file
			continue
		}
		size, err := strconv.ParseInt(fields[1], 10, 64)
		if err != nil || size > largestSymbol { // a table of the whole program
			continue
		}
		symbol := strings.TrimLeft(strings.TrimPrefix(strings.TrimPrefix(fields[3], "type:"), "go:itab."), ".*[]")
		path := standard
		for _, each := range paths {
			if strings.HasPrefix(symbol, each+".") {
				path = w.moduleOf[each]
				break
			}
		}
		w.modules[path].bytes += size
	}
	return nil
}

// head is the text above the table.
const head = `# Dependencies

Written by make weight from the program itself. It is linked from %d packages, takes %.1f MB as it ships,
and %.0f s of processor time to build where nothing is compiled yet, %.0f s of them to link.

MB is the size of a module's functions and data that are in the program; tables of the whole are in no row.
Seconds are processor time of compiling, on a machine with two cores.

`

func (w *weights) table(purposes map[string]string) string {
	var out strings.Builder
	compiling := w.linking
	for _, each := range w.modules {
		compiling += each.compiling
	}
	fmt.Fprintf(&out, head, w.packages, float64(w.size)/1e6, compiling.Seconds(), w.linking.Seconds())
	out.WriteString("| module | purpose | packages | MB | seconds |\n|---|---|---|---|---|\n")
	rows := slices.SortedFunc(maps.Values(w.modules), func(a, b *module) int {
		return cmp.Compare(b.compiling, a.compiling)
	})
	for _, each := range rows {
		name := strings.TrimSpace(each.path + " " + each.version)
		fmt.Fprintf(&out, "| %s | %s | %d | %.2f | %.1f |\n", name, purposes[each.path], each.packages,
			float64(each.bytes)/1e6, each.compiling.Seconds())
	}
	return out.String()
}
