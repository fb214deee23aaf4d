package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"opengauge/core/record/session"
)

func TestLink(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	chain := decode[struct {
		Hops []struct {
			Standard string
			Lanes    int
			Line     float64 `json:"line_bytes_per_second"`
			Payload  float64 `json:"payload_bytes_per_second"`
			Usable   struct{ Low, High float64 }
		}
		BindingHop int `json:"binding_hop"`
	}](t, strings.ReplaceAll(d.must("link", "PCIe 4.0 x4 > usb4 40G > pcie 3.0x4",
		"--json"), "usable_bytes_per_second", "usable"))
	if len(chain.Hops) != 3 || chain.BindingHop != 2 || chain.Hops[0].Line != 8e9 || chain.Hops[1].Lanes != 2 ||
		chain.Hops[2].Usable.Low <= 0 {
		t.Errorf("the chain is %+v", chain)
	}
	text := d.must("link", "pcie 4.0 x4 > usb 3.2 gen 2")
	for _, want := range []string{"▲ narrowest", "961 to 1", "The narrowest hop is hop 2 (usb 3.2 gen 2)"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is not in:\n%s", want, text)
		}
	}
	if list := d.must("link", "--units", "bits"); !strings.Contains(list, "wi-fi 7") ||
		!strings.Contains(list, "line Gbit/s") {
		t.Error("the list lacks something")
	}
	for argument, want := range map[string]string{"pcie 4 x4": "nearest are pcie 4.0 x4", "usb 2.0 >": "is empty"} {
		if got := d.run("link", argument); got.code != 2 || !strings.Contains(got.stderr, want) ||
			strings.Count(got.stderr, "\n") != 1 {
			t.Errorf("%q: exit %d, %s", argument, got.code, got.stderr)
		}
	}
	if offers := d.must("__complete", "link", "usb4 40g > sata"); !strings.Contains(offers, "usb4 40g > sata 3") {
		t.Errorf("completion offers %q", offers)
	}
}

