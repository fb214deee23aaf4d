package cli

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"

	"opengauge/core/bench/book"
	"opengauge/core/input"
	"opengauge/core/storage/address"
	"opengauge/examples"
)

// openBench opens the target of an address, with its surroundings.
func openBench(ctx context.Context, r address.Request) (address.Opened, error) {
	demo, err := demoBook()
	if err != nil {
		return address.Opened{}, err
	}
	r.Demo, r.Version = demo, Version()
	opened, err := address.Open(ctx, r)
	if misused := (address.Misused{}); errors.As(err, &misused) {
		return opened, usageError{err}
	}
	return opened, err
}

// demoBook is the demo's bench book.
func demoBook() (book.Book, error) { return book.Parse(examples.BenchName, examples.Bench) }

// authorityFrom reads the certificate of an authority; nil is the system's own.
func authorityFrom(file string) (*tls.Config, error) {
	if file == "" {
		return nil, nil
	}
	source, err := input.ReadFile(file, input.Text)
	if err != nil {
		return nil, fmt.Errorf("--authority: %w", err)
	}
	pool := x509.NewCertPool()
	if !pool.AppendCertsFromPEM(source) {
		return nil, fmt.Errorf("--authority: %s holds no certificate", file)
	}
	return &tls.Config{RootCAs: pool, MinVersion: tls.VersionTLS12}, nil
}
