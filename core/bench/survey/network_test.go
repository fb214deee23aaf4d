package survey

import (
	"strings"
	"testing"

	"opengauge/core/bench/event"
	"opengauge/core/bench/link"
	"opengauge/core/bench/network"
)

// pier is a machine with one Ethernet, behind a USB adapter, over which it reaches a server.
func pier() map[string]string {
	files := benchMachine()
	const adapter = xhci + "/usb1/1-3"
	files[adapter+"/bDeviceClass"], files[adapter+"/speed"], files[adapter+"/product"] = "00", "480", "Adapter"
	files[adapter+"/1-3:1.0/net/quay/mtu"] = "1500"
	for name, content := range map[string]string{"mtu": "1500", "type": "1", "carrier": "1", "speed": "1000",
		"duplex": "full", "device": "-> ../../../" + strings.TrimPrefix(adapter, "sys/") + "/1-3:1.0",
		"statistics/rx_errors": "4"} {
		files["sys/class/net/quay/"+name] = content
	}
	files["proc/self/mountinfo"] = "30 1 0:45 / /mnt/nest rw - nfs4 nest:/songs rw,vers=4.2,proto=tcp,addr=10.0.0.2\n"
	return files
}

func overPier(files map[string]string) *Machine {
	machine := inMemory(files)
	told, _ := network.ReadTold([]byte(`{"routes": {"10.0.0.2": "quay"}}`))
	machine.asker = told
	return machine
}

// An adapter on a slower port is the narrowest hop of the way to a server.
func TestTheWayToAServersFolder(t *testing.T) {
	folders := overPier(pier()).Folders()
	if len(folders) != 1 {
		t.Fatalf("%d folders", len(folders))
	}
	f := folders[0]
	var names []string
	for _, hop := range f.Hops {
		names = append(names, hop.Name+" "+hop.Standard)
	}
	if got := strings.Join(names, ", "); got != "Adapter usb 2.0, quay ethernet 1g, nest nfs 4.2" {
		t.Errorf("the way leads over %s", got)
	}
	if binding, ok := f.Binding(); !ok || binding.Name != "Adapter" {
		t.Errorf("%s binds", binding.Name)
	}
}

// An interface that trains anew, goes and comes is told of, and its errors are counted.
func TestAnInterfaceIsWatched(t *testing.T) {
	files := pier()
	machine := overPier(files)
	w := machine.WatchFolder(machine.Folders()[0])
	if count := w.Reading().Counters[link.ReceiveErrors+" quay"]; count != 4 {
		t.Errorf("it counts %d errors, want 4", count)
	}
	var told []string
	tell := func(kind, detail string) { told = append(told, kind+": "+detail) }
	before := w.states()
	files["sys/class/net/quay/speed"] = "100"
	machine.Tree = inMemory(files).Tree
	w.compare(before, tell)
	for name := range files {
		if strings.HasPrefix(name, "sys/class/net/quay") {
			delete(files, name)
		}
	}
	files["sys/class/net/lo/mtu"] = "65536"
	machine.Tree = inMemory(files).Tree
	w.presence(tell)
	w.presence(tell)
	machine.Tree = inMemory(pier()).Tree
	w.presence(tell)
	want := event.Relink + ": quay: ethernet 1g before, ethernet 100m now; " + event.Removed +
		": quay is not there any more; " + event.Added + ": quay is there again"
	if got := strings.Join(told, "; "); got != want {
		t.Errorf("told %q, want %q", got, want)
	}
	for text, kind := range map[string]string{"nfs: server 10.0.0.2 not responding, still trying": event.Timeout,
		"nfs: server 10.0.0.9 not responding, still trying": ""} {
		got, ours := w.judge(message{text, 5, ""})
		if !ours {
			got = ""
		}
		if got != kind {
			t.Errorf("%q is %q, want %q", text, got, kind)
		}
	}
}

// Of places under each other the last of the longest holds a file.
func TestThePlaceThatHoldsAFile(t *testing.T) {
	nested := mountTable{{At: "/mnt"}, {At: "/mnt/nest"}, {At: "/mnt/nest", Source: "over it"}}
	if m, ok := nested.holding("/mnt/nest/a"); !ok || m.Source != "over it" {
		t.Errorf("/mnt/nest/a is in %+v", m)
	}
	if m, ok := nested.holding("/mnt/nestling"); !ok || m.At != "/mnt" {
		t.Errorf("/mnt/nestling is in %+v", m)
	}
}
