package cli_test

import (
	"bufio"
	"fmt"
	"math"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"opengauge/core/record/session"
	"opengauge/lab/night"
	"opengauge/lab/witness"
)

// quay is the address of this machine on the wire of the hosts that [berths] makes.
const quay = "10.99.0.1"

// networks counts those that [berths] has made. One at a time has the address of the quay.
var (
	networks atomic.Int32
	quayside sync.Mutex
)

// berths makes hosts in namespaces of the kernel on one bridge with this machine, of which some
// get so many bits a second at the most, and gives what runs a program on each.
func berths(t *testing.T, megabits []int) [][]string {
	t.Helper()
	needs(t, "ip", "tc")
	if os.Getuid() != 0 {
		t.Skip("only root makes namespaces of the network")
	}
	do := func(line string) {
		t.Helper()
		words := strings.Fields(line)
		if out, err := exec.Command(words[0], words[1:]...).CombinedOutput(); err != nil {
			t.Skipf("this kernel does not let a network be made (%s): %v: %s", line, err, out)
		}
	}
	quayside.Lock()
	t.Cleanup(quayside.Unlock)
	removeStaleNetworks()
	// The kernel takes a network down some time after it was deleted, so that each has names of its own.
	network := fmt.Sprintf("%d%c", os.Getpid()%100000, 'a'+networks.Add(1)-1)
	bridge := "og" + network
	do("ip link add " + bridge + " type bridge")
	t.Cleanup(func() { _ = exec.Command("ip", "link", "delete", bridge).Run() })
	do("ip address add " + quay + "/24 dev " + bridge)
	do("ip link set " + bridge + " up")
	hosts := make([][]string, len(megabits))
	for i, limit := range megabits {
		name := fmt.Sprintf("%s%s-%d", berth, network, i)
		hosts[i] = []string{"ip", "netns", "exec", name}
		near := nearEnd(hosts[i])
		do("ip netns add " + name)
		t.Cleanup(func() { _ = exec.Command("ip", "netns", "delete", name).Run() })
		do(fmt.Sprintf("ip link add %s type veth peer name quay netns %s", near, name))
		do(fmt.Sprintf("ip link set %s master %s up", near, bridge))
		do(fmt.Sprintf("ip -n %s address add 10.99.0.%d/24 dev quay", name, i+11))
		do(fmt.Sprintf("ip -n %s link set quay up", name))
		do(fmt.Sprintf("ip -n %s link set lo up", name))
		if limit > 0 {
			do(fmt.Sprintf("tc qdisc add dev %s root tbf rate %dmbit burst 32kb latency 100ms", near, limit))
		}
	}
	return hosts
}

// removeStaleNetworks removes the networks of test programs that were killed: two bridges of one address lead
// nowhere. Their names begin with the number of a process that is gone.
func removeStaleNetworks() {
	links, _ := filepath.Glob("/sys/class/net/og*/bridge")
	for _, link := range links {
		bridge := filepath.Base(filepath.Dir(link))
		process := strings.TrimRight(strings.TrimPrefix(bridge, "og"), "abcdefghijklmnopqrstuvwxyz")
		if _, err := os.Stat("/proc/" + process); err == nil {
			continue
		}
		_ = exec.Command("ip", "link", "delete", bridge).Run()
		hosts, _ := filepath.Glob("/run/netns/" + berth + strings.TrimPrefix(bridge, "og") + "-*")
		for _, host := range hosts {
			_ = exec.Command("ip", "netns", "delete", filepath.Base(host)).Run()
		}
	}
}

// berth begins the names of the hosts' namespaces.
const berth = "berth-"

// nearEnd is this machine's end of the link to a host.
func nearEnd(host []string) string { return "og" + strings.TrimPrefix(host[len(host)-1], berth) }

