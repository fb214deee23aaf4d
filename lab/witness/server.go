// Package witness has storage, servers and counters outside of the program's control, for tests to
// hold the program against: each counts for itself what was done to it.
//
// Each belongs to the goroutine of the test that asks for it, and ends with it.
package witness

import (
	"bufio"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"opengauge/core/unit"
)

// Export is the name of a [Server]'s volume.
const Export = "lagoon"

// Server is a packaged server of volumes, which logs every request.
type Server struct {
	// Address is the target to give to the program.
	Address string
	log     string
	process *exec.Cmd
}

// Serve runs a server of a volume in memory, with more arguments for it: filters that
// delay requests or let them fail.
func Serve(tb testing.TB, size unit.Bytes, arguments ...string) *Server {
	tb.Helper()
	return serve(tb, append([]string{"memory", strconv.FormatInt(int64(size), 10)}, arguments...))
}

// ServeSlowFlush runs a server whose volume drops writes, and takes that many seconds for a flush.
func ServeSlowFlush(tb testing.TB, size unit.Bytes, seconds int) *Server {
	tb.Helper()
	return serve(tb, []string{"eval", fmt.Sprintf("get_size=echo %d", size), "pwrite=cat >/dev/null",
		"pread=head -c $3 /dev/zero", fmt.Sprintf("flush=sleep %d", seconds), "can_write=exit 0", "can_flush=exit 0"})
}

// serve runs the server with a plugin, its settings, and filters.
func serve(tb testing.TB, arguments []string) *Server {
	tb.Helper()
	if _, err := exec.LookPath("nbdkit"); err != nil {
		tb.Skip("nbdkit is not here (make tools)")
	}
	folder := tb.TempDir()
	s := &Server{log: filepath.Join(folder, "log")}
	socket := filepath.Join(folder, "s")
	s.Address = "nbd+unix:///" + Export + "?socket=" + socket
	all := []string{"-f", "-U", socket, "--exit-with-parent", "--filter=exportname", "--filter=log"}
	var settings []string
	for _, argument := range arguments { // filters go before the plugin, and settings behind it
		if strings.HasPrefix(argument, "-") {
			all = append(all, argument)
		} else {
			settings = append(settings, argument)
		}
	}
	all = append(append(all, settings...), "exportname="+Export, "logfile="+s.log)
	s.process = exec.Command("nbdkit", all...)
	Tie(s.process)
	if err := s.process.Start(); err != nil {
		tb.Fatal(err)
	}
	tb.Cleanup(func() { s.Kill(); _ = s.process.Wait() })
	for range 250 {
		if connection, err := net.Dial("unix", socket); err == nil {
			_ = connection.Close()
			return s
		}
		time.Sleep(20 * time.Millisecond)
	}
	tb.Fatal("the server does not begin")
	return nil
}

// Content is all that the volume holds, read by the packaged client.
func (s *Server) Content(tb testing.TB) []byte {
	tb.Helper()
	if _, err := exec.LookPath("nbdcopy"); err != nil {
		tb.Skip("nbdcopy is not here (make tools)")
	}
	file := filepath.Join(tb.TempDir(), "content")
	if out, err := exec.Command("nbdcopy", s.Address, file).CombinedOutput(); err != nil {
		tb.Fatalf("reading the volume: %v: %s", err, out)
	}
	content, err := os.ReadFile(file)
	if err != nil {
		tb.Fatal(err)
	}
	return content
}

// Kill ends the server without a word.
func (s *Server) Kill() { _ = s.process.Process.Kill() }

// Request is one that the server logged.
type Request struct {
	Write          bool
	Offset, Length int64
}

// Requests are all that were logged so far, in their order.
func (s *Server) Requests(tb testing.TB) []Request {
	tb.Helper()
	file, err := os.Open(s.log)
	if err != nil {
		tb.Fatal(err)
	}
	defer file.Close()
	var requests []Request
	lines := bufio.NewScanner(file)
	for lines.Scan() {
		if request, ok := parse(lines.Text()); ok {
			requests = append(requests, request)
		}
	}
	return requests
}

// Flushes returns the number of flushes that were logged so far, those under way included.
func (s *Server) Flushes(tb testing.TB) int {
	tb.Helper()
	text, err := os.ReadFile(s.log)
	if err != nil {
		tb.Fatal(err)
	}
	return strings.Count(string(text), " Flush id=")
}

// parse reads a line like "... connection=1 Read id=5 offset=0x1000 count=0x200 ...".
// Lines that say how a request ended have no offset.
func parse(line string) (Request, bool) {
	write := strings.Contains(line, " Write id=")
	if !write && !strings.Contains(line, " Read id=") {
		return Request{}, false
	}
	r := Request{Write: write}
	_, err := fmt.Sscanf(line[strings.Index(line, "offset="):], "offset=0x%x count=0x%x", &r.Offset, &r.Length)
	return r, err == nil
}

// SumMoved sums requests up.
func SumMoved(requests []Request) (read, written unit.Bytes) {
	for _, r := range requests {
		if r.Write {
			written += unit.Bytes(r.Length)
		} else {
			read += unit.Bytes(r.Length)
		}
	}
	return read, written
}

// TouchedBytes returns how much of a volume was written to, once or more, in pages.
func TouchedBytes(requests []Request) unit.Bytes {
	const page = 4096
	pages := map[int64]bool{}
	for _, r := range requests {
		if !r.Write {
			continue
		}
		for at := r.Offset / page; at*page < r.Offset+r.Length; at++ {
			pages[at] = true
		}
	}
	return unit.Bytes(len(pages)) * page
}
