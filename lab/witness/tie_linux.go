package witness

import (
	"os/exec"
	"syscall"
)

// Tie lets a program that a test starts end with the tests, however they end.
func Tie(command *exec.Cmd) {
	if command.SysProcAttr == nil {
		command.SysProcAttr = &syscall.SysProcAttr{}
	}
	command.SysProcAttr.Pdeathsig = syscall.SIGKILL
}