// labAt starts a server that hosts on the wire reach, with a logbook of docs/lab.md's roles, and gives
// the address of that.
func labAt(t *testing.T) (server *witness.Postgres, address string) {
	t.Helper()
	server, err := witness.NewPostgres("127.0.0.1", quay)
	if err != nil {
		t.Skip("no PostgreSQL server here (make tools): ", err)
	}
	t.Cleanup(server.Remove)
	for _, statement := range []string{`CREATE ROLE crew LOGIN PASSWORD '` + crewPassword + `'`, `CREATE DATABASE lab OWNER crew`} {
		if _, err := server.Ask("postgres", statement); err != nil {
			t.Fatal(err)
		}
	}
	return server, fmt.Sprintf("postgres://crew@%s:%d/lab?sslrootcert=%s", quay, server.Port, server.Authority())
}

// cappedVolume serves a volume in memory to the wire, whose server holds all of it to a rate and logs
// every request.
func cappedVolume(t *testing.T, megabits int) (address, log string) {
	t.Helper()
	return cappedBy(t, fmt.Sprintf("rate=%d", megabits*1_000_000))
}

// cappedBy is a [cappedVolume] whose rate is said in the server's own words.
func cappedBy(t *testing.T, rate string) (address, log string) {
	t.Helper()
	needs(t, "nbdkit")
	free, err := net.Listen("tcp", quay+":0")
	if err != nil {
		t.Fatal(err)
	}
	port := free.Addr().(*net.TCPAddr).Port
	_ = free.Close()
	log = filepath.Join(t.TempDir(), "log")
	command := exec.Command("nbdkit", "-f", "-i", quay, "-p", strconv.Itoa(port), "--exit-with-parent", "--filter=log",
		"--filter=rate", "memory", "256M", "logfile="+log, rate, "burstiness=0.1")
	witness.Tie(command)
	if err := command.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = command.Process.Kill(); _ = command.Wait() })
	if err := awaitListener(net.JoinHostPort(quay, strconv.Itoa(port))); err != nil {
		t.Fatal("nbdkit does not answer: ", err)
	}
	return fmt.Sprintf("nbd://%s:%d/", quay, port), log
}

// servedTo is what the server's log says of a connection.
type servedTo struct {
	first time.Time
	bytes []served
}

type served struct {
	at    time.Time
	bytes float64
}

var readLine = regexp.MustCompile(`^(\S+ \S+) connection=(\d+) Read id=\d+ offset=\S+ count=(0x[0-9a-f]+|\d+)`)

// readsOf reads the log of a server: the connections by which more than a handful was read.
func readsOf(t *testing.T, log string) []servedTo {
	t.Helper()
	file, err := os.Open(log)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	all := map[string]*servedTo{}
	for lines := bufio.NewScanner(file); lines.Scan(); {
		match := readLine.FindStringSubmatch(lines.Text())
		if match == nil {
			continue
		}
		at, err := time.Parse("2006-01-02 15:04:05.000000", match[1])
		count, errCount := strconv.ParseInt(match[3], 0, 64)
		if err != nil || errCount != nil {
			t.Fatal(err, errCount)
		}
		if all[match[2]] == nil {
			all[match[2]] = &servedTo{first: at}
		}
		all[match[2]].bytes = append(all[match[2]].bytes, served{at, float64(count)})
	}
	var made []servedTo
	for _, each := range all {
		if len(each.bytes) > 8 {
			made = append(made, *each)
		}
	}
	slices.SortFunc(made, func(a, b servedTo) int { return a.first.Compare(b.first) })
	return made
}

// runOnAll runs the same command on all hosts at once, and gives what each said. What is to be different on
// some of them is made so first.
func runOnAll(t *testing.T, hosts [][]string, address string, different func(host int, command *exec.Cmd),
	arguments ...string) []outcome {
	t.Helper()
	got := make([]outcome, len(hosts))
	var group sync.WaitGroup
	for i, host := range hosts {
		folder := t.TempDir()
		group.Go(func() {
			d := desk{t: t, logbook: address, launcher: host}
			command := d.command(arguments...)
			command.Env = append(command.Env, fmt.Sprintf("OPENGAUGE_BENCH_NAME=desk-%d", i), "XDG_DATA_HOME="+folder)
			different(i, command)
			got[i] = d.finish(command)
		})
	}
	group.Wait()
	return got
}

