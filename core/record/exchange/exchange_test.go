package exchange

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/prometheus/common/expfmt"
	"github.com/prometheus/common/model"

	"opengauge/core/bench/book"
	"opengauge/core/bench/host"
	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// example is a session with everything in it that has to survive.
func example(id, name string) *session.Session {
	quick, _ := plan.Load("quick")
	usb, _ := link.Find("usb 3.2 gen 2")
	s := &session.Session{
		Format: session.Format, ID: id, Name: name, Started: time.Date(2026, 3, 1, 9, 30, 0, 0, time.UTC),
		Ended: time.Date(2026, 3, 1, 9, 31, 0, 0, time.UTC),
		State: session.Complete, Plan: quick, Target: session.Target{Address: "/media/anna/stick", Kind: "folder",
			Path: "/media/anna/stick/opengauge.dat", SpanBytes: unit.GiB},
		Chain: link.NewChain(usb.Hop("cabin-desk front")), Conditions: map[string]string{"fan": "on"},
		Events: []session.Event{}, Findings: []session.Finding{},
		Parts: []book.Part{{Kind: book.Host, Name: "cabin-desk"},
			{Kind: book.Drive, Name: "sandpiper", Serial: "SP-0042-XK"}},
		Environment: host.Environment{System: "linux", Host: "annas-laptop", ProgramVersion: "test"},
	}
	for index := range 2 {
		pass := session.Pass{
			Index: index, Step: "sweep", Load: load.Load{Operation: load.Read, Access: load.Random, Block: 4096,
				Depth: 32, Workers: 1}, Direct: true,
			Bytes: 1e9, Operations: 5, BytesPerSecond: 1e8, IOPS: 24414.0625, ElapsedSeconds: 10,
			Latency: session.Latency{P50: 1e-4, P99: 3e-4}, Samples: []session.Sample{},
		}
		for second := range 3 {
			pass.Samples = append(pass.Samples, session.Sample{
				TSeconds: float64(second + 1), ElapsedSeconds: 1, Bytes: 1e8, Operations: 2, BytesPerSecond: 1e8,
				TemperaturesCelsius: map[string]unit.Celsius{"drive": unit.Celsius(40 + second)},
				Readings:            map[string]float64{"power_watts": 4.5},
			})
		}
		s.Passes = append(s.Passes, pass)
	}
	return s
}

func write(t testing.TB, name string, table Table, sessions ...*session.Session) string {
	t.Helper()
	format, compression, err := FormatOf(name)
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), name)
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	out, err := NewWriter(file, format, compression, table, len(sessions))
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range sessions {
		if err := out.Add(s); err != nil {
			t.Fatal(err)
		}
	}
	if err := out.Close(); err != nil {
		t.Fatal(err)
	}
	return path
}

func read(t testing.TB, names ...string) ([]*session.Session, error) {
	t.Helper()
	var all []*session.Session
	for s, err := range Read(names) {
		if err != nil {
			return all, err
		}
		all = append(all, s)
	}
	return all, nil
}

func TestSessionsComeBackWhole(t *testing.T) {
	copied := example("c222abcdef", "copies")
	copied.Passes, copied.Copies = []session.Pass{},
		[]session.Copy{{Work: session.CopyWhole, To: 1, Set: "large-file", Bytes: 5, Samples: []session.CopySample{}}}
	want := []*session.Session{example("k3f9abcdef", "stick"), copied, example("m111abcdef", "=2+3 <b>hostile</b>")}
	cases := map[string][]string{
		"plain": {write(t, "a.json", Passes, want...)}, "gzip": {write(t, "a.json.gz", Passes, want...)},
		"zstd": {write(t, "a.json.zst", Passes, want...)},
		"one each": {write(t, "one.json", Passes, want[0]), write(t, "two.json", Passes, want[1]),
			write(t, "three.json", Passes, want[2])},
		"parquet": {write(t, "p.parquet", Passes, want...), write(t, "s.parquet", Samples, want...)},
	}
	for name, files := range cases {
		got, err := read(t, files...)
		if err != nil || !reflect.DeepEqual(got, want) {
			t.Errorf("%s: %v\ncame back as %+v\nwant %+v", name, err, got, want)
		}
	}
}

