package main

import (
	"archive/tar"
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"opengauge/lab/witness"
)

// asked skips what takes minutes, and what is fetched for it.
func asked(t *testing.T) {
	t.Helper()
	if os.Getenv("OPENGAUGE_RELEASE") == "" {
		t.Skip("set OPENGAUGE_RELEASE=1 to run (make release-check)")
	}
}

// atRoot is the project's folder, which releases are made in.
func atRoot(t *testing.T) {
	t.Helper()
	t.Chdir("../..")
}

// The version is that which the program says, and the systems are those that the gate builds
// for and that the documents name.
func TestWhatIsReleased(t *testing.T) {
	atRoot(t)
	version, err := versionOf("cli/version.go")
	if err != nil || !regexp.MustCompile(`^\d+\.\d+(\.\d+)?(-\w+)?$`).MatchString(version) {
		t.Errorf("the version is %q, %v", version, err)
	}
	if _, err := versionOf("Makefile"); err == nil {
		t.Error("the Makefile says a release")
	}
	platforms, err := os.ReadFile("docs/platforms.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, system := range systems {
		if !strings.Contains(string(platforms), "`"+system+"`") {
			t.Errorf("docs/platforms.md does not name %s", system)
		}
	}
	for system := range packaged {
		if !slices.Contains(systems, system) {
			t.Errorf("there are packages for %s, which the program is not built for", system)
		}
	}
}