// writeSysroot makes a small machine with one NVMe drive in a slot that trained
// low.
func writeSysroot(t *testing.T) string {
	t.Helper()
	root := t.TempDir()
	port := "sys/devices/pci0000:00/0000:00:01.0"
	card := port + "/0000:01:00.0"
	for name, content := range map[string]string{
		port + "/class": "0x060400", port + "/current_link_speed": "8.0 GT/s PCIe",
		port + "/max_link_speed": "16.0 GT/s PCIe", port + "/max_link_width": "4",
		card + "/class": "0x010802", card + "/current_link_speed": "8.0 GT/s PCIe", card + "/current_link_width": "1",
		card + "/max_link_speed": "8.0 GT/s PCIe", card + "/max_link_width": "4",
		card + "/nvme/nvme0/nvme0n1/size": "1953525168", card + "/nvme/nvme0/nvme0n1/dev": "259:0",
		card + "/nvme/nvme0/nvme0n1/queue/rotational": "0",
		card + "/nvme/nvme0/nvme0n1/device/serial":    "TW-0001",
		card + "/nvme/nvme0/nvme0n1/device/model":     "Sandpiper \x1b[31m",
	} {
		if err := os.MkdirAll(filepath.Dir(filepath.Join(root, name)), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(root, name), []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.MkdirAll(filepath.Join(root, "sys/block"), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink("../devices/pci0000:00/0000:00:01.0/0000:01:00.0/nvme/nvme0/nvme0n1",
		filepath.Join(root, "sys/block/nvme0n1")); err != nil {
		t.Skip("no links on this system: ", err)
	}
	return root
}

func TestSurvey(t *testing.T) {
	t.Parallel()
	d, root := newDesk(t), writeSysroot(t)
	packed := filepath.Join(t.TempDir(), "bench.tar.gz")
	d.must("survey", "--sysroot", root, "--capture", packed, "--anonymous")
	for _, place := range []string{root, packed} {
		surveyed := decode[struct {
			Devices []struct {
				Name, Serial string
				Hops         []struct {
					Standard            string
					Negotiated, Capable *struct {
						Standard string
						Lanes    int
					}
				}
			}
		}](t, d.must("survey", "--sysroot", place, "--json", "--anonymous"))
		if len(surveyed.Devices) != 1 || len(surveyed.Devices[0].Hops) != 1 {
			t.Fatalf("%s: %+v", place, surveyed)
		}
		hop := surveyed.Devices[0].Hops[0]
		if hop.Negotiated == nil || hop.Capable == nil || hop.Negotiated.Lanes != 1 ||
			hop.Capable.Standard != "pcie 3.0 x4" || !strings.HasPrefix(surveyed.Devices[0].Serial, "masked-") {
			t.Errorf("%s: %+v, serial %q", place, hop, surveyed.Devices[0].Serial)
		}
	}
	text := d.must("survey", "--sysroot", root, "nvme0n1")
	for _, want := range []string{"trained low", "1 TB (932 GiB)", "TW-0001", "pcie 3.0 x4"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is not in:\n%s", want, text)
		}
	}
	if strings.ContainsRune(text, '\x1b') {
		t.Error("a model's escapes reach the terminal")
	}
	for _, bad := range [][]string{{"survey", "sdzz"}, {"survey", "--sysroot", t.TempDir()},
		{"survey", "--sysroot", "none"}, {"survey", "--capture", filepath.Join(root, "none", "x.tar.gz")}} {
		if got := d.run(bad...); got.code == 0 || strings.Count(got.stderr, "\n") != 1 {
			t.Errorf("%q: exit %d, %q", bad, got.code, got.stderr)
		}
	}
}

// The capture that ships as an example tells a true story: one hop that trained
// low, and one that two hops share.
func TestTheExampleCapture(t *testing.T) {
	t.Parallel()
	text := newDesk(t).must("survey", "--sysroot", "../examples/cabin-desk.tar.gz")
	for _, want := range []string{"usb 3.2 gen 1 queued", "narrowest, trained low", "thunderbolt 4", "as narrow",
		"/media/barnacle (xfs)", "31 °C"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is not in:\n%s", want, text)
		}
	}
}

func TestThroughTheBenchBook(t *testing.T) {
	t.Parallel()
	d, folder, book := newDesk(t), t.TempDir(), filepath.Join(t.TempDir(), "book.yaml")
	source := "hosts:\n  desk: {ports: {front: usb 3.2 gen 2}}\ndrives:\n  tern: {link: sata 3, ratings: " +
		"{sequential-read: 560MB/s}, price: 40}\nchains:\n  usual: [desk, tern]\n"
	if err := os.WriteFile(book, []byte(source), 0o600); err != nil {
		t.Fatal(err)
	}
	s := decode[session.Session](t, d.must("measure", folder, "--through", "usual", "--bench", book, "--hold", "20ms",
		"--size", "4MiB", "--json"))
	binding, ok := s.Chain.Binding()
	if !ok || binding.Name != "tern" || s.Chain.Name != "usual" || len(s.Parts) != 2 {
		t.Errorf("chain %+v, parts %+v", s.Chain, s.Parts)
	}
	if got := d.run("measure", folder, "--through", "nonesuch", "--bench", book); got.code != 2 ||
		!strings.Contains(got.stderr, "it has desk, tern, usual") {
		t.Errorf("exit %d: %s", got.code, got.stderr)
	}
	if err := os.WriteFile(book, []byte("drives:\n  tern: {link: sata 9}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if got := d.run("measure", folder, "--through", "tern", "--bench", book); got.code != 2 ||
		!strings.Contains(got.stderr, "book.yaml:2:16: unknown link standard") {
		t.Errorf("exit %d: %s", got.code, got.stderr)
	}
	assertEmpty(t, folder)
}

func TestForesee(t *testing.T) {
	t.Parallel()
	d := newDesk(t)
	d.must("measure", "sim:sandpiper", "--name", "limpet", "--hold", "200ms")
	var forecast struct {
		Passes []struct {
			Expected struct{ Low, High float64 } `json:"expected_bytes_per_second"`
			Binds    string
		}
		Chain struct{ Hops []struct{ Name string } }
	}
	if err := json.Unmarshal([]byte(d.must("foresee", "limpet", "--through", "deck-tablet,deck-cable,barnacle",
		"--json")), &forecast); err != nil {
		t.Fatal(err)
	}
	if len(forecast.Chain.Hops) != 4 || forecast.Chain.Hops[3].Name != "sandpiper" || len(forecast.Passes) != 6 {
		t.Fatalf("forecast %+v", forecast)
	}
	if first := forecast.Passes[0]; first.Binds != "hop" || first.Expected.High > 470e6 || first.Expected.High < 440e6 {
		t.Errorf("the first pass is expected as %+v", first)
	}
	if text := d.must("foresee", "limpet", "--through", "cabin-barnacle"); !strings.Contains(text,
		"the limit will be") || !strings.Contains(text, "(simulated)") {
		t.Errorf("the forecast says:\n%s", text)
	}
	for _, bad := range [][]string{{"foresee", "limpet"}, {"foresee", "limpet", "--through", "cabin-desk"},
		{"foresee", "none", "--through", "barnacle"}} {
		if got := d.run(bad...); got.code == 0 || strings.Count(got.stderr, "\n") != 1 {
			t.Errorf("%q: exit %d, %q", bad, got.code, got.stderr)
		}
	}
}

func TestExplainARecording(t *testing.T) {
	t.Parallel()
	d, file := newDesk(t), filepath.Join(t.TempDir(), "logger.csv")
	var text strings.Builder
	text.WriteString("t_seconds,bytes_per_second,temperature_celsius\n")
	for second := range 400 {
		rate, celsius := 1000e6, 30+float64(second)/10
		if second > 150 {
			rate, celsius = 200e6, max(45-float64(second-150)/15, 36)
		}
		fmt.Fprintf(&text, "%d,%.0f,%.1f\n", second, rate, celsius)
	}
	if err := os.WriteFile(file, []byte(text.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	found := decode[struct{ Findings []session.Finding }](t, d.must("explain", "--series", file, "--operation",
		"write", "--json"))
	if kindsOf(found.Findings) != "cache-exhausted" || len(found.Findings[0].Shares) < 2 ||
		found.Findings[0].Shares[0].Explanation != "write area" {
		t.Fatalf("findings are %+v", found.Findings)
	}
	if !slices.ContainsFunc(found.Findings[0].Rejected, func(r session.Rejection) bool {
		return r.Kind == "heat-throttle" && r.LogOdds > 1
	}) {
		t.Errorf("not rejected are %+v", found.Findings[0].Rejected)
	}
	if got := d.run("explain", "--series", file, "--fail-on", "caution"); got.code != 3 {
		t.Errorf("exit %d", got.code)
	}
	for _, bad := range [][]string{
		{"explain"}, {"explain", "latest", "--series", file}, {"explain", "--series", file, "--operation", "erase"},
		{"explain", "--series", file, "--block-size", "5"},
		{"explain", "--series", file, "--ceiling", "fast"}, {"explain", "--series", file, "--depth", "0"},
		{"explain", "--series", file + "x"},
	} {
		if got := d.run(bad...); got.code == 0 || strings.Count(got.stderr, "\n") != 1 {
			t.Errorf("%q: exit %d, %q", bad, got.code, got.stderr)
		}
	}
}
