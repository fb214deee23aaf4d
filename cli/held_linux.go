package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// heldByKernel says in what the kernel holds a thread of this process that no signal
// reaches (proc(5), /proc/pid/task/tid/stat, state D, and wchan), or nothing.
func heldByKernel() string {
	tasks, _ := filepath.Glob("/proc/self/task/*")
	for _, task := range tasks {
		status, err := os.ReadFile(filepath.Join(task, "stat"))
		if err != nil {
			continue
		}
		_, rest, _ := strings.Cut(string(status), ") ")
		if !strings.HasPrefix(rest, "D") {
			continue
		}
		in, _ := os.ReadFile(filepath.Join(task, "wchan"))
		if text := strings.TrimSpace(string(in)); text != "" && text != "0" {
			return fmt.Sprintf("the kernel holds a thread until the device answers, in %s", text)
		}
		return "the kernel holds a thread until the device answers"
	}
	return ""
}
