package opengauge_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// Every fuzz test is run by make fuzz, and every target says in make help what it does.
func TestTheMakefileIsComplete(t *testing.T) {
	makefile, err := os.ReadFile("Makefile")
	if err != nil {
		t.Fatal(err)
	}
	fuzz := regexp.MustCompile(`(?m)^func (Fuzz\w+)\(`)
	goFiles(t, func(name string) {
		source, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		for _, match := range fuzz.FindAllStringSubmatch(string(source), -1) {
			if entry := filepath.ToSlash(filepath.Dir(name)) + ":" + match[1]; !strings.Contains(string(makefile), entry) {
				t.Errorf("make fuzz does not run %s", entry)
			}
		}
	})
	for _, match := range regexp.MustCompile(`(?m)^([a-z-]+):([^=].*)?$`).FindAllStringSubmatch(string(makefile), -1) {
		if !strings.Contains(match[2], "## ") {
			t.Errorf("make %s does not say what it does", match[1])
		}
	}
}
