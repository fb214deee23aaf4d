package network

import (
	"cmp"
	"net"
	"path"
	"slices"
	"strings"

	"opengauge/core/bench/kernel"
)

// Folder is a folder that is mounted here and kept by a server, or by the host of a
// virtual machine.
type Folder struct {
	At string `json:"at"`
	// Protocol is how it is reached ("nfs"), and Version which of it; empty is not known.
	Protocol string `json:"protocol"`
	Version  string `json:"version,omitempty"`
	// Server is empty for the host of a virtual machine; Address is where the system speaks
	// to it, and Share what of it is mounted.
	Server  string `json:"server,omitempty"`
	Address string `json:"address,omitempty"`
	Share   string `json:"share"`
	// Transport is what carries the protocol: "tcp", "rdma", "virtio".
	Transport string `json:"transport,omitempty"`
	Options   string `json:"options"`
	// Interface leads to the server; empty where that is not known.
	Interface string `json:"interface,omitempty"`
	// Number is that of the mounted file system, like "0:45".
	Number string `json:"-"`
}

// protocol is a kind of file system that somebody else keeps.
type protocol struct {
	name string
	// fileSystems are the kernel's names of it (proc(5), mountinfo).
	fileSystems []string
	read        func(m kernel.Mount, f *Folder)
}

// protocols are those that are known.
var protocols = []protocol{
	{"nfs", []string{"nfs", "nfs4"}, readNFS},
	{"smb", []string{"cifs", "smb3"}, readSMB},
	{"9p", []string{"9p"}, readNinep},
	{"virtiofs", []string{"virtiofs"}, readHost},
	{"sshfs", []string{"fuse.sshfs"}, readNFS},
	{"ceph", []string{"ceph"}, readCeph},
}

// servedNames are file systems that a server on a network keeps, by the names that the
// kernel and statfs(2) have for them.
var servedNames = []string{"nfs", "nfs4", "cifs", "smb", "smb2", "smb3", "9p", "v9fs", "ceph", "fuse.sshfs"}

// Served says whether a file system of that name is kept by a server, which may hang.
func Served(fileSystem string) bool { return slices.Contains(servedNames, strings.ToLower(fileSystem)) }

// Folders gives the folders among what is mounted that somebody else keeps, with the
// interface that leads there.
func (n Network) Folders(mounts []kernel.Mount) []Folder {
	found := []Folder{}
	for _, mount := range mounts {
		if f, ok := n.Folder(mount); ok {
			found = append(found, f)
		}
	}
	return found
}

// Folder is what a mount is of, if somebody else keeps it.
func (n Network) Folder(m kernel.Mount) (Folder, bool) {
	for _, p := range protocols {
		for _, kind := range p.fileSystems {
			if kind != m.FileSystem {
				continue
			}
			f := Folder{At: m.At, Protocol: p.name, Share: m.Source, Options: m.Options, Number: m.Number}
			p.read(m, &f)
			if host := cmp.Or(f.Address, f.Server); host != "" {
				f.Interface = n.Route(host)
			}
			return f, true
		}
	}
	return Folder{}, false
}

// option is the value of one of a mount's options; empty where it has none.
func option(options, name string) string {
	for _, each := range strings.Split(options, ",") {
		if value, ok := strings.CutPrefix(each, name+"="); ok {
			return value
		}
	}
	return ""
}

// readNFS reads "host:/export", where the host may be an address in brackets (nfs(5)).
func readNFS(m kernel.Mount, f *Folder) {
	host, share, ok := strings.Cut(m.Source, ":/")
	if ok {
		f.Server, f.Share = strings.Trim(host, "[]"), "/"+share
	}
	if _, behind, named := strings.Cut(f.Server, "@"); named {
		f.Server = behind
	}
	f.Version, f.Address = option(m.Options, "vers"), option(m.Options, "addr")
	f.Transport = option(m.Options, "proto")
}

// readSMB reads "//host/share" (mount.cifs(8)).
func readSMB(m kernel.Mount, f *Folder) {
	host, share, _ := strings.Cut(strings.TrimPrefix(strings.ReplaceAll(m.Source, `\`, "/"), "//"), "/")
	f.Server, f.Share, f.Transport = host, share, "tcp"
	f.Version, f.Address = option(m.Options, "vers"), option(m.Options, "addr")
	if strings.Contains(","+m.Options+",", ",rdma,") {
		f.Transport = "rdma"
	}
}

// readNinep reads a tag of the host's, or an address (Documentation/filesystems/9p.rst).
func readNinep(m kernel.Mount, f *Folder) {
	f.Version, f.Transport = option(m.Options, "version"), option(m.Options, "trans")
	if f.Version == "" { // what the kernel takes since 3.8
		f.Version = "9p2000.L"
	}
	if net.ParseIP(m.Source) != nil || f.Transport == "tcp" {
		f.Server = m.Source
		f.Share = cmp.Or(option(m.Options, "aname"), "/")
	}
}

// readHost is of a file system whose device is in the machine itself.
func readHost(_ kernel.Mount, f *Folder) { f.Transport = "virtio" }

// readCeph reads "host1:port,host2:port:/path" (mount.ceph(8)).
func readCeph(m kernel.Mount, f *Folder) {
	hosts, share, ok := strings.Cut(m.Source, ":/")
	if !ok {
		return
	}
	f.Share = "/" + share
	f.Server, _, _ = strings.Cut(hosts, ",")
	if host, _, err := net.SplitHostPort(f.Server); err == nil {
		f.Server = host
	}
}

// Title says what a folder is in a few words: "nfs 4.2 from 10.0.0.2:/export".
func (f Folder) Title() string {
	title := f.Protocol
	if f.Version != "" {
		title += " " + f.Version
	}
	if f.Server == "" {
		return title + " from this machine's host: " + f.Share
	}
	return title + " from " + f.Server + ": " + path.Join("/", f.Share)
}
