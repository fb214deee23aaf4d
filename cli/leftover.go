package cli

import (
	"bufio"
	"fmt"
	"os"
	"strings"

	"golang.org/x/term"

	"opengauge/core/storage/target"
	present "opengauge/present/term"
)

// offerLeftovers says which test files an earlier run left in the folder when
// it was killed, and removes them if that is wanted: by the flag, or by the
// answer of a person at a terminal.
func (e *environment) offerLeftovers(folder string, remove bool) error {
	screen := present.NewScreen(e.stderr)
	for _, left := range target.Leftovers(folder) {
		screen.Printf("left over from a run that was killed: %s (%s)\n", present.Clean(left.Path), left.Size.Capacity())
		if !remove && !e.agrees("remove it?") {
			screen.Println("it stays; remove it with --remove-leftovers, or by hand")
			continue
		}
		if err := os.Remove(left.Path); err != nil {
			return fmt.Errorf("removing a left-over test file: %w", err)
		}
		screen.Println("removed")
	}
	return nil
}

// agrees asks a person at a terminal. Without one the answer is no.
func (e *environment) agrees(question string) bool {
	if !present.NewScreen(e.stderr).Interactive || !term.IsTerminal(int(os.Stdin.Fd())) {
		return false
	}
	fmt.Fprintf(e.stderr, "%s [y/N] ", question)
	answer, _ := bufio.NewReader(os.Stdin).ReadString('\n')
	answer = strings.ToLower(strings.TrimSpace(answer))
	return answer == "y" || answer == "yes"
}
