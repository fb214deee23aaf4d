package nbd

import (
	"fmt"
	"net"
	"net/url"
	"strings"
)

// Address says where an export is (doc/uri.md of the NBD project).
type Address struct {
	// Network and Host are for dialling: "tcp" and "host:port", or "unix" and a
	// path.
	Network, Host string
	// Name is the server's, for its certificate.
	Name   string
	Export string
	TLS    bool
}

// defaultPort is the port that IANA assigned.
const defaultPort = "10809"

// IsAddress says whether a target is named by an NBD address.
func IsAddress(text string) bool {
	scheme, _, found := strings.Cut(text, "://")
	switch scheme {
	case "nbd", "nbds", "nbd+unix", "nbds+unix":
		return found
	}
	return false
}

// ParseAddress reads nbd://HOST[:PORT]/EXPORT, nbds:// for TLS, and
// nbd+unix:///EXPORT?socket=PATH.
func ParseAddress(text string) (Address, error) {
	parsed, err := url.Parse(text)
	if err != nil || !IsAddress(text) {
		return Address{}, fmt.Errorf("%q is not the address of a volume; write one like nbd://host:10809/export or "+
			"nbd+unix:///export?socket=/path", text)
	}
	a := Address{Export: strings.TrimPrefix(parsed.Path, "/"), TLS: strings.HasPrefix(parsed.Scheme, "nbds"),
		Name: parsed.Hostname()}
	if len(a.Export) > longestName {
		return a, fmt.Errorf("the export's name has %d bytes; at most %d are allowed", len(a.Export), longestName)
	}
	if strings.HasSuffix(parsed.Scheme, "+unix") {
		a.Network, a.Host = "unix", parsed.Query().Get("socket")
		if a.Host == "" || parsed.Host != "" {
			return a, fmt.Errorf("%q needs a socket: nbd+unix:///export?socket=/path", text)
		}
		return a, nil
	}
	if a.Name == "" {
		return a, fmt.Errorf("%q names no host; write one like nbd://host:10809/export", text)
	}
	port := parsed.Port()
	if port == "" {
		port = defaultPort
	}
	a.Network, a.Host = "tcp", net.JoinHostPort(a.Name, port)
	return a, nil
}
