package standin

import (
	"strings"
	"testing"
	"time"

	"opengauge/core/storage/sim"
)

func TestParseScript(t *testing.T) {
	acts, err := ParseScript("s.yaml", []byte(`script:
  - {at: 20s, neighbour: 60%, for: 10s}
  - {at: 10s, iops: 1500, throughput: 60MB/s, latency: 2ms}
  - {at: 40s, pause: 3s}
  - {at: 50s, errors: 5}
  - {at: 60s, disconnect: yes}
`))
	if err != nil {
		t.Fatal(err)
	}
	var texts []string
	for _, act := range acts {
		texts = append(texts, act.At.String()+": "+act.String())
	}
	want := "10s: from now on 1500 IOPS, 60 MB/s, 2ms of latency; 20s: a neighbour takes 60 % for 10s; 40s: pauses " +
		"for 3s; 50s: fails 5 requests; 1m0s: ends every connection"
	if got := strings.Join(texts, "; "); got != want {
		t.Errorf("the script is %q, want %q", got, want)
	}
	for source, want := range map[string]string{
		"script: 3": "expected a list", "acts: []": "unknown key", "script:\n  - {pause: 3s}": "expected \"at\"",
		"script:\n  - {at: 1s}":                       "expected one of",
		"script:\n  - {at: 1s, pause: 1s, errors: 2}": "expected one of",
		"script:\n  - {at: 1s, neighbour: 60%}":       "\"for\" a time", "script:\n  - {at: 1s, neighbour: 0.6, " +
			"for: 1s}": "like 60%",
		"script:\n  - {at: -1s, pause: 3s}": "is not a time", "script:\n  - {at: 1s, errors: none}": "requests fail",
		"script:\n  - {at: 1s, iops: -3}": "operations a second",
	} {
		if _, err := ParseScript("s.yaml", []byte(source)); err == nil || !strings.Contains(err.Error(), want) ||
			!strings.HasPrefix(err.Error(), "s.yaml:") {
			t.Errorf("%q: %v, want %q in it", source, err, want)
		}
	}
}

func FuzzParseScript(f *testing.F) {
	f.Add("script:\n  - {at: 20s, neighbour: 60%, for: 10s}")
	f.Fuzz(func(t *testing.T, source string) {
		acts, err := ParseScript("s.yaml", []byte(source))
		for i, act := range acts {
			if err == nil && (act.String() == "" || i > 0 && act.At < acts[i-1].At) {
				t.Errorf("act %+v", act)
			}
		}
	})
}

// decided plays requests at a time since the volume began.
func decided(v *Volume, at time.Duration) (time.Duration, bool) {
	v.began = time.Now().Add(-at)
	until, failed := v.decide(4096)
	return until - at, failed
}

func TestAVolumeDoesWhatItsScriptSays(t *testing.T) {
	var told []string
	dropped := make(chan bool, 1)
	script, err := ParseScript("s.yaml", []byte(`script:
  - {at: 10s, latency: 50ms}
  - {at: 20s, neighbour: 50%, for: 5s}
  - {at: 30s, pause: 3s}
  - {at: 40s, errors: 2}
  - {at: 50s, disconnect: yes}
`))
	if err != nil {
		t.Fatal(err)
	}
	v := NewVolume(sim.Volume{IOPS: 100, Throughput: 1e9, Latency: 10 * time.Millisecond}, script,
		func(text string) { told = append(told, text) })
	v.Disconnect = func() { dropped <- true }
	near := func(name string, got, want time.Duration) {
		t.Helper()
		if got < want-2*time.Millisecond || got > want+20*time.Millisecond {
			t.Errorf("%s: %s, want %s", name, got, want)
		}
	}
	wait, _ := decided(v, time.Second)
	near("alone", wait, 10*time.Millisecond)
	wait, _ = decided(v, 11*time.Second)
	near("slower", wait, 50*time.Millisecond)
	for range 10 {
		wait, _ = decided(v, 21*time.Second)
	}
	near("ten at once beside a neighbour", wait, 50*time.Millisecond+9*20*time.Millisecond)
	for range 10 {
		wait, _ = decided(v, 26*time.Second)
	}
	near("ten at once without", wait, 50*time.Millisecond+9*10*time.Millisecond)
	wait, _ = decided(v, 31*time.Second)
	near("paused", wait, 2*time.Second+50*time.Millisecond)
	failures := 0
	for range 5 {
		if _, failed := decided(v, 41*time.Second); failed {
			failures++
		}
	}
	if failures != 2 {
		t.Errorf("%d requests fail, want 2", failures)
	}
	decided(v, 51*time.Second)
	select {
	case <-dropped:
	case <-time.After(time.Minute):
		t.Error("nothing is disconnected")
	}
	if len(told) != 6 || told[2] != "the neighbour is gone" {
		t.Errorf("it tells %q", told)
	}
}

func TestAVolumeSpendsAndEarnsCredits(t *testing.T) {
	// It earns next to nothing in the time that this takes.
	v := NewVolume(sim.Volume{IOPS: 1, Throughput: 1e9, Burst: sim.Burst{IOPS: 1000, Throughput: 1e9, Credits: 50}},
		nil, func(string) {})
	v.began = time.Now()
	for range 60 {
		v.decide(4096)
	}
	if left := v.Credits(); left > 12 {
		t.Errorf("%.0f credits are left", left)
	}
	v.began = time.Now().Add(-time.Hour)
	if left := v.Credits(); left != 50 {
		t.Errorf("after an hour there are %.0f", left)
	}
}
