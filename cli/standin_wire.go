package cli

import (
	"context"
	"fmt"
	"net"
	"slices"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"opengauge/core/bench/survey"
	"opengauge/core/storage/wire"
	"opengauge/present/term"
)

func newStandinWire(env *environment) *cobra.Command {
	listen := ""
	cmd := &cobra.Command{
		Use:   "wire",
		Short: "Be the other end of a network, to measure what it alone carries",
		Long: `Wire is the other end for a measurement of the network between two machines, with
no storage behind it: what is read comes from memory that lies ready, and what is
written is dropped as it arrives. Measure wire://HOST:PORT from the other machine:
reads are what comes in there, writes are what goes out, mixed is both at once, and
workers are streams. A slow server and a slow network are told apart so.

It listens on loopback unless told otherwise, prints a line when it is ready, and
stops on SIGTERM. It keeps nothing that it is sent; anybody who reaches it can make
the network busy, so stop it when you are done.`,
		Example: `  opengauge standin wire --listen 0.0.0.0:10808
  opengauge measure wire://10.0.0.5:10808 --name cellar-network`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return env.standinWire(cmd.Context(), listen) },
	}
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:"+wire.Port, "where to listen: host:port")
	return cmd
}

func (e *environment) standinWire(ctx context.Context, listen string) error {
	if _, _, err := net.SplitHostPort(listen); err != nil {
		return usageError{fmt.Errorf("--listen %q is not host:port, like 0.0.0.0:%s", listen, wire.Port)}
	}
	listener, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("could not listen at %s: %w", listen, err)
	}
	log := e.timedLog()
	server := wire.NewServer(ourEnd)
	server.Log = log
	go func() {
		<-ctx.Done()
		_ = listener.Close()
		server.Close()
	}()
	log("ready: measure " + wire.Scheme + listener.Addr().String() + " from the other machine, by an address of this one")
	err = server.Serve(listener)
	log("stopped")
	return err
}

// ourEnd describes this end of a wire to the other: its links, the nearest to the network first.
func ourEnd(client net.Addr) wire.Far {
	far := wire.Far{Program: Version()}
	if address, ok := client.(*net.TCPAddr); ok {
		way, _ := survey.Here().WayTo(address.IP.String())
		far.Hops = slices.Clone(way.Hops)
		slices.Reverse(far.Hops)
	}
	return far
}

// timedLog prints lines with the seconds since now in front, from any goroutine.
func (e *environment) timedLog() func(text string) {
	screen, began := term.NewScreen(e.stdout), time.Now()
	var mutex sync.Mutex
	return func(text string) {
		mutex.Lock()
		defer mutex.Unlock()
		screen.Printf("%8.2f s  %s\n", time.Since(began).Seconds(), term.Clean(text))
	}
}
