package table

import (
	"strings"
	"testing"

	"opengauge/core/bench/event"
	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/record/logbook"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

func TestPassesSayWhatIsInDoubt(t *testing.T) {
	s := &session.Session{State: session.Interrupted, Passes: []session.Pass{{
		Index: 2, Load: load.Load{Operation: load.Write, Access: load.Random, Block: 4096, Depth: 32},
		ElapsedSeconds: 5.04,
		BytesPerSecond: 80.3e6, IOPS: 19605.4, Errors: 3, Short: 2, Retried: 1, Latency: session.Latency{P50: 51e-6},
	}}, Events: []session.Event{{Kind: event.Limit, Detail: "pass 3 was to move 1 GB"}}}
	made := Passes(s, unit.Decimal)
	if got := strings.Join(made.Rows[0], "|"); got != "3|write|random|4 KiB|32|5.0 s|80.3||19\u00a0605|51 µs|0 "+
		"s|0 s|no" {
		t.Errorf("the row is %q", got)
	}
	notes := strings.Join(made.Notes, "\n")
	for _, want := range []string{"does not do direct I/O", "3 operations failed", "interrupted",
		"Pass 3 was to move 1 GB.", "2 operations moved less than was asked for", "1 operation was asked again"} {
		if !strings.Contains(notes, want) {
			t.Errorf("%q is not in the notes %q", want, notes)
		}
	}
	if clean := Passes(&session.Session{State: session.Complete, Passes: []session.Pass{{Direct: true}}},
		unit.Bits); len(clean.Notes) != 0 || clean.Columns[6].Title != "Gbit/s" {
		t.Errorf("notes %q, rate column %q", clean.Notes, clean.Columns[6].Title)
	}
}

// Events of other programs may say nothing, or begin with any letter.
func TestALimitIsASentence(t *testing.T) {
	for words, want := range map[string]string{
		"": "A pass ended at its limit.", "pass 1 ended": "Pass 1 ended.", "été": "Été.", "\xff": "\uFFFD.",
	} {
		if got := sentence(words); got != want {
			t.Errorf("%q makes %q, want %q", words, got, want)
		}
	}
}

func TestRepeatsGiveAMedianAndAnInterval(t *testing.T) {
	s := &session.Session{State: session.Complete}
	for i, rate := range []unit.BytesPerSecond{100e6, 104e6, 102e6} {
		s.Passes = append(s.Passes,
			session.Pass{Repeat: i, Load: load.Load{Operation: load.Read, Access: load.Random, Block: 4096, Depth: 1,
				Workers: 1}, BytesPerSecond: rate},
			session.Pass{Repeat: i, Load: load.Load{Operation: load.Read, Access: load.Random, Block: 4096, Depth: 8,
				Workers: 2}, BytesPerSecond: 2 * rate, CutShort: i == 2})
	}
	made := Repeats(s, unit.Decimal)
	want := []string{"read random 4 KiB, depth 1|3|102|97 to 107|0", "read random 4 KiB, depth 8, 2 " +
		"workers|2|204|153 to 255|0"}
	for i, row := range made.Rows {
		if got := strings.Join(row, "|"); got != want[i] {
			t.Errorf("row %d is %q, want %q", i, got, want[i])
		}
	}
	if len(made.Rows) != 2 {
		t.Errorf("%d rows, want 2", len(made.Rows))
	}
}

func TestSimulatedIsMarkedInLists(t *testing.T) {
	made := Sessions([]logbook.Summary{{ID: "a", Target: "sim:sandpiper", Simulated: true},
		{ID: "b", Target: "/media/stick"}})
	if made.Rows[0][3] != "sim:sandpiper (simulated)" || made.Rows[1][3] != "/media/stick" {
		t.Errorf("targets are %q and %q", made.Rows[0][3], made.Rows[1][3])
	}
}

func TestCircumstances(t *testing.T) {
	hop, _ := link.Find("usb 3.2 gen 2")
	s := &session.Session{
		Target: session.Target{Address: "/media/stick", FileSystem: "ext4", SpanBytes: unit.GiB,
			CapacityBytes: 512 * unit.GB},
		Chain: link.NewChain(hop.Hop("deck port")), Conditions: map[string]string{"fan": "on", "cable": "short"},
	}
	var all []string
	for _, row := range Circumstances(s).Rows {
		all = append(all, row[0]+": "+row[1])
	}
	text := strings.Join(all, "\n")
	for _, want := range []string{"on: ext4 of 512 GB (477 GiB)", "hop: deck port: usb 3.2 gen 2, usable 961 to " +
		"1\u00a0084 MB/s", "condition cable: short\ncondition fan: on"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is missing in:\n%s", want, text)
		}
	}
}

func TestMarkdownAndCSVKeepTextsText(t *testing.T) {
	made := Table{
		Columns: []Column{text("=name"), number("MB/s")}, Notes: []string{"a <b>note</b>"},
		Rows: [][]string{{"+1|2 *x* <img>", "-5"}, {"plain", "1 000"}},
	}
	var markdown, sheet strings.Builder
	if err := made.Markdown(&markdown); err != nil {
		t.Fatal(err)
	}
	if err := made.CSV(&sheet); err != nil {
		t.Fatal(err)
	}
	if want := "| =name | MB/s |\n| --- | ---: |\n| +1\\|2 \\*x\\* &lt;img&gt; | -5 |\n| plain | 1 000 |\n\na " +
		"&lt;b&gt;note&lt;/b&gt;\n"; markdown.String() != want {
		t.Errorf("Markdown is %q, want %q", markdown.String(), want)
	}
	if want := "'=name,MB/s\n'+1|2 *x* <img>,-5\nplain,1 000\n"; sheet.String() != want {
		t.Errorf("CSV is %q, want %q", sheet.String(), want)
	}
}

func TestSharesOverTime(t *testing.T) {
	c := session.Contention{Members: []session.Member{{Together: session.Pass{Load: load.Load{Operation: load.Read,
		Access: load.Random, Block: 4096, Depth: 8}}}, {}}}
	for second := range 16 { // the second host is pushed aside after eight seconds
		each := []unit.BytesPerSecond{50e6, 50e6}
		fairness := 1.0
		if second >= 8 {
			each, fairness = []unit.BytesPerSecond{75e6, 25e6}, 0.8
		}
		c.Samples = append(c.Samples, session.ContentionSample{TSeconds: float64(second + 1), BytesPerSecond: 100e6,
			Fairness: fairness, Each: each})
	}
	got := Shares(&session.Session{Contentions: []session.Contention{c}}, unit.Decimal)
	if len(got.Rows) != 8 {
		t.Fatalf("%d stretches: %v", len(got.Rows), got.Rows)
	}
	for i, want := range map[int]string{0: "read random 4 KiB, depth 8|0 to 2|100|1.00|50 + 50",
		7: "|14 to 16|100|0.80|75 + 25"} {
		if row := strings.Join(got.Rows[i], "|"); row != want {
			t.Errorf("stretch %d is %q, want %q", i, row, want)
		}
	}
	if alone := Shares(&session.Session{Contentions: []session.Contention{{Members: c.Members}}},
		unit.Decimal); len(alone.Rows) > 0 {
		t.Errorf("without samples: %v", alone.Rows)
	}
}
