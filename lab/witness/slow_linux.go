//go:build !arm

package witness

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"sync"
	"syscall"
	"testing"
	"time"
)

// Slow is a file system of one folder, whose files answer each read and write after a while, and
// count how many of them are under way at once. A process of its own serves it, so that it does
// not share a scheduler with the program that it watches.
type Slow struct {
	// Folder is where it is mounted.
	Folder string

	tb    testing.TB
	mutex sync.Mutex
	// requests and answers go to the process and come from it, one for one.
	requests *json.Encoder
	answers  *json.Decoder
}

// slowRequest asks the serving process for something.
type slowRequest struct {
	Verb    string
	Delay   time.Duration `json:",omitempty"`
	Failure syscall.Errno `json:",omitempty"`
	Every   int           `json:",omitempty"`
}

// slowAnswer is the serving process's answer. Failure says why nothing could be mounted.
type slowAnswer struct {
	Failure                   string `json:",omitempty"`
	Peak, Operations, Flushes int    `json:",omitempty"`
	Spoiled                   int    `json:",omitempty"`
	Held                      time.Duration
	Contents                  []byte `json:",omitempty"`
}

// slowVariable names the folder that a process is to serve: a test program that is started
// with it serves slow files, and runs no tests.
const slowVariable = "OPENGAUGE_WITNESS_SLOW"

func init() {
	if folder := os.Getenv(slowVariable); folder != "" {
		os.Exit(serveSlow(folder))
	}
}

// serveSlow serves slow files until the standard input ends.
func serveSlow(folder string) int {
	files := &slowFiles{}
	out := json.NewEncoder(os.Stdout)
	server, err := files.mount(folder)
	if err != nil {
		_ = out.Encode(slowAnswer{Failure: err.Error()})
		return 1
	}
	defer server.Unmount()
	if out.Encode(slowAnswer{}) != nil {
		return 1
	}
	for in := json.NewDecoder(os.Stdin); ; {
		var request slowRequest
		if in.Decode(&request) != nil || out.Encode(files.answer(request)) != nil {
			return 0
		}
	}
}

// Mount mounts slow files until the test ends.
func Mount(tb testing.TB, delay time.Duration) *Slow {
	tb.Helper()
	if os.Getuid() != 0 {
		tb.Skip("mounting a file system of the test's own needs root")
	}
	if _, err := os.Stat("/dev/fuse"); err != nil {
		tb.Skip("there is no /dev/fuse here")
	}
	self, err := os.Executable()
	if err != nil {
		tb.Fatal(err)
	}
	s := &Slow{Folder: tb.TempDir(), tb: tb}
	server := exec.Command(self)
	server.Env = append(os.Environ(), slowVariable+"="+s.Folder)
	server.Stderr = os.Stderr
	Tie(server)
	in, err := server.StdinPipe()
	if err != nil {
		tb.Fatal(err)
	}
	out, err := server.StdoutPipe()
	if err != nil {
		tb.Fatal(err)
	}
	if err := server.Start(); err != nil {
		tb.Fatal(err)
	}
	tb.Cleanup(func() { s.end(server, in) })
	s.requests = json.NewEncoder(in)
	s.answers = json.NewDecoder(out)
	var ready slowAnswer
	if err := s.answers.Decode(&ready); err != nil {
		tb.Fatal("serving slow files: ", err)
	}
	if ready.Failure != "" {
		tb.Skip("mounting a file system of the test's own: ", ready.Failure)
	}
	s.Hold(delay)
	return s
}

// end unmounts the files and ends their process, also while operations wait.
func (s *Slow) end(server *exec.Cmd, in io.Closer) {
	_ = syscall.Unmount(s.Folder, syscall.MNT_DETACH)
	_ = in.Close()
	_ = server.Process.Kill()
	_ = server.Wait()
}

// ask sends a request and returns the answer.
func (s *Slow) ask(request slowRequest) slowAnswer {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	var answer slowAnswer
	err := s.requests.Encode(request)
	if err == nil {
		err = s.answers.Decode(&answer)
	}
	if err != nil {
		s.tb.Error(fmt.Errorf("asking the process that serves %s: %w", s.Folder, err))
	}
	return answer
}

// Peak returns the greatest number of reads and writes under way at once since it was last
// asked, and how many began.
func (s *Slow) Peak() (peak, operations int) {
	answer := s.ask(slowRequest{Verb: "peak"})
	return answer.Peak, answer.Operations
}

// HoldTime returns for how long half of the operations were held at most, since it was last asked.
func (s *Slow) HoldTime() time.Duration { return s.ask(slowRequest{Verb: "held"}).Held }

// Flushes returns the number of flushes so far.
func (s *Slow) Flushes() int { return s.ask(slowRequest{Verb: "flushes"}).Flushes }

// Hold makes each operation from now on take that long.
func (s *Slow) Hold(each time.Duration) { s.ask(slowRequest{Verb: "hold", Delay: each}) }

// Fail makes all reads and writes from now on fail, or none with 0.
func (s *Slow) Fail(with syscall.Errno) { s.ask(slowRequest{Verb: "fail", Failure: with}) }

// Spoil makes every so many-th read or write from now on fail with an error, or with 0 move half of what it
// is asked to.
func (s *Slow) Spoil(every int, with syscall.Errno) {
	s.ask(slowRequest{Verb: "spoil", Every: every, Failure: with})
}

// Spoiled returns the number of reads and writes that were spoiled since it was last asked.
func (s *Slow) Spoiled() int { return s.ask(slowRequest{Verb: "spoiled"}).Spoiled }

// Contents returns the bytes of the first file.
func (s *Slow) Contents() []byte { return s.ask(slowRequest{Verb: "contents"}).Contents }