func TestCSVKeepsWhatItsColumnsSay(t *testing.T) {
	want := example("k3f9abcdef", "=2+3")
	passes, samples := write(t, "p.csv", Passes, want), write(t, "s.csv", Samples, want)
	got, err := read(t, samples, passes)
	if err != nil || len(got) != 1 {
		t.Fatalf("%v, %v", got, err)
	}
	if s := got[0]; s.ID != want.ID || s.Name != want.Name || !s.Started.Equal(want.Started) ||
		s.Conditions["fan"] != "on" || !reflect.DeepEqual(s.Passes, want.Passes) {
		t.Errorf("came back as %+v", s)
	}
	content, _ := os.ReadFile(passes)
	rows, err := csv.NewReader(bytes.NewReader(content)).ReadAll()
	if err != nil || rows[1][1] != "'=2+3" {
		t.Errorf("the name stands as %q, %v", rows[1][1], err)
	}
}

// Loads that differ in one dimension differ in every format, and come back from it as they were.
func TestEveryDimensionIsKept(t *testing.T) {
	values := []string{"7", "12.5%", "64KiB", "yes", "mixed", "random"}
	for _, d := range load.Dimensions {
		s := example("k3f9abcdef", "stick")
		plain := load.New(load.Write, load.Sequential, 4096, 2)
		if d.Mixed {
			plain.Operation = load.Mixed
		}
		changed := plain
		for _, text := range values {
			changed = plain
			if d.Ask(&changed, text) == nil && changed != plain {
				break
			}
		}
		if changed == plain {
			t.Fatalf("no value of %s is tried here", d.Column)
		}
		s.Passes = append(s.Passes[:1], s.Passes[0])
		s.Passes[1].Index = 1
		s.Passes[0].Load = plain
		s.Passes[1].Load = changed
		for name, files := range map[string][]string{
			"JSON":    {write(t, "a.json", Passes, s)},
			"CSV":     {write(t, "p.csv", Passes, s), write(t, "s.csv", Samples, s)},
			"Parquet": {write(t, "p.parquet", Passes, s), write(t, "s.parquet", Samples, s)},
		} {
			got, err := read(t, files...)
			if err != nil || len(got) != 1 || len(got[0].Passes) != 2 || got[0].Passes[0].Load != plain ||
				got[0].Passes[1].Load != changed {
				t.Errorf("%s in %s: %v, %+v", d.Column, name, err, got)
			}
		}
		column := passRow{Load: changed}
		var flat []string
		for _, c := range columnsOf(reflect.TypeFor[passRow]()) {
			text, err := writeCell(c.in(reflect.ValueOf(&column).Elem()))
			if err != nil {
				t.Fatal(err)
			}
			flat = append(flat, c.name+"="+text)
		}
		if want, _ := writeCell(reflect.ValueOf(d.Value(changed))); !slices.Contains(flat, d.Column+"="+want) {
			t.Errorf("%s has no column with %s: %q", d.Column, want, flat)
		}
		metrics, err := os.ReadFile(write(t, "m.om", Passes, s))
		if want := d.Column + `="`; err != nil || strings.Count(string(metrics), want) == 0 {
			t.Errorf("the metrics do not have %s: %v", want, err)
		}
	}
}

func TestGuarded(t *testing.T) {
	for _, text := range []string{"", "plain", "=cmd()", "+1", "-1", "@x", "\t=x", "'quoted", "a=b"} {
		guarded := Guarded(text)
		if unguard(guarded) != text || guarded != "" && strings.ContainsRune("=+-@\t", rune(guarded[0])) {
			t.Errorf("%q is guarded as %q and comes back as %q", text, guarded, unguard(guarded))
		}
	}
}