// alike is of hosts that are.
func alike(int, *exec.Cmd) {}

// Eight hosts read one volume at once, two of them by narrow links: they begin within 20 ms by the log
// of its server, together they get what the server gives, and each what the server says that it got.
func TestEightHostsOnOneVolume(t *testing.T) {
	night.Only(t)
	t.Parallel()
	const cap, narrow = 320, 16 // Mbit/s
	megabits := make([]int, 8)
	megabits[0], megabits[1] = narrow, narrow
	hosts := berths(t, megabits)
	plan := filepath.Join(t.TempDir(), "reads.yaml")
	if err := os.WriteFile(plan, []byte("plan: reads\nsteps:\n  - sweep: {operation: read, access: sequential, "+
		"block: [64KiB, 32KiB], depth: 4, hold: 6s}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	witness.OnQuietMachine(t, func() (faults []string) {
		_, address := labAt(t)
		volume, log := cappedVolume(t, cap)
		desk{t: t, logbook: address}.must("logbook", "prepare")
		for i, got := range runOnAll(t, hosts, address, alike, "measure", volume, "--plan", plan, "--together", "pier",
			"--hosts", "8", "--json") {
			if got.code != 0 {
				t.Fatalf("host %d: exit %d\n%s", i, got.code, got.stderr)
			}
		}
		s := decode[session.Session](t, desk{t: t, logbook: address}.must("logbook", "show", "pier", "--json"))
		if len(s.Contentions) != 2 || len(s.Contentions[0].Members) != 8 || len(s.MergedFrom) != 8 {
			t.Fatalf("merged from %d sessions, %d contentions", len(s.MergedFrom), len(s.Contentions))
		}
		connections := readsOf(t, log)
		if len(connections) != 16 {
			t.Fatalf("the server saw %d connections that read, want 16", len(connections))
		}
		for pass := range 2 {
			of := connections[8*pass : 8*pass+8]
			if apart := of[7].first.Sub(of[0].first); !(apart <= 20*time.Millisecond) {
				faults = append(faults, fmt.Sprintf("pass %d: by the server's log the hosts began %s apart", pass, apart))
			}
			faults = append(faults, sharesFault(t, &s.Contentions[pass], of, cap*1e6/8)...)
		}
		return faults
	})
}

// sharesFault holds what a contention says against the server's log, and the rate that it was held to.
func sharesFault(t *testing.T, c *session.Contention, of []servedTo, cap float64) (faults []string) {
	t.Helper()
	fault := func(format string, about ...any) { faults = append(faults, fmt.Sprintf(format, about...)) }
	var got, want []float64
	sum := 0.0
	for i := range c.Members {
		got = append(got, float64(c.Members[i].Together.BytesPerSecond))
		sum += got[i]
	}
	from := of[7].first.Add(2 * time.Second)
	to := from.Add(3 * time.Second)
	for _, each := range of {
		bytes := 0.0
		for _, one := range each.bytes {
			if !one.at.Before(from) && one.at.Before(to) {
				bytes += one.bytes
			}
		}
		want = append(want, bytes/3)
	}
	slices.Sort(got)
	slices.Sort(want)
	t.Logf("sum %.2f MB/s of %.2f, shares %.2f, by the log %.2f", sum/1e6, cap/1e6, scaled(got), scaled(want))
	if !(math.Abs(sum/cap-1) <= 0.02) {
		fault("together they get %.2f MB/s, and the server gives %.2f", sum/1e6, cap/1e6)
	}
	if fair := jain(got); !(math.Abs(fair-jain(want)) <= 0.03) || fair > 0.95 {
		fault("the fairness is %.3f, and by the log %.3f", fair, jain(want))
	}
	for i := range got[:2] { // the narrow links
		if !(got[i] <= 2.05e6) || !(got[i] >= 1.7e6) {
			fault("a host with a narrow link got %.2f MB/s", got[i]/1e6)
		}
	}
	samples := c.Samples[len(c.Samples)/2]
	if !(math.Abs(samples.Fairness-jain(want)) <= 0.05) {
		fault("over time the fairness is %.3f, and by the log %.3f", samples.Fairness, jain(want))
	}
	return faults
}