// Archives are the same each time, belong to nobody, and say the commit's time.
func TestArchivesAreTheSameEachTime(t *testing.T) {
	folder := t.TempDir()
	program := filepath.Join(folder, "opengauge")
	if err := os.WriteFile(program, []byte("a program"), 0o700); err != nil {
		t.Fatal(err)
	}
	notes := filepath.Join(folder, "notes")
	if err := os.WriteFile(notes, []byte("notes"), 0o600); err != nil {
		t.Fatal(err)
	}
	r := release{version: "1.0", made: time.Date(2026, 11, 27, 8, 0, 0, 0, time.UTC)}
	var made []archive
	for _, name := range []string{"one", "other"} {
		r.out = filepath.Join(folder, name)
		if err := os.Mkdir(r.out, 0o700); err != nil {
			t.Fatal(err)
		}
		later := time.Now().Add(time.Hour)
		if err := os.Chtimes(program, later, later); err != nil {
			t.Fatal(err)
		}
		for _, system := range []string{"linux/amd64", "windows/amd64"} {
			a, err := r.pack(system, program, extras{files: []extra{{"notes", notes, ""}}})
			if err != nil {
				t.Fatal(err)
			}
			made = append(made, a)
		}
		if err := r.sums(); err != nil {
			t.Fatal(err)
		}
	}
	if err := alike(filepath.Join(folder, "one"), filepath.Join(folder, "other")); err != nil {
		t.Error(err)
	}
	if made[0].sum != made[2].sum || made[0].sum == made[1].sum || made[1].name != "opengauge-1.0-windows-amd64.zip" {
		t.Errorf("made are %+v", made)
	}
	file, err := os.Open(filepath.Join(folder, "one", made[0].name))
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	packed, err := gzip.NewReader(file)
	if err != nil {
		t.Fatal(err)
	}
	modes := map[string]int64{}
	for entries := tar.NewReader(packed); ; {
		header, err := entries.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		modes[header.Name] = header.Mode
		if header.Uid != 0 || header.Uname != "" || !header.ModTime.Equal(r.made) {
			t.Errorf("%s is of %d %q at %s", header.Name, header.Uid, header.Uname, header.ModTime)
		}
	}
	if len(modes) != 2 || modes["opengauge-1.0-linux-amd64/opengauge"] != 0o755 ||
		modes["opengauge-1.0-linux-amd64/notes"] != 0o644 {
		t.Errorf("it holds %v", modes)
	}
	if err := os.WriteFile(filepath.Join(folder, "other", "SHA256SUMS"), []byte("other"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := alike(filepath.Join(folder, "one"), filepath.Join(folder, "other")); err == nil {
		t.Error("what differs is not found")
	}
}

// What is committed is released, and nothing else: twice the same to the byte. In a clean
// Debian the package installs, takes the README's tour, and goes without a trace.
func TestThePackageInACleanDebian(t *testing.T) {
	asked(t)
	root := debian(t)
	folder := t.TempDir()
	clone := filepath.Join(folder, "clone")
	must(t, exec.Command("git", "clone", "--quiet", "../..", clone))
	t.Chdir(clone)
	out := filepath.Join(folder, "made")
	if err := run(out, "https://opengauge.example", []string{"linux/amd64"}, true); err != nil {
		t.Fatal(err)
	}
	packages, err := filepath.Glob(filepath.Join(out, "*_amd64.*"))
	if err != nil || len(packages) != 3 {
		t.Fatalf("packages are %q, %v", packages, err)
	}
	checkParts(t, out)
	check := exec.Command("sha256sum", "--quiet", "-c", "SHA256SUMS")
	check.Dir = out
	must(t, check)
	before := filesOf(t, root)
	must(t, exec.Command("cp", packages[1], filepath.Join(root, "opengauge.deb")))
	inside := func(command string) string {
		return must(t, exec.Command("chroot", root, "/bin/sh", "-c", "export HOME=/root LANG=C.UTF-8; "+command))
	}
	inside("dpkg -i /opengauge.deb && rm /opengauge.deb")
	if text := inside("opengauge --version"); !strings.Contains(text, "opengauge 0.") {
		t.Errorf("it says %q", text)
	}
	inside("test -s /usr/share/man/man1/opengauge-measure.1 && test -s /usr/share/bash-completion/completions/opengauge")
	place := filepath.Join(root, "root", "try")
	witness.Furnish(t, place)
	must(t, exec.Command("cp", "-r", "examples", place))
	for _, command := range witness.TourAlone(t, "README.md") {
		inside("cd /root/try && opengauge " + command)
	}
	inside("dpkg -r opengauge && rm -rf /root/try /root/.local")
	after := filesOf(t, root)
	for name := range after {
		if !before[name] && !strings.HasPrefix(name, "var/lib/dpkg") && !strings.HasPrefix(name, "var/log") {
			t.Errorf("%s is left behind", name)
		}
	}
}

// checkParts reads the list of parts: what the program is linked from, with versions.
func checkParts(t *testing.T, out string) {
	t.Helper()
	names, err := filepath.Glob(filepath.Join(out, "*.cdx.json"))
	if err != nil || len(names) != 1 {
		t.Fatalf("lists of parts are %q, %v", names, err)
	}
	text, err := os.ReadFile(names[0])
	if err != nil {
		t.Fatal(err)
	}
	var list struct {
		SpecVersion string
		Components  []struct{ Name, Version, Purl string }
	}
	if err := json.Unmarshal(text, &list); err != nil {
		t.Fatal(err)
	}
	found := map[string]string{}
	for _, each := range list.Components {
		found[each.Name] = each.Version
	}
	if list.SpecVersion != "1.5" || found["modernc.org/sqlite"] == "" || found["std"] == "" || len(found) < 30 {
		t.Errorf("%d parts are listed: %v", len(found), found)
	}
	if _, ok := found["honnef.co/go/tools"]; ok {
		t.Error("what only builds it is listed as a part")
	}
}

// must runs a command that has to succeed, and gives what it prints.
func must(t *testing.T, command *exec.Cmd) string {
	t.Helper()
	out, err := command.CombinedOutput()
	if err != nil {
		t.Fatalf("%s: %v\n%s", strings.Join(command.Args, " "), err, out)
	}
	return string(out)
}

// debian makes a clean root of Debian from where this machine has its own packages.
func debian(t *testing.T) string {
	t.Helper()
	if os.Getuid() != 0 {
		t.Skip("making a root of a system needs root")
	}
	if _, err := exec.LookPath("debootstrap"); err != nil {
		t.Skip("debootstrap is not here (make tools)")
	}
	told := must(t, exec.Command("apt-get", "indextargets", "--format", "$(REPO_URI) $(RELEASE)"))
	mirror, suite, ok := strings.Cut(strings.Split(told, "\n")[0], " ")
	if !ok {
		t.Fatalf("this machine does not say where its packages are: %q", told)
	}
	root := filepath.Join(t.TempDir(), "debian")
	must(t, exec.Command("debootstrap", "--variant=minbase", suite, root, mirror))
	return root
}

// filesOf lists a root.
func filesOf(t *testing.T, root string) map[string]bool {
	t.Helper()
	files := map[string]bool{}
	for _, line := range strings.Split(must(t, exec.Command("find", root, "-xdev", "-printf", "%P\\n")), "\n") {
		files[line] = true
	}
	return files
}

// What cannot be released is said before anything is made.
func TestWhatCannotBeReleased(t *testing.T) {
	atRoot(t)
	out := filepath.Join(t.TempDir(), "made")
	if err := run(out, "", []string{"plan9/mips"}, false); err == nil || !strings.Contains(err.Error(), "plan9/mips") {
		t.Errorf("another system: %v", err)
	}
	if err := os.Mkdir(out, 0o700); err != nil {
		t.Fatal(err)
	}
	r := release{out: out, made: time.Unix(0, 0), version: "1"}
	if err := r.make(); err == nil || !strings.Contains(fmt.Sprint(err), "remove it") {
		t.Errorf("a folder that is there: %v", err)
	}
}