func TestOpenMetrics(t *testing.T) {
	content, err := os.ReadFile(write(t, "m.txt", Passes, example("k3f9abcdef", "quo\"te\nline")))
	if err != nil {
		t.Fatal(err)
	}
	text := string(content)
	for _, want := range []string{
		"# TYPE opengauge_pass_throughput_bytes_per_second gauge", `name="quo\"te\nline"`, `pass="1"`,
		"opengauge_pass_highest_temperature_celsius{", "} 42.0\n", "# EOF\n",
	} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is not in\n%s", want, text)
		}
	}
	if !strings.HasSuffix(text, "# EOF\n") {
		t.Error("it does not end as OpenMetrics text does")
	}
	parser := expfmt.NewTextParser(model.UTF8Validation)
	families, err := parser.TextToMetricFamilies(bytes.NewReader(content))
	if err != nil || len(families) != len(gauges) {
		t.Fatalf("another reader finds %d metrics, %v", len(families), err)
	}
	for name, family := range families {
		var rewritten bytes.Buffer
		if _, err := expfmt.MetricFamilyToOpenMetrics(&rewritten, family); err != nil {
			t.Fatal(err)
		}
		if !strings.Contains(text, rewritten.String()) {
			t.Errorf("another writer writes %s as\n%s", name, rewritten.String())
		}
	}
	if _, err := read(t, write(t, "m.txt", Passes, example("k3f9abcdef", ""))); err == nil ||
		!strings.Contains(err.Error(), "cannot be read back") {
		t.Errorf("reading it gives %v", err)
	}
}

func TestAnonymousHidesEverywhere(t *testing.T) {
	one, other := example("k3f9abcdef", "annas-laptop at home"), example("m111abcdef", "")
	other.Parts[1].Serial, other.Environment.Host = "SP-0043-XK", "deck-pc"
	one.Events = []session.Event{{Kind: "kernel", Detail: "nvme0: serial SP-0042-XK of annas-laptop, by " +
		"/dev/disk/by-id/nvme-SP-0042-XK; anna mounted /media/anna/stick; /dev/nvme0n1 is back"}}
	one.Findings = []session.Finding{{Kind: "x", Summary: "on annas-laptop",
		Evidence: session.NewEvidence(map[string]any{"drive": "SP-0042-XK", "SP-0042-XK": 1.0})}}
	one.Passes[0].FirstError = `C:\Users\Anna Smith\x and \\server\share\anna`
	hide := NewAnonymous()
	hidden, err := hide.Session(one)
	if err != nil {
		t.Fatal(err)
	}
	second, err := hide.Session(other)
	if err != nil {
		t.Fatal(err)
	}
	text, _ := json.Marshal([]any{hidden, second})
	for _, secret := range []string{"anna", "Anna", "SP-004", "laptop", "deck-pc", "cabin-desk", "/media", "server",
		"by-id"} {
		if strings.Contains(string(text), secret) {
			t.Errorf("%q is still there:\n%s", secret, text)
		}
	}
	for _, kept := range []string{"/dev/nvme0n1 is back", "sandpiper", `"operation":"read"`} {
		if !strings.Contains(string(text), kept) {
			t.Errorf("%q is gone", kept)
		}
	}
	if hidden.Parts[1].Serial == second.Parts[1].Serial || hidden.Parts[0].Name != second.Parts[0].Name ||
		hidden.Environment.Host == second.Environment.Host {
		t.Errorf("not told apart, or not the same: %+v, %+v", hidden.Parts, second.Parts)
	}
	if hidden.Check() != nil || hidden.ID != one.ID || one.Parts[1].Serial != "SP-0042-XK" {
		t.Error("the session is broken, or the original was changed")
	}
	if said := hide.Summary(); !strings.Contains(said, "2 serial numbers, 3 host names") {
		t.Errorf("it says that it removed %s", said)
	}
}

