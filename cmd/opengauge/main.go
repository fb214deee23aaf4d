// Command opengauge measures storage and says what holds it back.
package main

import (
	"os"

	"opengauge/cli"
)

func main() {
	os.Exit(cli.Main(os.Args[1:], os.Stdout, os.Stderr))
}
