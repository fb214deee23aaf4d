package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/standin"
	"opengauge/core/storage/nbd"
	"opengauge/core/storage/sim"
	"opengauge/core/unit"
)

func newStandin(env *environment) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "standin",
		Short: "Serve a small stand-in for something that is not on the bench",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	cmd.AddCommand(newStandinVolume(env), newStandinWire(env))
	return cmd
}

// standinFlags holds the flags of standin volume.
type standinFlags struct {
	listen, export, size, file, script                string
	iops, throughput, burst, burstThroughput, credits string
	latency                                           time.Duration
	jitter                                            string
	unlimited, readOnly                               bool
}

func newStandinVolume(env *environment) *cobra.Command {
	f := &standinFlags{}
	cmd := &cobra.Command{
		Use:   "volume",
		Short: "Serve a simulated cloud volume over NBD",
		Long: `Volume serves a volume in memory, or in a file, over the NBD protocol, held to
provisioned limits: operations and bytes a second, a bucket of burst credits that
drains and refills, latency, and faults on a script. Any NBD client may attach it.
With --unlimited it serves a second export, NAME-unlimited, which shows what the
network alone carries.

It listens on loopback unless told otherwise, prints a line when it is ready, and
stops on SIGTERM. A script is YAML: acts with the time at which they happen; see
docs/formats.md.`,
		Example: `  opengauge standin volume --iops 3000 --throughput 125MB/s
  opengauge standin volume --iops 1500 --throughput 125MB/s --burst 3000 --credits 450000 --latency 700us --unlimited
  opengauge measure nbd://127.0.0.1:10809/volume --overwrite volume`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return env.standinVolume(cmd.Context(), f) },
	}
	set := cmd.Flags()
	set.StringVar(&f.listen, "listen", "127.0.0.1:10809", "where to listen: host:port, or a path for a socket")
	set.StringVar(&f.export, "export", "volume", "the export's name")
	set.StringVar(&f.size, "size", "1GiB", "how much it holds")
	set.StringVar(&f.file, "file", "", "keep it in this file instead of in memory")
	set.StringVar(&f.iops, "iops", "3000", "operations a second that are provisioned")
	set.StringVar(&f.throughput, "throughput", "125MB/s", "bytes a second that are provisioned")
	set.StringVar(&f.burst, "burst", "", "operations a second while there are credits")
	set.StringVar(&f.burstThroughput, "burst-throughput", "", "bytes a second while there are credits (default as "+
		"provisioned)")
	set.StringVar(&f.credits, "credits", "", "how many credits the bucket holds, each for one operation; it earns "+
		"--iops a second")
	set.DurationVar(&f.latency, "latency", 0, "latency of every request")
	set.StringVar(&f.jitter, "jitter", "0%", "spread of the latency, as a share of it")
	set.StringVar(&f.script, "script", "", "faults and changes, FILE.yaml")
	set.BoolVar(&f.unlimited, "unlimited", false, "serve the same without limits too, as NAME-unlimited")
	set.BoolVar(&f.readOnly, "read-only", false, "serve it for reading only")
	return cmd
}

// volume reads the limits. Every error is one of usage.
func (f *standinFlags) volume() (sim.Volume, error) {
	v := sim.Volume{Name: f.export, Latency: f.latency}
	var err error
	number := func(flag, text string, into *float64) {
		if err == nil && text != "" {
			if *into, err = strconv.ParseFloat(text, 64); err != nil || !(*into > 0) {
				err = fmt.Errorf("--%s %q is not a number above 0", flag, text)
			}
		}
	}
	rate := func(flag, text string, into *unit.BytesPerSecond) {
		if err == nil && text != "" {
			if *into, err = unit.ParseRate(text); err != nil || *into <= 0 {
				err = fmt.Errorf("--%s %q is not a rate above 0, like 125MB/s", flag, text)
			}
		}
	}
	number("iops", f.iops, &v.IOPS)
	rate("throughput", f.throughput, &v.Throughput)
	number("burst", f.burst, &v.Burst.IOPS)
	rate("burst-throughput", f.burstThroughput, &v.Burst.Throughput)
	number("credits", f.credits, &v.Burst.Credits)
	if err == nil && (f.burst == "") != (f.credits == "") {
		err = errors.New("--burst and --credits go together")
	}
	if v.Burst.Throughput == 0 {
		v.Burst.Throughput = v.Throughput
	}
	jitter, parsed := strconv.ParseFloat(strings.TrimSuffix(f.jitter, "%"), 64)
	if err == nil && (parsed != nil || jitter < 0 || jitter > 100) {
		err = fmt.Errorf("--jitter %q is not a share like 20%%", f.jitter)
	}
	v.Jitter = jitter / 100
	if err == nil && f.latency < 0 {
		err = errors.New("--latency cannot be negative")
	}
	return v, err
}

func (f *standinFlags) backing() (nbd.Backing, error) {
	size, err := unit.ParseBytes(f.size)
	if err != nil || size < 4096 || size > 1<<40 {
		return nil, usageError{fmt.Errorf("--size %q is not a size from 4KiB to 1TiB", f.size)}
	}
	if f.file != "" {
		return nbd.OpenFile(f.file, int64(size))
	}
	const mostInMemory = 64 * unit.GiB
	if size > mostInMemory {
		return nil, usageError{fmt.Errorf("--size %s does not go into memory; keep it in a --file", size)}
	}
	return nbd.NewMemory(int64(size)), nil
}

func (e *environment) standinVolume(ctx context.Context, f *standinFlags) error {
	limits, err := f.volume()
	if err != nil {
		return usageError{err}
	}
	var script []standin.Act
	if f.script != "" {
		if script, err = standin.LoadScript(f.script); err != nil {
			return usageError{err}
		}
	}
	backing, err := f.backing()
	if err != nil {
		return err
	}
	network := "tcp"
	if strings.Contains(f.listen, "/") {
		network = "unix"
	}
	listener, err := net.Listen(network, f.listen)
	if err != nil {
		return fmt.Errorf("could not listen at %s: %w", f.listen, err)
	}
	log := e.timedLog()
	volume := standin.NewVolume(limits, script, log)
	server := &nbd.Server{Log: log,
		Exports: []nbd.Served{{Name: f.export, Backing: backing, ReadOnly: f.readOnly, Admit: volume.Admit}}}
	if f.unlimited {
		server.Exports = append(server.Exports, nbd.Served{Name: f.export + "-unlimited", Backing: backing,
			ReadOnly: f.readOnly})
	}
	volume.Disconnect = server.Disconnect
	stop := make(chan struct{})
	go volume.Run(stop)
	go func() {
		<-ctx.Done()
		_ = listener.Close()
		server.Close()
	}()
	address := "nbd://" + listener.Addr().String() + "/" + f.export
	if network == "unix" {
		address = "nbd+unix:///" + f.export + "?socket=" + f.listen
	}
	log(fmt.Sprintf("ready: %s holds %s, %.0f IOPS, %s", address, unit.Bytes(backing.Size()).Capacity(), limits.IOPS,
		unit.Decimal.Rate(limits.Throughput)))
	err = server.Serve(listener)
	close(stop)
	log("stopped")
	return err // what clients wanted to be stable they flushed
}