func TestFilesThatCannotBeRead(t *testing.T) {
	folder := t.TempDir()
	put := func(name string, content []byte) string {
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, content, 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	whole, _ := os.ReadFile(write(t, "a.json", Passes, example("k3f9abcdef", ""), example("m111abcdef", "")))
	parquet, _ := os.ReadFile(write(t, "p.parquet", Passes, example("k3f9abcdef", "")))
	change := func(old, new string) []byte { return []byte(strings.Replace(string(whole), old, new, 1)) }
	flipped := bytes.Clone(parquet)
	for i := 4; i < len(flipped)-8; i += 7 {
		flipped[i] ^= 0xff
	}
	for name, c := range map[string]struct{ path, want string }{
		"missing":          {filepath.Join(folder, "none.json"), "no such file"},
		"empty":            {put("empty.json", nil), "not a session"},
		"another document": {put("other.json", []byte(`{"boats": 3}`)), "not a session"},
		"cut off":          {put("cut.json", whole[:len(whole)/2]), "ends in the middle"},
		"garbage inside":   {put("garbage.json", change(`"passes":[`, `"passes":[!`)), "damaged"},
		"newer": {put("newer.json", change("opengauge.session/1", "opengauge.session/9")),
			"newer opengauge"},
		"escape in a name": {put("escape.json", change(`"name":""`, `"name":"\u001b[31mred"`)),
			"cannot be printed"},
		"path for an id": {put("path.json", change("k3f9abcdef", "../../etc/x")), "no id of a session"},
		"impossible operation": {put("operation.json",
			change(`"operation":"read","access"`, `"operation":"sing","access"`)), "sing"},
		"negative bytes":  {put("negative.json", change(`"bytes":1000000000`, `"bytes":-1`)), "negative"},
		"cut parquet":     {put("cut.parquet", parquet[:len(parquet)/2]), "damaged"},
		"damaged parquet": {put("flipped.parquet", flipped), "damaged"},
		"samples alone":   {write(t, "s.parquet", Samples, example("k3f9abcdef", "")), "table of passes too"},
		"another table":   {put("boats.csv", []byte("boat,mast\nx,1\n")), "no table of passes"},
		"no number": {put("depth.csv",
			[]byte("session_id,session_started,session_ended,session_state,operation,access,block_bytes,"+
				"pass_index,depth\nk3,2026-01-01T00:00:00Z,2026-01-01T00:00:00Z,"+
				"complete,read,random,4096,0,deep\n")), "line 2, column depth"},
		"cut gzip": {put("cut.json.gz",
			mustRead(t, write(t, "a.json.gz", Passes, example("k3f9abcdef", "")))[:40]), "ends in the middle"},
	} {
		got, err := read(t, c.path)
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %d sessions, error %v, want %q in it", name, len(got), err, c.want)
		}
	}
}

func mustRead(t *testing.T, path string) []byte {
	t.Helper()
	content, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	return content
}

// failing is a disk that is full after some bytes.
type failing struct{ left int }

func (f *failing) Write(p []byte) (int, error) {
	if f.left -= len(p); f.left < 0 {
		return 0, errors.New("no space left on device")
	}
	return len(p), nil
}

func TestAFullDiskIsAnError(t *testing.T) {
	for _, format := range []Format{JSON, CSV, Parquet, OpenMetrics} {
		out, err := NewWriter(&failing{left: 100}, format, Plain, Passes, 200)
		for i := range 200 {
			if err == nil {
				err = out.Add(example(fmt.Sprintf("k%d", i), ""))
			}
		}
		if err == nil {
			err = out.Close()
		}
		if err == nil || !strings.Contains(err.Error(), "no space left") {
			t.Errorf("%s: error is %v", format, err)
		}
	}
}

func TestFormatOf(t *testing.T) {
	for name, want := range map[string]string{"a.JSON": "json ", "a.json.gz": "json .gz", "x/b.csv": "csv ",
		"c.parquet": "parquet ", "m.txt": "openmetrics "} {
		if format, compression, err := FormatOf(name); err != nil || string(format)+" "+string(compression) != want {
			t.Errorf("%s is %s %s, %v", name, format, compression, err)
		}
	}
	for _, bad := range []string{"a", "a.pdf", "c.parquet.gz", ".gz"} {
		if _, _, err := FormatOf(bad); err == nil {
			t.Errorf("%q has a format", bad)
		}
	}
}

// Whatever a file holds, reading it ends with sessions that hold up, or an error.
func FuzzRead(f *testing.F) {
	for _, name := range []string{"a.json", "p.parquet", "p.csv", "a.json.gz"} {
		content, err := os.ReadFile(write(f, name, Passes, example("k3f9abcdef", "x")))
		if err != nil {
			f.Fatal(err)
		}
		f.Add(content, strings.HasSuffix(name, ".csv"))
	}
	f.Fuzz(func(t *testing.T, content []byte, isCSV bool) {
		name := "f.json"
		if isCSV {
			name = "f.csv"
		}
		path := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(path, content, 0o600); err != nil {
			t.Fatal(err)
		}
		for s, err := range Read([]string{path}) {
			if err == nil && s.Check() != nil {
				t.Errorf("a session that does not hold up: %v", s.Check())
			}
		}
	})
}
