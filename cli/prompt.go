package cli

import (
	"bufio"
	"context"
	"os"
	"strings"
)

// answerTo is the line that a person types, or nothing once the context is over.
func answerTo(ctx context.Context) string {
	typed := make(chan string, 1)
	go func() {
		line, _ := bufio.NewReader(os.Stdin).ReadString('\n')
		typed <- strings.TrimSpace(line)
	}()
	select {
	case line := <-typed:
		return line
	case <-ctx.Done():
		return ""
	}
}