// A host that dies in a pass is missed by the others, who go on; one that stops asks nobody.
func TestOthersGoOnWhenAHostDies(t *testing.T) {
	t.Parallel()
	hosts := berths(t, make([]int, 3))
	_, address := labAt(t)
	volume, _ := cappedVolume(t, 400)
	plan := filepath.Join(t.TempDir(), "reads.yaml")
	if err := os.WriteFile(plan, []byte("plan: reads\nsteps:\n  - sweep: {operation: read, access: sequential, "+
		"block: [64KiB, 32KiB, 16KiB], depth: 4, hold: 2s}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	desk{t: t, logbook: address}.must("logbook", "prepare")
	dies := func(host int, command *exec.Cmd) {
		if host == 2 {
			command.Stderr = &trigger{when: "pass 1/3", do: func() { _ = command.Process.Kill() }}
		}
	}
	got := runOnAll(t, hosts, address, dies, "measure", volume, "--plan", plan, "--together", "pier", "--hosts", "3")
	for i := range 2 {
		if got[i].code != 0 || !strings.Contains(got[i].stderr+got[i].stdout, "without desk-2") {
			t.Errorf("host %d: exit %d\n%s%s", i, got[i].code, got[i].stderr, got[i].stdout)
		}
	}
	s := decode[session.Session](t, desk{t: t, logbook: address}.must("logbook", "show", "pier", "--json"))
	if len(s.Contentions) != 3 || len(s.Contentions[2].Members) != 2 {
		t.Errorf("there are %d contentions, the last of %d hosts", len(s.Contentions), len(s.Contentions[2].Members))
	}
}

// One, two and three hosts on one volume: by the log of its server as many read in each round, and what the
// sweep says they got is what they got. Where the server gives less from the last round on, that is not
// taken for what hosts take from each other.
func TestASweepOfHosts(t *testing.T) {
	t.Parallel()
	const cap, link = 120, 80 // Mbit/s
	plan := filepath.Join(t.TempDir(), "reads.yaml")
	if err := os.WriteFile(plan, []byte("plan: reads\nsteps:\n  - sweep: {operation: read, access: sequential, "+
		"block: 64KiB, depth: 4, hold: 3s}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	hosts := berths(t, []int{link, link, link})
	_, address := labAt(t)
	desk{t: t, logbook: address}.must("logbook", "prepare")
	for name, c := range map[string]struct {
		lowered bool
		limit   string
		drifted bool
	}{
		"steady": {false, "which 2 hosts have already", false}, "lowered": {true, "the volume changed meanwhile", true},
	} {
		rate := filepath.Join(t.TempDir(), "rate")
		setRate := func(megabits int) {
			if err := os.WriteFile(rate, fmt.Append(nil, megabits*1_000_000), 0o600); err != nil {
				t.Error(err)
			}
		}
		setRate(cap)
		since := witness.BeginStretch()
		volume, log := cappedBy(t, "rate-file="+rate)
		lowers := func(host int, command *exec.Cmd) {
			if host == 0 && c.lowered {
				command.Stderr = &trigger{when: "round 3 of 4", do: func() { setRate(cap / 4) }}
			}
		}
		for i, got := range runOnAll(t, hosts, address, lowers, "measure", volume, "--plan", plan, "--together", name,
			"--hosts", "3", "--sweep-hosts") {
			if got.code != 0 {
				t.Errorf("host %d: exit %d\n%s", i, got.code, got.stderr)
			}
		}
		s := decode[session.Session](t, desk{t: t, logbook: address}.must("logbook", "show", name, "--json"))
		served := checkRounds(t, &s, readsOf(t, log), since)
		shown := desk{t: t, logbook: address}.must("explain", name)
		if !strings.Contains(joined(shown), c.limit) || strings.Contains(shown, "drifted") != c.drifted {
			const steady = 0.05 // by the server's log, in the first round and the last
			if first, last := served[0], served[len(served)-1]; c.lowered || math.Abs(last/first-1) < steady {
				t.Errorf("%s: it says\n%s", name, shown)
			} else {
				t.Logf("by its log the server gave %.2f MB/s at first and %.2f at last: it was not steady", first/1e6, last/1e6)
			}
		}
		later := append([]string{"logbook", "merge", "--json", "--name", name + "-later"}, s.MergedFrom...)
		again := decode[session.Session](t, desk{t: t, logbook: address}.must(later...))
		if !reflect.DeepEqual(again.Contentions, s.Contentions) {
			t.Errorf("%s: put together later it is %+v, and was %+v", name, again.Contentions, s.Contentions)
		}
	}
}

// joined is a text without the ends of its lines.
func joined(text string) string { return strings.Join(strings.Fields(text), " ") }

// checkRounds holds a sweep of three hosts against the server's log: who read when, and how much.
func checkRounds(t *testing.T, s *session.Session, connections []servedTo, since witness.Stretch) (served []float64) {
	t.Helper()
	rounds := []int{1, 2, 3, 1}
	if len(s.Contentions) != len(rounds) || len(connections) != 7 {
		t.Fatalf("%d contentions, and %d connections by the server's log", len(s.Contentions), len(connections))
	}
	for i, hosts := range rounds {
		of := connections[:hosts]
		connections = connections[hosts:]
		if len(s.Contentions[i].Members) != hosts {
			t.Errorf("round %d is of %d hosts, want %d", i+1, len(s.Contentions[i].Members), hosts)
			continue
		}
		if apart := of[hosts-1].first.Sub(of[0].first); !(apart <= 20*time.Millisecond) {
			if why := since.Unfit(); why != "" {
				t.Logf("round %d: the hosts began %s apart, on a machine %s", i+1, apart, why)
			} else {
				t.Errorf("round %d: the hosts began %s apart", i+1, apart)
			}
		}
		sum, by := 0.0, 0.0
		from := of[0].first.Add(time.Second)
		for j, each := range of {
			sum += float64(s.Contentions[i].Members[j].Together.BytesPerSecond)
			for _, one := range each.bytes {
				if since := one.at.Sub(from); since >= 0 && since < 2*time.Second {
					by += one.bytes / 2
				}
			}
		}
		t.Logf("round %d: %.2f MB/s, by the log %.2f", i+1, sum/1e6, by/1e6)
		if !(math.Abs(sum/by-1) <= 0.1) {
			t.Errorf("round %d: together they got %.2f MB/s, and by the server's log %.2f", i+1, sum/1e6, by/1e6)
		}
		served = append(served, by)
	}
	if len(served) < len(rounds) {
		t.FailNow()
	}
	return served
}

func scaled(rates []float64) []float64 {
	made := slices.Clone(rates)
	for i := range made {
		made[i] /= 1e6
	}
	return made
}

// jain is Jain's index of fairness, written a second time.
func jain(rates []float64) float64 {
	mean, square := 0.0, 0.0
	for _, each := range rates {
		mean += each / float64(len(rates))
		square += each * each / float64(len(rates))
	}
	return mean * mean / square
}

// localCrew gives desks of hosts on this machine, which share a logbook.
func localCrew(t *testing.T, count int) []desk {
	t.Helper()
	shared := labDesk(t)
	shared.must("logbook", "prepare")
	desks := make([]desk, count)
	for i := range desks {
		desks[i] = shared
		desks[i].settings = []string{fmt.Sprintf("OPENGAUGE_BENCH_NAME=desk-%d", i), "XDG_DATA_HOME=" + t.TempDir()}
	}
	return desks
}

// Ctrl-C on one host asks whether all are to stop.
func TestOneHostStopsAll(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		typed string
		code  int // of the other
	}{"all": {"all\n", 130}, "only this one": {"no\n", 0}} {
		t.Run(name, func(t *testing.T) {
			desks := localCrew(t, 3)
			plan := filepath.Join(t.TempDir(), "reads.yaml")
			if err := os.WriteFile(plan, []byte("plan: reads\nsteps:\n  - sweep: {operation: read, access: random, "+
				"block: [4KiB, 8KiB], depth: 1, hold: 4s}\n"), 0o600); err != nil {
				t.Fatal(err)
			}
			command := func(d desk) []string {
				return []string{"measure", t.TempDir(), "--size", "1MiB", "--plan", plan, "--together", "pier", "--hosts", "3"}
			}
			var group sync.WaitGroup
			others := make([]outcome, 2)
			for i := range others {
				group.Go(func() { others[i] = desks[i].run(command(desks[i])...) })
			}
			shown := desks[2].inTerminal(command(desks[2])...)
			shown.await("read random 4 KiB")
			shown.press("\x03")
			shown.await("Type all")
			shown.press(c.typed)
			group.Wait()
			for i, each := range others {
				if each.code != c.code {
					t.Errorf("host %d: exit %d, want %d\n%s", i, each.code, c.code, each.stderr)
				}
				if said := strings.Contains(each.stderr, "desk-2 asked all hosts to stop"); said != (c.code == 130) {
					t.Errorf("host %d says\n%s", i, each.stderr)
				}
			}
		})
	}
}

// What hosts cannot do together is refused before anything is measured.
func TestHostsThatDoNotFitAreRefused(t *testing.T) {
	t.Parallel()
	desks := localCrew(t, 2)
	folder := t.TempDir()
	waiting := desks[0].command("measure", folder, "--size", "1MiB", "--plan", "quick-read", "--together", "pier",
		"--hosts", "2")
	if err := waiting.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { _ = waiting.Process.Kill(); _ = waiting.Wait() }()
	base := []string{"measure", t.TempDir(), "--size", "1MiB", "--together", "pier"}
	witness.Again(t, func() string { // until the first is there
		time.Sleep(500 * time.Millisecond)
		got := desks[1].run(append(base, "--plan", "quick-read", "--hosts", "3", "--wait", "1s")...)
		if !strings.Contains(got.stderr, "it waits for 2 hosts") {
			return got.stderr
		}
		return ""
	})
	for name, c := range map[string]struct {
		d    desk
		more []string
		want string
	}{
		"another plan":  {desks[1], []string{"--plan", "quick", "--hosts", "2"}, "it runs the plan quick-read"},
		"another size":  {desks[1], []string{"--plan", "quick-read", "--hosts", "2", "--hold", "1s"}, "other sizes"},
		"the same name": {desks[0], []string{"--plan", "quick-read", "--hosts", "2"}, "OPENGAUGE_BENCH_NAME"},
		"a single host": {desks[1], []string{"--plan", "quick-read", "--hosts", "1"}, "two at least"},
		"a name of its own": {desks[1], []string{"--plan", "quick-read", "--hosts", "2", "--name", "x"},
			"leave out --name"},
		"a plan that chooses": {desks[1], []string{"--plan", "depth-map", "--hosts", "2"}, "adaptive"},
		"a file":              {newDesk(t), []string{"--plan", "quick-read", "--hosts", "2"}, "is a file"},
	} {
		got := c.d.run(append(base, c.more...)...)
		if got.code == 0 || !strings.Contains(got.stderr, c.want) || strings.Contains(got.stderr, "pass 1") {
			t.Errorf("%s: exit %d, %s; want %q", name, got.code, got.stderr, c.want)
		}
	}
}

// Where the server dies, hosts go on by themselves, and what they measured waits for it.
func TestTheServerDiesWhileHostsMeasure(t *testing.T) {
	t.Parallel()
	server, err := witness.NewPostgres("127.0.0.1")
	if err != nil {
		t.Skip("no PostgreSQL server here (make tools): ", err)
	}
	t.Cleanup(server.Remove)
	address := server.Address("keeper", server.NewDatabase(t))
	plan := filepath.Join(t.TempDir(), "reads.yaml")
	if err := os.WriteFile(plan, []byte("plan: reads\nsteps:\n  - sweep: {operation: read, access: random, block: "+
		"[4KiB, 8KiB, 16KiB], depth: 1, hold: 2s}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	desks := make([]desk, 2)
	got := make([]outcome, len(desks))
	var group sync.WaitGroup
	var once sync.Once
	for i := range desks {
		desks[i] = desk{t: t, logbook: address, settings: []string{fmt.Sprintf("OPENGAUGE_BENCH_NAME=desk-%d", i),
			"XDG_DATA_HOME=" + t.TempDir()}}
		folder := t.TempDir()
		group.Go(func() {
			command := desks[i].command("measure", folder, "--size", "1MiB", "--plan", plan, "--together", "pier",
				"--hosts", "2")
			command.Stderr = &trigger{when: "pass 1/3", do: func() { once.Do(server.Kill) }}
			got[i] = desks[i].finish(command)
		})
	}
	group.Wait()
	for i, each := range got {
		if each.code != 1 || !strings.Contains(each.stderr, "pass 3/3") || !strings.Contains(each.stderr, "waits in") {
			t.Errorf("host %d: exit %d\n%s", i, each.code, each.stderr)
		}
	}
	if err := server.Start(); err != nil {
		t.Fatal(err)
	}
	for i, d := range desks {
		if sent := d.must("logbook", "send"); !strings.Contains(sent, "sent session") {
			t.Errorf("host %d sent %q", i, sent)
		}
	}
	sessions := decodeSessions(t, desks[0])
	if len(sessions) != 2 || len(sessions[0].Passes) != 3 || len(sessions[1].Passes) != 3 {
		t.Errorf("%d sessions came back", len(sessions))
	}
	// The same meeting once more begins anew.
	again := make([]outcome, len(desks))
	for i := range desks {
		folder := t.TempDir()
		group.Go(func() {
			again[i] = desks[i].run("measure", folder, "--size", "1MiB", "--plan", plan, "--together", "pier", "--hosts", "2")
		})
	}
	group.Wait()
	for i, each := range again {
		if each.code != 0 {
			t.Errorf("host %d, once more: exit %d\n%s", i, each.code, each.stderr)
		}
	}
}

// A network that is cut without a word is given up on within half a minute.
func TestACutNetworkIsGivenUpOn(t *testing.T) {
	t.Parallel()
	hosts := berths(t, make([]int, 1))
	_, address := labAt(t)
	desk{t: t, logbook: address}.must("logbook", "prepare")
	folder := t.TempDir()
	d := desk{t: t, logbook: address, launcher: hosts[0], settings: []string{"XDG_DATA_HOME=" + folder}}
	command := d.command("measure", t.TempDir(), "--size", "1MiB", "--plan", "quick-read", "--hold", "500ms",
		"--name", "cut")
	near := nearEnd(hosts[0])
	command.Stderr = &trigger{when: "pass 1/", do: func() {
		if out, err := exec.Command("ip", "link", "set", near, "down").CombinedOutput(); err != nil {
			t.Errorf("%v: %s", err, out)
		}
	}}
	got := d.finish(command) // without an end it would wait for ever
	if got.code != 0 || !strings.Contains(got.stderr, "waits in") {
		t.Errorf("exit %d\n%s", got.code, got.stderr)
	}
	if out, err := exec.Command("ip", "link", "set", near, "up").CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	witness.Again(t, func() string {
		if sent := d.run("logbook", "send"); !strings.Contains(sent.stdout, "sent session") {
			return sent.stdout + sent.stderr
		}
		return ""
	})
}
