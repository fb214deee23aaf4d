package sensor_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"opengauge/core/bench/sensor"
)

// A probe is a source of one temperature: here the last line of what a logger writes.
func ExampleParseProbe() {
	folder, err := os.MkdirTemp("", "opengauge-example-")
	if err != nil {
		fmt.Println(err)
		return
	}
	defer os.RemoveAll(folder)
	log := filepath.Join(folder, "logger.csv")
	if err := os.WriteFile(log, []byte("time,case\n0,31.5\n1,32.0\n"), 0o600); err != nil {
		fmt.Println(err)
		return
	}
	probe, err := sensor.ParseProbe("lid=csv:" + log + "#case")
	if err != nil {
		fmt.Println(err)
		return
	}
	reading, err := probe.Read(context.Background())
	fmt.Println(probe.Name(), reading.Temperatures, err)
	// Output:
	// the probe lid map[lid:32 °C] <nil>
}
